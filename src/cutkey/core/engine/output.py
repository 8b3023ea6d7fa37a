"""From a job to its files."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator, Progress
from cutkey.core.engine.lying import slicing_hints
from cutkey.core.errors import BadInput
from cutkey.core.folders import REPORT, staged
from cutkey.core.kit.compare import compared, kit_before, pieces_of
from cutkey.core.kit.contents import KitContents
from cutkey.core.kit.export import write_kit
from cutkey.core.kit.names import kit_names
from cutkey.core.model.job import Job
from cutkey.core.model.series import single, values_of


def contents_of(job: Job, evaluator: Evaluator, progress: Progress | None = None) -> KitContents:
    """The kit of a job with everything the writers need.

    Raises
    ------
    BadInput
        When the job has no model.
    """
    kit = evaluator.kit(job, progress)
    split = evaluator.split(job)
    if kit is None or split is None:
        raise BadInput(f"{job.name} has no model yet; add a model or a plate first.")
    return KitContents(
        job.name,
        kit.units,
        split.sections,
        split.joints,
        job.printer,
        kit.findings,
        kit.design_volume,
        kit.piece_volume,
        kit.clearance_volume,
        split.assembly,
        kit.hardware,
        kit.setting,
        job.files.paper,
        kit.beside_volume,
        evaluator.heights(job),
        job.files,
        [
            (spec.name, drawn.graphic, drawn.curves)
            for spec in job.graphics
            for drawn in [evaluator.draw(job, spec)]
        ],
        evaluator.loads(job),
        slicing_hints(job, evaluator.ways_up(job)),
    )


def write_job_kit(
    folder: Path, job: Job, evaluator: Evaluator, progress: Progress | None = None, over: bool = False
) -> dict[str, Any]:
    """Evaluate a job and write its kit to a folder.

    Gives the report. A series writes a folder for each of its values.

    All of it is there in the end, or the folder is as it was. What an earlier kit has left in the folder and
    this one does not write again is gone then; what is the user's stays.

    Parameters
    ----------
    over : bool
        Files that are not of an earlier kit, or that were changed since, may be written over.

    Raises
    ------
    Taken
        When such a file is in the way and `over` is not said.
    """
    values = values_of(job.series)
    with staged(folder, over) as stage:
        # Said before the work is done, as far as it is known by then.
        called = kit_names(job.name)
        stage.check(dict.fromkeys((REPORT, *(() if values else (called.model, called.sheet))), ""))
        if not values:
            before = kit_before(stage.target)
            report = _write_one(stage.folder, job, evaluator, progress)
            digests = {
                p["file"]: digest_bytes((stage.folder / p["file"]).read_bytes())
                for u in report["units"]
                for p in u["pieces"]
            }
            again = compared(before, pieces_of({**report, "files": digests}))
            return stage.finish(
                {**report, "again": {**again._asdict(), "text": again.told()} if again else None}
            )
        report = _write_series(stage.folder, job, values, evaluator, progress)
        return {**stage.finish({**report, "units": []}), "units": report["units"]}


def _write_one(folder: Path, job: Job, evaluator: Evaluator, progress: Progress | None) -> dict[str, Any]:
    contents = contents_of(job, evaluator, progress)
    if progress:
        progress(0.9, "writing")
    return write_kit(folder, contents)


def _write_series(
    folder: Path, job: Job, values: list[str], evaluator: Evaluator, progress: Progress | None
) -> dict[str, Any]:
    reports = []
    names: set[str] = set()
    for k, value in enumerate(values):

        def part(fraction: float, text: str, k: int = k, value: str = value) -> None:
            if progress:
                progress((k + fraction) / len(values), f"{value}: {text}")

        one = replace(single(job, value), name=f"{job.name} {value}")
        name = re.sub(r"[^\w.-]+", "-", value).strip(".-") or str(k + 1)
        while name in names:
            name += "-2"
        names.add(name)
        (folder / name).mkdir()
        one_report = _write_one(folder / name, one, evaluator, part)
        (folder / name / REPORT).write_text(
            json.dumps(one_report, indent=1, ensure_ascii=False), encoding="utf-8"
        )
        reports.append({**one_report, "value": value, "folder": name})
    findings = {(f["kind"], f["text"]): f for r in reports for f in r["findings"]}
    loads = sum(r["bed_loads"] for r in reports)
    return {
        **reports[0],
        "bed_loads": loads,
        "findings": list(findings.values()),
        "series": [[r["value"], r["folder"]] for r in reports],
    }
