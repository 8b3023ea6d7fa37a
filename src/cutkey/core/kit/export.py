"""The files of a kit: written, and read back."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from cutkey.core.folders import REPORT
from cutkey.core.formats import drawings_of
from cutkey.core.formats.obj import MATERIALS, Obj, mtl_bytes, obj_bytes
from cutkey.core.formats.stl import read_stl, stl_bytes
from cutkey.core.geometry.graphic import as_graphic
from cutkey.core.geometry.mesh import Mesh, edge_faults, rounding_of, signed_volume, weld
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.changes import Change, changes_of, csv_of, lines_of
from cutkey.core.kit.contents import KitContents
from cutkey.core.kit.names import BEDS, CHANGES_CSV, CHANGES_TXT, DRAWINGS, OBJ, README, kit_names
from cutkey.core.kit.read_back import unlike
from cutkey.core.kit.readme import order_of, readme_of
from cutkey.core.kit.sheet import sheet_pdf
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.model.finding import Finding
from cutkey.core.printing.piece import Piece, PrintUnit, all_pieces
from cutkey.core.printing.resting import OVER
from cutkey.core.printing.sides import side_name
from cutkey.core.spacers.setting_out import SettingOut
from cutkey.core.spacers.template import setting_out_pdf, template_pdf
from cutkey.core.words import printing as say
from cutkey.core.words.kind import Words


def write_kit(folder: Path, kit: KitContents) -> dict[str, Any]:
    """Write the 3MF, one STL a piece and the assembly sheet to a folder, and read them back.

    The folder is named after the job.

    Returns
    -------
    dict
        The report.
    """
    spots = kit.spots
    called = kit_names(kit.title)
    data = bytes_3mf(kit.title, kit.units, spots, kit.printer)
    (folder / called.model).write_bytes(data)
    listed = [
        (called.model, "every body, named and in its colour, each bed beside the next: open it in the slicer")
    ]
    order = order_of(kit.units, kit.sections, kit.assembly)
    names = stl_names(kit.units, order)
    for piece, name in zip([p for u in kit.units for p in u.pieces], names, strict=True):
        (folder / name).write_bytes(stl_bytes(piece.mesh.vertices, piece.mesh.triangles, piece.name))
    mended = [f.text for f in kit.findings if f.kind == "read" and f.waits]
    loads = 1 + max((s.load for s in spots), default=-1)
    changes = (
        changes_of(kit.heights, kit.units, spots) if kit.heights is not None and kit.heights.stripes else []
    )
    lines: list[str] = []
    if kit.heights is not None and kit.heights.stripes:
        lines = lines_of(kit.heights, changes, loads, any(not u.is_key and u.down == OVER for u in kit.units))
        (folder / CHANGES_CSV).write_text(csv_of(changes), encoding="utf-8")
        (folder / CHANGES_TXT).write_text("\n".join(lines) + "\n", encoding="utf-8")
    listed.append(
        ("*.stl", "the same bodies, a file each, numbered in the order in which they are put together")
    )
    if lines:
        listed.append(
            (
                CHANGES_TXT,
                f"at which layers the filament is changed; {CHANGES_CSV} says the same for machines",
            )
        )
    strange = unlike(data, called.model, kit.units, spots, kit.printer)
    if kit.files.beds and loads > 1:
        strange += _beds(folder, kit, spots)
        listed.append((f"{BEDS}/", "each bed load by itself"))
    if kit.files.obj:
        strange += _objs(folder, kit, names)
        listed.append((f"{OBJ}/", "the bodies once more as OBJ, with the colours of their filaments"))
    listed += _drawings(folder, kit) if kit.files.drawings else []
    left = [f"{f.title}: {f.text}. Left so: {f.reason}" for f in kit.findings if f.severity == "accepted"]
    sheet = sheet_pdf(kit, [*mended, *left], lines)
    (folder / called.sheet).write_bytes(sheet)
    listed.append((called.sheet, "the plan, the parts, and the order in which they are pushed together"))
    if kit.setting is not None and len(kit.setting.islands) > 1:
        (folder / called.template).write_bytes(template_pdf(kit.title, kit.setting, kit.paper))
        (folder / called.setting_out).write_bytes(setting_out_pdf(kit.title, kit.setting, kit.paper))
        listed += [
            (called.template, "outlines at 1:1, to be put together from its pages"),
            (called.setting_out, "which spacer goes where"),
        ]
    listed.append((REPORT, "sizes, volumes, findings and digests of the files, for machines"))
    layer = (
        f"layers of {kit.printer.layer:g} mm, nozzle {kit.printer.nozzle:g} mm, made for {kit.printer.name}"
    )
    text = readme_of(kit.title, listed, kit.units, kit.sections, kit.assembly, kit.hardware, loads, layer)
    (folder / README).write_text(text, encoding="utf-8")
    findings = [
        *kit.findings,
        *check_file(folder / called.model, kit, [folder / name for name in names], strange),
    ]
    return report_of(kit, findings, names, loads, changes)


def _beds(folder: Path, kit: KitContents, spots: Sequence[Spot]) -> list[Words]:
    """A 3MF for each bed load, read back; in what they are not what was meant."""
    (folder / BEDS).mkdir()
    loads, out = sorted({s.load for s in spots}), []
    for load in loads:
        mine = [s for s in spots if s.load == load]
        used = sorted({s.unit for s in mine})
        moved = [s._replace(unit=used.index(s.unit), load=0) for s in mine]
        units, name = [kit.units[k] for k in used], f"bed-{load + 1:0{len(str(len(loads)))}d}.3mf"
        data = bytes_3mf(f"{kit.title}, bed {load + 1}", units, moved, kit.printer)
        (folder / BEDS / name).write_bytes(data)
        out += unlike(data, name, units, moved, kit.printer)
    return out


def _objs(folder: Path, kit: KitContents, names: Sequence[str]) -> list[Words]:
    """An OBJ a piece, read back; in what they are not what was meant."""
    (folder / OBJ).mkdir()
    pieces, out = all_pieces(kit.units), []
    used = dict.fromkeys((p.filament.name, p.filament.colour) for p in pieces)
    (folder / OBJ / MATERIALS).write_bytes(mtl_bytes(list(used)))
    for piece, stl in zip(pieces, names, strict=True):
        data, name = obj_bytes(piece.mesh, piece.name, piece.filament.name), f"{stl.removesuffix('.stl')}.obj"
        (folder / OBJ / name).write_bytes(data)
        (shape,) = Obj().shapes(data, name).shapes
        mesh = weld(shape.mesh.vertices[shape.mesh.triangles])
        if edge_faults(mesh).open or _is_another(mesh, piece):
            out.append(say.not_the_body_meant(name))
    return out


def _drawings(folder: Path, kit: KitContents) -> list[tuple[str, str]]:
    """Regions of every graphic and the faces at every joint, as SVG and DXF in mm with their curves."""
    faces = [
        (f"joint-{'-'.join(j.sections)}", as_graphic(j.area), None) for j in kit.joints if not j.area.is_empty
    ]
    used: set[str] = set()
    for title, graphic, curves in (*kit.drawings, *faces):
        stem = re.sub(r"[^\w.]+", "-", title).strip("-._") or "drawing"
        while stem.lower() in used:
            stem += "-2"
        used.add(stem.lower())
        (folder / DRAWINGS).mkdir(exist_ok=True)
        for suffix, data in drawings_of(graphic, title, curves).items():
            (folder / DRAWINGS / f"{stem}{suffix}").write_bytes(data)
    return (
        [(f"{DRAWINGS}/", "regions of the graphics and the faces at joints as SVG and DXF, in mm")]
        if used
        else []
    )


def stl_names(units: Sequence[PrintUnit], order: Mapping[str, int] | None = None) -> list[str]:
    """File name of every piece, safe everywhere and unlike each other.

    Parameters
    ----------
    units : sequence of PrintUnit
    order : mapping, optional
        Numbers of units, with which names begin where there are several.
    """
    out: list[str] = []
    wide = len(str(len(units)))
    for unit in units:
        before = f"{order[unit.name]:0{wide}d}-" if order and len(units) > 1 else ""
        for piece in unit.pieces:
            stem = before + (
                re.sub(r"[^A-Za-z0-9.]+", "-", piece.name.replace("×", "x")).strip("-.") or "piece"
            )
            name, n = f"{stem}.stl", 2
            while name.lower() in (o.lower() for o in out):
                name, n = f"{stem}-{n}.stl", n + 1
            out.append(name)
    return out


def check_file(
    path: Path, kit: KitContents, stls: Sequence[Path] = (), strange: Sequence[Words] = ()
) -> list[Finding]:
    """Read the written files back and compare them with what was meant.

    The 3MF strictly; what they hold is welded by position.

    Parameters
    ----------
    stls : sequence of Path
        One a piece, in the order of the kit's pieces.
    strange : sequence of Words
        In what another reader found the file unlike what was meant.
    """
    read = read_3mf(path)
    problems: list[object] = [*read.warnings, *strange]
    problems += [say.body_is_open(b.name) for b in read.bodies if not b.manifold or edge_faults(b.mesh).open]
    wanted = sorted(p.name for u in kit.units for p in u.pieces)
    if sorted(b.name for b in read.bodies) != wanted:
        problems.append(say.bodies_not_those_meant())
    volume = sum(b.volume * b.copies for b in read.bodies)
    volume += sum(p.parted * u.copies for u in kit.units for p in u.pieces)
    off = abs(volume - kit.beside_volume + kit.clearance_volume - kit.design_volume) / kit.design_volume
    allowed = max(1e-6, sum(rounding_of(b.mesh) * b.copies for b in read.bodies) / kit.design_volume)
    if off > allowed:
        problems.append(say.volume_is_off(off))
    for piece, stl in zip(all_pieces(kit.units) if stls else (), stls, strict=True):
        mesh = weld(read_stl(stl.read_bytes(), stl.name))
        gaps = edge_faults(mesh).open
        if gaps:
            problems.append(say.stl_is_open(stl.name, gaps))
        elif _is_another(mesh, piece):
            problems.append(say.stl_holds_less(stl.name, signed_volume(mesh), piece.written))
    if problems:
        return [Finding("file", "stop", say.file_not_as_meant(problems), path.name, off, allowed)]
    return [
        Finding("file", "sound", say.file_as_meant(len(read.bodies), len(stls), off), path.name, off, allowed)
    ]


def _is_another(mesh: Mesh, piece: Piece) -> bool:
    """Whether a file holds more or less than rounding takes from what was meant."""
    off = abs(signed_volume(mesh) - piece.written)
    return off > 1e-5 * piece.written + 1e-3 + rounding_of(mesh)


def report_of(
    kit: KitContents,
    findings: Sequence[Finding],
    files: Sequence[str],
    loads: int,
    changes: Sequence[Change] = (),
) -> dict[str, Any]:
    """The machine-readable report.

    Parameters
    ----------
    kit : KitContents
        What is written.
    findings : sequence of Finding
        On it.
    files : sequence of str
        Names of what is written.
    loads : int
        Bed loads.
    changes : sequence of Change
        Of filament, by height.
    """
    names = iter(files)
    return {
        "title": kit.title,
        "printer": msgspec.to_builtins(kit.printer),
        "design_volume_mm3": kit.design_volume,
        "piece_volume_mm3": kit.piece_volume,
        "clearance_volume_mm3": kit.clearance_volume,
        "bed_loads": loads,
        "units": [
            {
                "name": u.name,
                "key": u.is_key,
                "copies": u.copies,
                "size_mm": list(u.size),
                "assembled_at_mm": list(u.origin),
                "to_finished": u.to_finished,
                "down": list(u.down),
                "lies": side_name(u.down),
                "pieces": [
                    {
                        "name": p.name,
                        "filament": p.filament.name,
                        "colour": p.filament.colour,
                        "volume_mm3": p.written,
                        "file": next(names),
                        "shape": p.shape,
                    }
                    for p in u.pieces
                ],
            }
            for u in kit.units
        ],
        "joints": [
            {
                "cut": j.letter,
                "axis": "xyz"[j.plane.axis],
                "at_mm": float(j.plane.origin[j.plane.axis]),
                "normal": [float(v) for v in j.plane.normal],
                "sections": list(j.sections),
                "keys": [
                    {
                        "kind": k.form.kind,
                        "size_mm": k.form.size,
                        "depth_mm": k.form.depth,
                        "clearance_mm": k.form.clearance,
                        "at_mm": list(k.centre),
                    }
                    for k in j.keys
                ],
                "glue_mm2": j.glue_area,
                "note": str(j.note or ""),
            }
            for j in kit.joints
        ],
        "assembly": [
            {
                "push": [kit.sections[n].name for n in step.movers],
                "to": [kit.sections[n].name for n in step.fixed],
                "way": list(step.way),
            }
            for step in kit.assembly.steps
        ],
        "changes": [
            {"load": c.load, "layer": c.layer, "height_mm": c.height, "from": c.before, "to": c.after}
            for c in changes
        ],
        "spacers": _spacers(kit.setting),
        "to_buy": [{"name": name, "count": count} for name, count in kit.hardware],
        "findings": [f.row() for f in findings],
    }


def _spacers(setting: SettingOut | None) -> list[dict[str, Any]]:
    if setting is None:
        return []
    names = [name for name, _ in setting.islands]
    return [
        {"number": p.number, "islands": [names[i] for i in p.spacer.islands], "peg_mm": list(p.peg)}
        for p in setting.pieces
    ]
