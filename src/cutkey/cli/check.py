"""`cutkey check`: is a job, a 3MF or an STL sound and does it fit?"""

from __future__ import annotations

import argparse
from pathlib import Path

import shapely
from msgspec.structs import replace

from cutkey.cli.common import finish, positive, progress, triple
from cutkey.core.check.finding import Finding
from cutkey.core.errors import BadInput
from cutkey.core.files import read_bytes
from cutkey.core.job.evaluate import Evaluator
from cutkey.core.job.file import SUFFIX, open_job
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.solids.mesh import Mesh
from cutkey.core.solids.read import read_model
from cutkey.core.split.printer import SLACK, Printer, pose_on_bed
from cutkey.core.units import format_size


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("check", help="check a job, a 3MF or an STL file")
    p.add_argument("file", type=Path)
    p.add_argument("--bed", type=triple, metavar="X,Y,Z")
    p.add_argument("--nozzle", type=positive, metavar="MM")
    p.add_argument("--layer", type=positive, metavar="MM")
    p.add_argument("--unit", choices=("mm", "cm", "m", "inch"), default="", help="what one unit of an STL is")
    p.add_argument("--report", type=Path)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Check a file."""
    given = {k: v for k, v in (("bed", o.bed), ("nozzle", o.nozzle), ("layer", o.layer)) if v is not None}
    suffix = o.file.suffix.lower()
    if suffix == SUFFIX:
        job, sources = open_job(o.file)
        kit = Evaluator(sources).kit(replace(job, printer=replace(job.printer, **given)), progress)
        if kit is None:
            raise BadInput(f"{o.file.name} has no model yet; open it and add a model or a plate.")
        findings = kit.findings
    elif o.nozzle or o.layer:
        raise BadInput("--nozzle and --layer are used for jobs so far; leave them out, or check the .cutkey file.")
    elif suffix == ".3mf":
        findings = _check_3mf(o.file, replace(Printer(), **given))
    elif suffix == ".stl":
        model = read_model(read_bytes(o.file), o.file.name, o.unit)
        text = f"{len(model.mesh.triangles)} triangles, {model.solid.volume():.1f} mm³, {format_size(model.size)} mm"
        findings = [Finding("watertight", "sound", "Watertight", text), *_check_size(o.file.name, model.mesh, replace(Printer(), **given))]
    else:
        raise BadInput(f"{o.file.name} is neither a job, a 3MF nor an STL; name a file ending in .cutkey, .3mf or .stl.")
    progress(1.0, "")
    code = finish(findings, {"file": o.file.name}, o.report)
    print(f"{o.file}: {sum(f.severity == 'sound' for f in findings)} sound, {sum(f.severity != 'sound' for f in findings)} to look at")
    return code


def _check_3mf(path: Path, printer: Printer) -> list[Finding]:
    read_bytes(path)
    read = read_3mf(path)
    findings = [Finding("file", "look at", "Reader warning", w, path.name) for w in read.warnings]
    if not read.bodies:
        raise BadInput(f"{path.name} holds no body; export it again.")
    for body in read.bodies:
        if not body.manifold or body.volume <= 0:
            text = "not closed" if not body.manifold else f"volume {body.volume:.3f} mm³: inside out"
            findings.append(Finding("watertight", "stop", "Not watertight", text, body.name))
        findings += _check_size(body.name, body.mesh, printer)
    sound = Finding("file", "sound", "File", f"{len(read.bodies)} bodies, {read.items} on the beds, unit {read.unit}", path.name)
    return [*findings, sound]


def _check_size(name: str, mesh: Mesh, printer: Printer) -> list[Finding]:
    size = (mesh.vertices.max(0) - mesh.vertices.min(0)).tolist()
    x, y, z = size
    hull = shapely.MultiPoint(mesh.vertices[:, :2]).convex_hull
    if z <= printer.usable[2] + SLACK and pose_on_bed(hull, printer) is not None:
        return []
    text = f"{format_size((x, y, z))} mm; the bed takes {printer.limit} mm"
    return [Finding("fits bed", "stop", "Larger than the bed", text, name, max(size), max(printer.usable), "mm")]
