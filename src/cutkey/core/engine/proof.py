"""Everything that is measured on a kit before it is called sound."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.checks import all_checks
from cutkey.core.checks.kind import Context, Laid
from cutkey.core.colouring.inlays import Inlays
from cutkey.core.digest import digest
from cutkey.core.model.colouring import Heights
from cutkey.core.model.finding import Finding, in_order
from cutkey.core.model.job import Job
from cutkey.core.results import Design, Kit
from cutkey.core.split.split import Split

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def findings_of(
    job: Job,
    evaluator: Evaluator,
    design: Design,
    split: Split,
    kit: Kit,
    heights: Heights | None,
    inlays: Inlays | None,
) -> list[Finding]:
    """All findings on a kit, the worst first.

    Parameters
    ----------
    job : Job
    evaluator : Evaluator
        Whose results are used again.
    design, split, kit
        What was computed of the job.
    heights : Heights or None
        Its plan by height.
    inlays : Inlays or None
        Its pockets and pieces.
    """
    laid = [
        Laid(p, evaluator.draw(job, job.graphic(p.graphic)), evaluator.site(job, p)) for p in job.placements
    ]
    body, key = evaluator.body(job), evaluator.design_key(job)
    assert body is not None
    context = Context(
        job,
        evaluator.bare(job),
        body,
        laid,
        design,
        split,
        kit,
        lambda name, compute: evaluator.memo.get(digest(name, key), compute),
        lambda name, compute: evaluator.memo.get(digest(name, job.base), compute),
        heights,
        inlays,
        {colour: filament.name for colour, filament in evaluator.filaments(job).items()},
    )
    findings = [f for check in all_checks() for f in check.run(context)]
    return in_order(findings)
