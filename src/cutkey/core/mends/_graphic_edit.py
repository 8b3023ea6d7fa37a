"""Mends that are one more edit of a whole graphic, for a line of the printer."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of
from cutkey.core.model.edits import change_graphic
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.table_edits import JoinNarrow, Widen
from cutkey.core.units import format_mm


class EditForLine(Mend):
    """What is narrower than a line is dealt with by an edit of the graphic."""

    #: The edit, and what it does to what is narrow, `{}` for the width.
    edit: ClassVar[type[JoinNarrow] | type[Widen]]
    does: ClassVar[str] = ""

    def fits(self, job: Job, finding: Finding) -> bool:
        """While it was not done yet."""
        p = placement_of(job, finding)
        done = job.graphic(p.graphic).edits if p is not None else ()
        return p is not None and not any(
            isinstance(e, self.edit) and not e.at and e.line >= job.printer.line for e in done
        )

    def cost(self, job: Job, finding: Finding) -> str:
        """What it does to the graphic."""
        return self.does.format(format_mm(job.printer.line, 2))

    def apply(self, job: Job, finding: Finding) -> Job:
        """With one more edit of the graphic."""
        p = placement_of(job, finding)
        if p is None:
            return job
        spec = job.graphic(p.graphic)
        return change_graphic(job, replace(spec, edits=(*spec.edits, self.edit(line=job.printer.line))))
