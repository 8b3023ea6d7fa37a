"""`cutkey rehearse`: a written 3MF printed in the mind, layer by layer."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import cv2
from msgspec.structs import replace

from cutkey.cli.common import add_over, finish, positive, progress
from cutkey.core.errors import BadInput
from cutkey.core.files import may_write, read_bytes, write_atomic
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.film import Run, layers_of, run
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.picture import picture_of
from cutkey.core.rehearse.read import Body, beds_of, read_print
from cutkey.core.rehearse.settings import Settings, settings_of
from cutkey.core.units import format_mm

#: Pictures of a bed at most; of a higher print some layers are left out, and those where something is found
#: are kept.
PICTURES = 400
#: g/cm3 of PLA and mm of a filament, which a 3MF does not say; from memory.
DENSITY, DIAMETER = 1.24, 1.75


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("rehearse", help="look through the layers of a 3MF as a printer would print it")
    p.add_argument("file", type=Path, metavar="FILE.3mf")
    p.add_argument("--layer", type=positive, metavar="MM")
    p.add_argument("--first-layer", type=positive, metavar="MM")
    p.add_argument("--nozzle", type=positive, metavar="MM")
    p.add_argument(
        "--angle", type=positive, metavar="DEGREES", help="that a wall may lean out, from upright (45)"
    )
    p.add_argument("--bridge", type=positive, metavar="MM", help="that a line may span (10)")
    p.add_argument("--pictures", type=Path, metavar="DIR", help="a picture of every layer")
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run_command)


def run_command(o: argparse.Namespace) -> int:
    """Rehearse a file."""
    if o.report is not None:
        may_write(o.report, (o.file,), o.over)
    if o.file.suffix.lower() != ".3mf":
        raise BadInput(f"{o.file.name} is no 3MF; write a kit, or export a 3MF where it was made.")
    given = {
        k: v
        for k, v in (("layer", o.layer), ("nozzle", o.nozzle), ("first_layer", o.first_layer))
        if v is not None
    }
    settings = settings_of(replace(Printer(), **given))
    settings = settings._replace(
        **{k: v for k, v in (("angle", o.angle), ("bridge", o.bridge)) if v is not None}
    )
    beds, runs, findings = rehearse(o.file, settings, progress)
    progress(1.0, "")
    if o.pictures is not None:
        count = sum(_pictures(o.pictures, some, r, settings) for some, r in zip(beds, runs, strict=True))
        print(f"{o.pictures}: {count} pictures")
    report: dict[str, Any] = {
        "file": o.file.name,
        "settings": settings._asdict(),
        "beds": [_bed(r) for r in runs],
    }
    for r in runs:
        weights = ", ".join(f"{name} {format_mm(v * DENSITY / 1000, 1)} g" for name, v in r.printed().items())
        hours = f"{int(r.seconds // 3600)} h {int(r.seconds % 3600 // 60)} min"
        print(f"bed {r.bed}: {len(r.rows)} layers, {hours}, {r.changes} changes of filament; {weights}")
    return finish(findings, report, o.report)


class Looked(NamedTuple):
    """A written file, looked through."""

    beds: list[list[Body]]
    runs: list[Run]
    findings: list[Finding]


def rehearse(path: Path, settings: Settings, progress: Callable[[float, str], None]) -> Looked:
    """Print a written 3MF in the mind, bed by bed.

    Parameters
    ----------
    path : Path
    settings : Settings
    progress : callable
    """
    beds = beds_of(read_print(read_bytes(path), path.name), settings.bed)
    runs: list[Run] = []
    for n, some in enumerate(beds, 1):

        def told(share: float, n: int = n) -> None:
            progress((n - 1 + share) / len(beds), f"bed {n}")

        runs.append(run(some, settings, n, told))
    return Looked(beds, runs, [t.finding for t in findings_of(runs, settings)])


def _bed(r: Run) -> dict[str, Any]:
    cross = math.pi * DIAMETER**2 / 4
    return {
        "bed": r.bed,
        "layers": [x._asdict() for x in r.rows],
        "seconds": r.seconds,
        "changes": r.changes,
        "printed": {
            n: {"mm3": v, "grams": v * DENSITY / 1000, "metres": v / cross / 1000}
            for n, v in r.printed().items()
        },
        "events": [e._asdict() for e in r.events],
        "contacts": [c._asdict() for c in r.contacts],
        "shared": [s._asdict() for s in r.shared],
    }


def _pictures(folder: Path, bodies: Sequence[Body], r: Run, settings: Settings) -> int:
    """Draw the layers of a bed; how many."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{folder} cannot be made: {error.strerror}; choose another folder.") from None
    step = -(-len(r.rows) // PICTURES)
    found = {e.first for e in r.events}
    numbers = [x.number for x in r.rows if (x.number - 1) % step == 0 or x.number in found]
    colours = {b.filament: b.colour for b in bodies}
    low = [min(float(b.vertices[:, k].min()) for b in bodies) for k in (0, 1)]
    high = [max(float(b.vertices[:, k].max()) for b in bodies) for k in (0, 1)]
    for layer in layers_of(bodies, settings, numbers):
        picture = picture_of(layer, colours, (low[0], low[1], high[0], high[1]), settings.line**2)
        _, png = cv2.imencode(".png", picture[:, :, ::-1])
        write_atomic(folder / f"bed-{r.bed}-layer-{layer.number:04}.png", png.tobytes())
    return len(numbers)
