"""`cutkey build`: everything a job makes, into a folder."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from cutkey.cli.common import add_over, check_outputs, finish, progress
from cutkey.cli.rehearse import rehearse
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import write_job_kit
from cutkey.core.errors import BadInput
from cutkey.core.model.accepted import settle
from cutkey.core.model.file import open_job
from cutkey.core.model.finding import finding_of
from cutkey.core.model.job import Job
from cutkey.core.rehearse.settings import settings_of


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("build", help="write a job's kit: 3MF, one STL a piece, assembly sheet, report")
    p.add_argument("job", type=Path, metavar="JOB.cutkey")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    p.add_argument("--report", type=Path)
    p.add_argument("--beds", action="store_true", help="a 3MF for each bed load too")
    p.add_argument("--obj", action="store_true", help="an OBJ a piece too, with colours")
    p.add_argument(
        "--rehearse", action="store_true", help="print the written 3MF in the mind too, layer by layer"
    )
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Build a job."""
    check_outputs(o, o.job)
    job, sources = open_job(o.job)
    files = replace(job.files, beds=o.beds or job.files.beds, obj=o.obj or job.files.obj)
    job = replace(job, files=files)
    return build(job, sources, o, o.job.name)


def build(job: Job, sources: dict[str, bytes], o: argparse.Namespace, name: str) -> int:
    """Evaluate a job and write its kit."""
    if job.base is None:
        raise BadInput(f"{name} has no model yet; open it and add a model or a plate.")
    folder: Path = o.output
    report = write_job_kit(folder, job, Evaluator(sources), progress, o.over)
    progress(1.0, "")
    pieces = sum(len(u["pieces"]) for u in report["units"])
    sections = sum(not u["key"] for u in report["units"])
    many = f"{len(report['series'])} kits of " if "series" in report else ""
    print(f"{folder}: {many}{sections} sections, {pieces} pieces, {report['bed_loads']} bed loads")
    if report.get("again"):
        print(f"beside the kit before: {report['again']['text']}")
    for name in report.get("left", ()):
        print(f"left as it is: {folder / name}, of an earlier kit, was changed since it was written")
    findings = [finding_of(row) for row in report["findings"]]
    if o.rehearse:
        for model in sorted(p for p in folder.rglob("*.3mf")):
            looked = rehearse(model, settings_of(job.printer), progress)
            findings += settle(looked.findings, job.accepted)
    rest: dict[str, Any] = {k: v for k, v in report.items() if k != "findings"}
    return finish(findings, rest, o.report)
