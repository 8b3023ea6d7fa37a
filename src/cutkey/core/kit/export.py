"""The files of a kit: written, and read back."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from cutkey.core.formats.stl import read_stl, stl_bytes
from cutkey.core.geometry.mesh import open_edges, signed_volume, strangers_edges, weld
from cutkey.core.kit.changes import CHANGES_CSV, CHANGES_TXT, Change, changes_of, csv_of, lines_of
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.names import kit_names
from cutkey.core.kit.sheet import sheet_pdf
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.model.colouring import Heights
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import PrintUnit, all_pieces
from cutkey.core.spacers.setting_out import SettingOut
from cutkey.core.spacers.template import setting_out_pdf, template_pdf
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.split.proofs.order import Assembly


class KitContents(NamedTuple):
    """Everything the writers need."""

    title: str
    units: Sequence[PrintUnit]
    sections: Sequence[Section]
    joints: Sequence[Joint]
    printer: Printer
    findings: Sequence[Finding]
    design_volume: float
    piece_volume: float
    clearance_volume: float
    assembly: Assembly
    hardware: Sequence[tuple[str, int]]
    setting: SettingOut | None = None
    paper: str = "A4"
    beside_volume: float = 0.0
    heights: Heights | None = None


def write_kit(folder: Path, kit: KitContents) -> dict[str, Any]:
    """Write the 3MF, one STL a piece and the assembly sheet to a folder, named after the job, and read them back.

    Returns
    -------
    dict
        The report.
    """
    spots = lay_out(kit.units, kit.printer)
    called = kit_names(kit.title)
    (folder / called.model).write_bytes(bytes_3mf(kit.title, kit.units, spots, kit.printer))
    names = stl_names(kit.units)
    for piece, name in zip([p for u in kit.units for p in u.pieces], names, strict=True):
        (folder / name).write_bytes(stl_bytes(piece.mesh.vertices, piece.mesh.triangles, piece.name))
    mended = [f.text for f in kit.findings if f.kind == "read" and f.waits]
    loads = 1 + max((s.load for s in spots), default=-1)
    changes = changes_of(kit.heights, kit.units, spots) if kit.heights is not None and kit.heights.stripes else []
    lines: list[str] = []
    if kit.heights is not None and kit.heights.stripes:
        lines = lines_of(kit.heights, changes, loads, any(u.face_down for u in kit.units))
        (folder / CHANGES_CSV).write_text(csv_of(changes), encoding="utf-8")
        (folder / CHANGES_TXT).write_text("\n".join(lines) + "\n", encoding="utf-8")
    left = [f"{f.title}: {f.text}. Left so: {f.reason}" for f in kit.findings if f.severity == "accepted"]
    sheet = sheet_pdf(kit.title, kit.sections, kit.units, kit.joints, kit.assembly, kit.hardware, [*mended, *left], lines)
    (folder / called.sheet).write_bytes(sheet)
    if kit.setting is not None and len(kit.setting.islands) > 1:
        (folder / called.template).write_bytes(template_pdf(kit.title, kit.setting, kit.paper))
        (folder / called.setting_out).write_bytes(setting_out_pdf(kit.title, kit.setting))
    findings = [*kit.findings, *check_file(folder / called.model, kit, [folder / name for name in names])]
    return report_of(kit, findings, names, loads, changes)


def stl_names(units: Sequence[PrintUnit]) -> list[str]:
    """File name of every piece, safe everywhere and unlike each other."""
    out: list[str] = []
    for unit in units:
        for piece in unit.pieces:
            stem = re.sub(r"[^A-Za-z0-9.]+", "-", piece.name.replace("×", "x")).strip("-.") or "piece"
            name, n = f"{stem}.stl", 2
            while name.lower() in (o.lower() for o in out):
                name, n = f"{stem}-{n}.stl", n + 1
            out.append(name)
    return out


def check_file(path: Path, kit: KitContents, stls: Sequence[Path] = ()) -> list[Finding]:
    """Read the written files back, the 3MF strictly, weld what they hold by position, and compare it with what was meant.

    Parameters
    ----------
    stls : sequence of Path
        One a piece, in the order of the kit's pieces.
    """
    read = read_3mf(path)
    problems = list(read.warnings)
    problems += [f"{b.name} is not manifold" for b in read.bodies if not b.manifold or strangers_edges(b.mesh)]
    wanted = sorted(p.name for u in kit.units for p in u.pieces)
    if sorted(b.name for b in read.bodies) != wanted:
        problems.append("the bodies are not those that were meant")
    volume = sum(b.volume * b.copies for b in read.bodies)
    off = abs(volume - kit.beside_volume + kit.clearance_volume - kit.design_volume) / kit.design_volume
    if off > 1e-6:
        problems.append(f"volume is off by {off:.1e}")
    for piece, stl in zip(all_pieces(kit.units) if stls else (), stls, strict=True):
        mesh = weld(read_stl(stl.read_bytes(), stl.name))
        if open_edges(mesh):
            problems.append(f"{stl.name} has {open_edges(mesh)} open edges")
        elif abs(signed_volume(mesh) - piece.volume) > 1e-5 * piece.volume + 1e-3:
            problems.append(f"{stl.name} holds {signed_volume(mesh):.2f} mm³ instead of {piece.volume:.2f}")
    if problems:
        return [Finding("file", "stop", "File", "; ".join(problems[:3]), path.name, off, 1e-6)]
    return [
        Finding(
            "file",
            "sound",
            "File",
            f"read back without a warning and welded, {len(read.bodies)} bodies{f' and {len(stls)} STL' if stls else ''}, "
            f"volume within {off:.0e}",
            path.name,
            off,
            1e-6,
        )
    ]


def report_of(
    kit: KitContents, findings: Sequence[Finding], files: Sequence[str], loads: int, changes: Sequence[Change] = ()
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
                "face_down": u.face_down,
                "pieces": [
                    {"name": p.name, "filament": p.filament.name, "colour": p.filament.colour, "volume_mm3": p.volume, "file": next(names)}
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
                "note": j.note,
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
        "changes": [{"load": c.load, "layer": c.layer, "height_mm": c.height, "from": c.before, "to": c.after} for c in changes],
        "spacers": _spacers(kit.setting),
        "to_buy": [{"name": name, "count": count} for name, count in kit.hardware],
        "findings": [msgspec.to_builtins(f) for f in findings],
    }


def _spacers(setting: SettingOut | None) -> list[dict[str, Any]]:
    if setting is None:
        return []
    names = [name for name, _ in setting.islands]
    return [{"number": p.number, "islands": [names[i] for i in p.spacer.islands], "peg_mm": list(p.peg)} for p in setting.pieces]
