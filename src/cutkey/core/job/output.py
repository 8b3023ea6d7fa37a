"""From a job to its files."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.job.document import Job
from cutkey.core.job.evaluate import Evaluator, Progress
from cutkey.core.job.series import single, values_of
from cutkey.core.kit.export import REPORT, KitContents, clear_stale, write_kit


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
    """Evaluate a job and write its kit to a folder; gives the report. A series writes a folder for each of its values.

    What an earlier kit has left in the folder, or in folders of values that are no longer in the series, is taken away.
    """
    values = values_of(job.series)
    before = _folders_of(folder)
    if values:
        report = _write_series(folder, job, values, evaluator, progress)
        now = {name for _, name in report["series"]}
        report["left"] = clear_stale(folder, ())
        write_atomic(folder / REPORT, json.dumps({**report, "files": {}, "units": []}, indent=1, ensure_ascii=False).encode())
    else:
        report, now = _write_one(folder, job, evaluator, progress), set()
    for name in sorted(before - now):
        old = folder / name
        left = clear_stale(old, ())
        (old / REPORT).unlink(missing_ok=True)
        report["left"] += [f"{name}/{file}" for file in left]
        if not any(old.iterdir()):
            old.rmdir()
    return report


def _folders_of(folder: Path) -> set[str]:
    """Folders that the report of an earlier series names."""
    try:
        found = json.loads((folder / REPORT).read_text(encoding="utf-8"))["series"]
        return {Path(str(name)).name for _, name in found if (folder / Path(str(name)).name / REPORT).is_file()}
    except (OSError, ValueError, TypeError, KeyError):
        return set()


def _write_one(folder: Path, job: Job, evaluator: Evaluator, progress: Progress | None) -> dict[str, Any]:
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

        one = replace(single(job, value), name=f"{job.name} {value}")
        name = re.sub(r"[^\w.-]+", "-", value).strip(".-") or str(k + 1)
        while name in names:
            name += "-2"
        names.add(name)
        reports.append({**_write_one(folder / name, one, evaluator, part), "value": value, "folder": name})
    findings = {(f["kind"], f["text"]): f for r in reports for f in r["findings"]}
    loads = sum(r["bed_loads"] for r in reports)
    return {**reports[0], "bed_loads": loads, "findings": list(findings.values()), "series": [[r["value"], r["folder"]] for r in reports]}
