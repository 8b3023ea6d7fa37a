"""Widening what a nozzle cannot draw."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of
from cutkey.core.model.edits import change_graphic
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.table_edits import Widen
from cutkey.core.units import format_mm


class WidenThin(Mend):
    """Strokes of a graphic that are narrower than a line are made as wide as one."""

    id, label, icon = "widen", "widen what is narrow", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While it was not done yet."""
        p = placement_of(job, finding)
        return p is not None and not any(
            isinstance(e, Widen) and not e.at and e.line >= job.printer.line for e in job.graphic(p.graphic).edits
        )

    def cost(self, job: Job, finding: Finding) -> str:
        """What it takes room from."""
        return f"strokes under {format_mm(job.printer.line, 2)} mm grow into what is beside them"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With one more edit of the graphic."""
        p = placement_of(job, finding)
        if p is None:
            return job
        spec = job.graphic(p.graphic)
        return change_graphic(job, replace(spec, edits=(*spec.edits, Widen(line=job.printer.line))))
