"""What is known of a design before it is cut: plans, what a cut meets, spacers for its islands."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.digest import digest
from cutkey.core.keys.kind import printed_overhang
from cutkey.core.model.cuts import Plan
from cutkey.core.model.job import Job
from cutkey.core.place.sunk import Box, sunk_boxes
from cutkey.core.spacers.setting_out import SettingOut, heights_of, islands_of, set_out
from cutkey.core.split.plan import propose
from cutkey.core.split.survey import Survey

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


def sunk_in(evaluator: Evaluator, job: Job) -> list[Box]:
    """Boxes of what is sunk into the model or goes through it, mm."""
    job = evaluator.as_printed(job)
    out: list[Box] = []
    for p in job.placements:
        graphic = evaluator.draw(job, job.graphic(p.graphic)).graphic
        out += sunk_boxes(graphic, p, evaluator.site(job, p))
    return out


def plans_of(evaluator: Evaluator, job: Job) -> list[Plan]:
    """Ways to cut the design for the printer, the best first."""
    design = evaluator.design(job)
    if design is None:
        return []
    pinned = tuple(c for c in job.cuts if c.pinned)
    over = printed_overhang(job.keys)
    key = digest("plans", evaluator.design_key(job), job.printer, pinned, over)

    def compute() -> list[Plan]:
        bodies, sunk = evaluator.bodies(job, design), evaluator.sunk(job)
        return propose(design.parts, job.printer, pinned, bodies, over, sunk)

    return evaluator.memo.get(key, compute)


def survey_of(evaluator: Evaluator, job: Job) -> Survey:
    """The design, ready to be asked what a cut would meet."""
    design = evaluator.design(job)
    assert design is not None
    return evaluator.memo.get(
        digest("survey", evaluator.design_key(job)),
        lambda: Survey(design.parts, sunk=evaluator.sunk(job), whole=design.whole),
    )


def setting_out_of(evaluator: Evaluator, job: Job) -> SettingOut | None:
    """Spacers that hold the separate bodies of the design in their places; None when they are not wanted."""
    split = evaluator.split(job)
    if split is None or not job.gauge.on:
        return None
    return evaluator.memo.get(
        digest("setting out", evaluator.split_key(job), job.gauge),
        lambda: set_out(islands_of(split.sections), job.gauge, job.printer, heights_of(split.sections)),
    )
