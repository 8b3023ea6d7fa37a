"""What a job would be with its mends."""

from __future__ import annotations

from collections.abc import Callable

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.model.job import Job
from cutkey.worker.shown_mended import MendedAll, MendedView
from cutkey.worker.views import mesh_view


def mended_view(job: Job, evaluator: Evaluator, progress: Callable[[float, str], None]) -> MendedView | None:
    """Findings and looks of a job that is tried."""
    kit, design = evaluator.kit(job, progress), evaluator.design(job)
    if kit is None or design is None:
        return None
    filaments = evaluator.filaments(job)
    return MendedView(kit.findings, [(p.colour, filaments[p.colour].colour, mesh_view(p.solid)) for p in design.parts])


def mended_all(job: Job, evaluator: Evaluator, progress: Callable[[float, str], None]) -> MendedAll:
    """A job with every mend that costs nothing."""
    found = mended(job, evaluator, False, progress)
    return MendedAll(found.job, found.done)
