"""Giving what a nozzle cannot draw to what lies beside it."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of
from cutkey.core.model.edits import change_graphic
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.table_edits import JoinNarrow
from cutkey.core.units import format_mm


class JoinThin(Mend):
    """Strokes of a graphic that are narrower than a line join the colour beside them."""

    id, label, icon = "join narrow", "as printable", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While it was not done yet."""
        p = placement_of(job, finding)
        done = job.graphic(p.graphic).edits if p is not None else ()
        return p is not None and not any(isinstance(e, JoinNarrow) and not e.at and e.line >= job.printer.line for e in done)

    def cost(self, job: Job, finding: Finding) -> str:
        """What is seen no more."""
        return f"what is narrower than {format_mm(job.printer.line, 2)} mm joins the colour beside it, or goes"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With one more edit of the graphic."""
        p = placement_of(job, finding)
        if p is None:
            return job
        spec = job.graphic(p.graphic)
        return change_graphic(job, replace(spec, edits=(*spec.edits, JoinNarrow(line=job.printer.line))))
