"""What a job would be with its mends."""

from __future__ import annotations

from collections.abc import Callable

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.engine.rehearsal import rehearsed
from cutkey.core.model.job import Job
from cutkey.worker.shown_mended import LyingView, MendedAll, MendedView
from cutkey.worker.views import mesh_view, view_of_mesh


def mended_view(
    job: Job, evaluator: Evaluator, progress: Callable[[float, str], None], of_print: bool = False
) -> MendedView | None:
    """Findings and looks of a job that is tried, also those of its print where they are asked for."""
    kit, design = evaluator.kit(job, progress), evaluator.design(job)
    if kit is None or design is None:
        return None
    filaments = evaluator.filaments(job)
    printed = rehearsed(evaluator, job, progress) if of_print else None
    findings = (
        [*kit.findings, *(t.finding for t in printed.findings)] if printed is not None else kit.findings
    )
    return MendedView(
        findings, [(p.colour, filaments[p.colour].colour, mesh_view(p.solid)) for p in design.parts]
    )


def lying_view(job: Job, evaluator: Evaluator, name: str) -> LyingView:
    """The bodies of a section as it lies on its bed."""
    kit = evaluator.kit(job)
    unit = next((u for u in kit.units if u.name == name), None) if kit is not None else None
    return LyingView(
        [(p.filament.colour, view_of_mesh(p.mesh)) for p in unit.pieces] if unit is not None else []
    )


def mended_all(job: Job, evaluator: Evaluator, progress: Callable[[float, str], None]) -> MendedAll:
    """A job with every mend that costs nothing."""
    found = mended(job, evaluator, False, progress)
    return MendedAll(found.job, found.done)
