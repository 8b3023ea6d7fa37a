"""From a job to its files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from cutkey.core.errors import BadInput
from cutkey.core.job.document import Job
from cutkey.core.job.evaluate import Evaluator, Progress
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
    )


def write_job_kit(folder: Path, job: Job, evaluator: Evaluator, progress: Progress | None = None) -> dict[str, Any]:
    """Evaluate a job and write its kit to a folder; gives the report."""
    contents = contents_of(job, evaluator, progress)
    if progress:
        progress(0.9, "writing")
    return write_kit(folder, contents)
