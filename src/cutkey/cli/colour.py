"""`cutkey colour`: how the colours of a job are printed, and what each way costs."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any, get_args

import msgspec
from msgspec.structs import replace

from cutkey.cli.common import DONE, FINDINGS, write_report
from cutkey.core.engine.colour_ways import costs as costs_of
from cutkey.core.engine.colour_ways import offers
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.files import may_write
from cutkey.core.model.colouring import Way
from cutkey.core.model.file import open_job
from cutkey.core.model.series import as_shown
from cutkey.core.units import format_mm


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser(
        "colour", help="plan how the colours of a job are printed: filaments, changes, costs"
    )
    p.add_argument("job", type=Path, metavar="JOB.cutkey")
    p.add_argument(
        "--way",
        choices=get_args(Way),
        help="bodies: all at once; heights: one nozzle, changes at layers; the job's own when left out",
    )
    p.add_argument("--report", type=Path)
    p.add_argument("--over", action="store_true", help="write over a report that Cut Key did not write")
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Plan the colours of a job."""
    if o.report is not None:
        may_write(o.report, (o.job,), o.over)
    job, sources = open_job(o.job)
    if job.base is None:
        raise BadInput(f"{o.job.name} has no model yet; open it and add a model or a plate.")
    job = as_shown(job)
    if o.way is not None:
        job = replace(job, colouring=replace(job.colouring, way=o.way))
    evaluator = Evaluator(sources)
    heights = evaluator.heights(job)
    report: dict[str, Any] = {
        "way": job.colouring.way,
        "filaments": {c: f.name for c, f in evaluator.filaments(job).items()},
    }
    if heights is not None:
        print(heights.trouble or f"{heights.changes} changes:")
        for s in heights.stripes:
            print(
                f"  layers {s.first}-{s.last}, {format_mm(s.low, 2)}-{format_mm(s.high, 2)} mm: {s.filament}"
            )
        for t in heights.tops:
            if t.placement and abs(t.gets - t.asked) > 1e-6:
                print(f"  {t.name}: at {format_mm(t.gets, 2)} mm instead of {format_mm(t.asked, 2)}")
        for note in heights.notes:
            print(f"note: {note}")
        report |= {
            "trouble": str(heights.trouble or ""),
            "in_the_way": list(heights.among),
            "stripes": [s._asdict() for s in heights.stripes],
            "tops": [t._asdict() for t in heights.tops],
        }
    costs = costs_of(evaluator, job)
    for c in costs:
        weights = f"{format_mm(c.grams, 0)} g solid, {format_mm(c.flushed, 1)} g flushed out"
        print(f"{c.way}: {c.changes} changes, {c.filaments} filaments, {weights}")
    told = offers(evaluator, job)
    if told:
        print(f"more filaments at once than the {job.printer.loaded} that are loaded:")
    for offer in told:
        print(f"  {offer.says}")
    report["offers"] = [str(o.says) for o in told]
    report["costs"] = [
        msgspec.to_builtins({**c._asdict(), "spools": [s._asdict() for s in c.spools]}) for c in costs
    ]
    write_report(o.report, report)
    return FINDINGS if heights is not None and heights.trouble else DONE
