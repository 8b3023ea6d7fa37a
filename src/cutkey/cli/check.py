"""`cutkey check`: is a job or a model file sound, and does it fit?"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import shapely
from msgspec.structs import replace

from cutkey.cli.common import add_over, check_outputs, finish, positive, progress, triple
from cutkey.core.checks.crossings import told
from cutkey.core.checks.read import check_read
from cutkey.core.checks.thickness import thin_walls
from cutkey.core.checks.watertight import touching
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.engine.rehearsal import rehearsed
from cutkey.core.errors import BadInput
from cutkey.core.files import read_bytes, write_atomic
from cutkey.core.formats import held_by
from cutkey.core.formats._threemf import read_3mf_model
from cutkey.core.geometry.mesh import edge_faults, open_edges, weld
from cutkey.core.geometry.shells import surfaces_lost
from cutkey.core.geometry.solid import solid_of
from cutkey.core.model.file import SUFFIX, job_bytes, open_job
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.printer import SLACK, Printer
from cutkey.core.printing.pose import pose_on_bed
from cutkey.core.rehearse.film import run as run_bed
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.read import Body, beds_of, read_print
from cutkey.core.rehearse.settings import settings_of
from cutkey.core.solids.crossing import crossing_of
from cutkey.core.solids.read import read_model
from cutkey.core.solids.repair import mend
from cutkey.core.units import format_size
from cutkey.core.words import building, splitting
from cutkey.core.words.kind import Words


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("check", help="check a job, 3MF, STL, OBJ or PLY file")
    p.add_argument("file", type=Path)
    p.add_argument("--bed", type=triple, metavar="X,Y,Z")
    p.add_argument("--nozzle", type=positive, metavar="MM")
    p.add_argument("--layer", type=positive, metavar="MM")
    p.add_argument(
        "--unit", choices=("mm", "cm", "m", "inch"), default="", help="what one unit of an STL, OBJ or PLY is"
    )
    p.add_argument("--close", action="store_true", help="close large holes of the model with lids")
    p.add_argument("--rebuild", action="store_true", help="rebuild a model where its surface crosses itself")
    p.add_argument("--mend", type=Path, metavar="OUT.cutkey", help="write the job with every mend that works")
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Check a file."""
    if o.mend is not None:
        check_outputs(argparse.Namespace(output=o.mend, over=o.over, report=None), o.file)
    given = {k: v for k, v in (("bed", o.bed), ("nozzle", o.nozzle), ("layer", o.layer)) if v is not None}
    suffix = o.file.suffix.lower()
    if suffix == SUFFIX:
        job, sources = open_job(o.file)
        evaluator, job = Evaluator(sources), replace(job, printer=replace(job.printer, **given))
        kit = evaluator.kit(job, progress)
        if kit is None:
            raise BadInput(f"{o.file.name} has no model yet; open it and add a model or a plate.")
        if o.mend is not None:
            job = _mended(o, job, sources, evaluator)
            kit = evaluator.kit(job) or kit
        printed = rehearsed(evaluator, job, progress)
        findings = (
            [*kit.findings, *(t.finding for t in printed.findings)] if printed is not None else kit.findings
        )
    elif suffix == ".3mf":
        findings = _check_3mf(read_bytes(o.file), o.file.name, replace(Printer(), **given))
    elif held_by(o.file.name) == "model":
        model = read_model(read_bytes(o.file), o.file.name, o.unit, o.close, o.rebuild)
        findings = check_read(model.done, model.lost, o.file.name)
        figures = len(model.mesh.triangles), model.solid.volume(), format_size(model.size)
        met = edge_faults(model.mesh).touching
        whole = Finding("watertight", "sound", building.watertight_model(*figures, bool(model.done)))
        findings.append(touching(met, o.file.name) if met else whole)
        printer = replace(Printer(), **given)
        findings.append(told(crossing_of(model.mesh), model.mesh, o.file.name, model.rebuilt))
        findings += _check_size(o.file.name, model.mesh.vertices, printer)
        findings += _looked_through(
            [Body(o.file.stem, 0, o.file.stem, "the model", "", model.mesh.vertices, model.mesh.triangles)],
            printer,
        )
        findings += thin_walls(model.solid, printer)
    else:
        raise BadInput(
            f"{o.file.name} is neither a job nor a model; name a file ending in .cutkey, .3mf, .stl, .obj or"
            " .ply."
        )
    progress(1.0, "")
    code = finish(findings, {"file": o.file.name}, o.report)
    print(
        f"{o.file}: {sum(f.severity == 'sound' for f in findings)} sound,"
        f" {sum(f.severity != 'sound' for f in findings)} to look at"
    )
    return code


