"""From a job to its files."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.job.document import Job
from cutkey.core.job.evaluate import Evaluator, Progress
from cutkey.core.job.series import values_of, with_value
from cutkey.core.kit.export import KitContents, write_kit


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
        job.gauge.paper,
        kit.beside_volume,
    )


def write_job_kit(folder: Path, job: Job, evaluator: Evaluator, progress: Progress | None = None) -> dict[str, Any]:
    """Evaluate a job and write its kit to a folder; gives the report. A series writes a folder for each of its values."""
    values = values_of(job.series)
    if values:
        return _write_series(folder, job, values, evaluator, progress)
    contents = contents_of(job, evaluator, progress)
    if progress:
        progress(0.9, "writing")
    return write_kit(folder, contents)


def _write_series(folder: Path, job: Job, values: list[str], evaluator: Evaluator, progress: Progress | None) -> dict[str, Any]:
    reports = []
    names: set[str] = set()
    for k, value in enumerate(values):

        def part(fraction: float, text: str, k: int = k, value: str = value) -> None:
            if progress:
                progress((k + fraction) / len(values), f"{value}: {text}")

        one = replace(with_value(job, value), series="", name=f"{job.name} {value}")
        name = re.sub(r"[^\w.-]+", "-", value).strip(".-") or str(k + 1)
        while name in names:
            name += "-2"
        names.add(name)
        reports.append({**write_job_kit(folder / name, one, evaluator, part), "value": value, "folder": name})
    findings = {(f["kind"], f["text"]): f for r in reports for f in r["findings"]}
    loads = sum(r["bed_loads"] for r in reports)
    return {**reports[0], "bed_loads": loads, "findings": list(findings.values()), "series": [[r["value"], r["folder"]] for r in reports]}
