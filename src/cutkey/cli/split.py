"""`cutkey split`: a model cut into sections that fit the bed, with keys."""

from __future__ import annotations

import argparse
from pathlib import Path

from msgspec.structs import replace

from cutkey.cli.build import build
from cutkey.cli.common import add_over, check_outputs, length, take, triple
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.files import read_bytes
from cutkey.core.keys import set_keys
from cutkey.core.model.cuts import Keys, Labels, read_cuts
from cutkey.core.model.edits import add_source
from cutkey.core.model.job import Job, ModelBase
from cutkey.core.model.printer import Printer


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("split", help="cut a model into sections that fit a bed")
    p.add_argument("model", type=Path)
    p.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    p.add_argument("--bed", type=triple, required=True, metavar="X,Y,Z")
    p.add_argument("--margin", type=length, default=5.0, metavar="MM")
    p.add_argument("--key", choices=(*set_keys(), "auto", "none"), default="auto")
    p.add_argument("--clearance", type=length, default=0.15, metavar="MM")
    p.add_argument(
        "--cuts",
        type=Path,
        metavar="FILE.json",
        help='[{"axis": "x", "at": 120, "tilt": 0, "inside": [X, Y, Z]}, ...]',
    )
    p.add_argument("--no-labels", action="store_true", help="do not engrave names on the cut faces")
    p.add_argument(
        "--unit", choices=("mm", "cm", "m", "inch"), default="", help="what one unit of the model is"
    )
    p.add_argument("--close", action="store_true", help="close large holes of the model with lids")
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run, rehearse=False)


def run(o: argparse.Namespace) -> int:
    """Split a model."""
    check_outputs(o, o.model, *((o.cuts,) if o.cuts else ()))
    if not 0 <= o.clearance <= 2:
        raise BadInput(f"--clearance {o.clearance:g} must lie between 0 and 2 mm a side.")
    printer = Printer(name="Bed", bed=o.bed, margin=o.margin)
    if min(printer.usable) <= 0:
        raise BadInput("--bed and --margin leave no room to print; give a larger bed or a smaller margin.")
    files: dict[str, bytes] = {}
    model = take(o.model, "model", files)
    job = replace(
        add_source(Job(name=o.model.stem), model),
        base=ModelBase(model.digest, o.unit, o.close),
        printer=printer,
    )
    job = replace(job, keys=Keys(kind=o.key, clearance=o.clearance), labels=Labels(on=not o.no_labels))
    evaluator = Evaluator(files)
    if o.cuts:
        cuts = tuple(read_cuts(read_bytes(o.cuts), o.cuts.name))
    else:
        plans = evaluator.plans(job)
        cuts = plans[0].cuts if plans else ()
    return build(replace(job, cuts=cuts), files, o, o.model.name)