def _mended(o: argparse.Namespace, job: Job, sources: dict[str, bytes], evaluator: Evaluator) -> Job:
    """The job with its mends, written beside the old one."""
    found = mended(job, evaluator, True, progress)
    write_atomic(o.mend, job_bytes(found.job, sources))
    for text in found.done:
        print(f"mended: {text}")
    return found.job


def _check_3mf(data: bytes, name: str, printer: Printer) -> list[Finding]:
    """A 3MF as it is built: in mm, in the places its build gives, read as far as it keeps to the standard."""
    read = read_3mf_model(data, name)
    if not read.objects:
        raise BadInput(f"{name} holds no body; export it again.")
    findings = [Finding("read", "look at", building.readers_note(note), name) for note in read.notes]
    for n, body in enumerate(read.objects):
        called = body.name or f"body {n + 1}"
        mesh = weld(body.mesh.vertices[body.mesh.triangles].astype(np.float32))
        gaps = open_edges(mesh)
        done: list[Words] = []
        try:
            # What is inside out is turned, shells are nested: as on opening.
            mended = mend(mesh) if gaps else None
            solid = solid_of(mended.mesh if mended else mesh, called, done)
            lost = surfaces_lost(mesh, solid) if not gaps else 0
        except BadInput:
            findings.append(Finding("watertight", "stop", building.open_edges(gaps), called))
            continue
        if mended and mended.holes:
            findings.append(
                Finding("watertight", "stop", building.open_edges_and_holes(gaps, len(mended.holes)), called)
            )
        elif mended is not None and not edge_faults(mesh).open and not (mended.done or done or lost):
            findings.append(touching(edge_faults(mesh).touching, called))
        elif gaps or done or lost:
            findings += check_read([*(mended.done if mended else ()), *done], lost, called)
        crossing = crossing_of(mended.mesh if mended else mesh)
        if crossing is not None:
            findings.append(told(crossing, mesh, called))
    for item in sorted({b.item for b in read.objects}):
        mine = [b for b in read.objects if b.item == item]
        vertices = np.concatenate([b.mesh.vertices for b in mine])
        findings += _check_size(
            ", ".join(dict.fromkeys(b.name for b in mine if b.name)) or f"item {item}", vertices, printer
        )
    findings += _looked_through(read_print(data, name), printer)
    items = len({b.item for b in read.objects})
    return [
        *findings,
        Finding("file", "sound", building.three_mf_read(len(read.objects), items, read.unit), name),
    ]


def _looked_through(bodies: Sequence[Body], printer: Printer) -> list[Finding]:
    """What the layers of a print show."""
    settings = settings_of(printer)
    runs = [run_bed(some, settings, n) for n, some in enumerate(beds_of(bodies, settings.bed), 1)]
    return [t.finding for t in findings_of(runs, settings)]


def _check_size(name: str, vertices: np.ndarray, printer: Printer) -> list[Finding]:
    size = (vertices.max(0) - vertices.min(0)).tolist()
    x, y, z = size
    hull = shapely.MultiPoint(vertices[:, :2]).convex_hull
    if z <= printer.usable[2] + SLACK and pose_on_bed(hull, printer) is not None:
        return []
    says = splitting.larger_than_the_bed(format_size((x, y, z)), "", printer.limit)
    return [Finding("fits bed", "stop", says, name, max(size), max(printer.usable), "mm")]
