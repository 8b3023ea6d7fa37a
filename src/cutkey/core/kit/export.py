"""Writing the kit to a folder, all or nothing, and reading it back."""

from __future__ import annotations

import json
import os
import re
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import manifold3d as m3
import msgspec
import shapely

from cutkey.core.check.finding import Finding
from cutkey.core.errors import BadInput
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.pieces import PrintUnit
from cutkey.core.kit.sheet import sheet_pdf
from cutkey.core.kit.threemf import read_3mf, write_3mf
from cutkey.core.solids.stl import stl_bytes
from cutkey.core.split.cutting import Section
from cutkey.core.split.dowels import Joint
from cutkey.core.split.printer import Printer

#: Files are written in a hidden folder of this name, the process number and a random end, beside their place.
_STAGE = ".cutkey-"


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


def write_kit(folder: Path, kit: KitContents) -> dict[str, Any]:
    """Write kit.3mf, one STL a piece, the assembly sheet and report.json.

    Everything is written into a hidden folder beside the target first; the files are moved in only when all of them are there.

    Returns
    -------
    dict
        The report, as in report.json.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        clear_unfinished(folder)
        stage = Path(tempfile.mkdtemp(prefix=f"{_STAGE}{os.getpid()}-", dir=folder))
    except OSError as error:
        raise BadInput(f"{folder} cannot be written: {error.strerror}; choose another folder.") from None
    try:
        spots = lay_out(kit.units, kit.printer)
        write_3mf(stage / "kit.3mf", kit.title, kit.units, spots, kit.printer)
        names = stl_names(kit.units)
        for piece, name in zip([p for u in kit.units for p in u.pieces], names, strict=True):
            (stage / name).write_bytes(stl_bytes(piece.mesh.vertices, piece.mesh.triangles, piece.name))
        (stage / "assembly-sheet.pdf").write_bytes(sheet_pdf(kit.title, kit.sections, plan_outlines(kit.sections), kit.units, kit.joints))
        findings = [*kit.findings, *check_file(stage / "kit.3mf", kit)]
        report = report_of(kit, findings, names, 1 + max((s.load for s in spots), default=-1))
        (stage / "report.json").write_text(json.dumps(report, indent=1, ensure_ascii=False), encoding="utf-8")
        for file in sorted(stage.iterdir()):
            os.replace(file, folder / file.name)
    except OSError as error:
        raise BadInput(f"{folder} cannot be written: {error.strerror}; choose another folder.") from None
    finally:
        shutil.rmtree(stage, ignore_errors=True)
    return report


def clear_unfinished(folder: Path) -> None:
    """Remove what a writer that was stopped half-way has left in a folder."""
    for stage in folder.glob(f"{_STAGE}*"):
        owner = stage.name.removeprefix(_STAGE).partition("-")[0]
        if not Path(f"/proc/{owner}").exists():
            shutil.rmtree(stage, ignore_errors=True)


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


def plan_outlines(sections: Sequence[Section]) -> list[tuple[str, shapely.Geometry]]:
    """Sections seen from above."""
    out = []
    for section in sections:
        whole = m3.Manifold.batch_boolean([p.solid for p in section.parts], m3.OpType.Add)
        rings = [shapely.Polygon(r).buffer(0) for r in whole.project().to_polygons() if len(r) >= 3]
        area: shapely.Geometry = shapely.Polygon()
        for ring in sorted(rings, key=lambda r: -r.area):
            area = area.symmetric_difference(ring)
        out.append((section.name, area))
    return out


def check_file(path: Path, kit: KitContents) -> list[Finding]:
    """Read the written 3MF strictly and compare it with what was meant."""
    read = read_3mf(path)
    problems = list(read.warnings)
    problems += [f"{b.name} is not manifold" for b in read.bodies if not b.manifold]
    wanted = sorted(p.name for u in kit.units for p in u.pieces)
    if sorted(b.name for b in read.bodies) != wanted:
        problems.append("the bodies are not those that were meant")
    volume = sum(b.volume * b.copies for b in read.bodies)
    off = abs(volume + kit.clearance_volume - kit.design_volume) / kit.design_volume
    if off > 1e-6:
        problems.append(f"volume is off by {off:.1e}")
    if problems:
        return [Finding("file", "stop", "File", "; ".join(problems[:3]), "kit.3mf", off, 1e-6)]
    return [
        Finding(
            "file",
            "sound",
            "File",
            f"read back without a warning, {len(read.bodies)} bodies, volume within {off:.0e}",
            "kit.3mf",
            off,
            1e-6,
        )
    ]


def report_of(kit: KitContents, findings: Sequence[Finding], files: Sequence[str], loads: int) -> dict[str, Any]:
    """The machine-readable report."""
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
                "axis": j.cut.axis,
                "at_mm": j.cut.at,
                "sections": list(j.sections),
                "dowels_mm": [list(c) for c in j.centres],
                "glue_mm2": j.face_area,
            }
            for j in kit.joints
        ],
        "findings": [msgspec.to_builtins(f) for f in findings],
    }
