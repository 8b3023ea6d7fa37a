"""What was laid by hand and cannot stay so."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class LieAsProposed(Mend):
    """A section lies on the side that is proposed for it."""

    id, label, icon = "lie as proposed", "lay it as proposed", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of a section whose side was chosen."""
        return any(lay.unit == finding.piece for lay in job.lays)

    def apply(self, job: Job, finding: Finding) -> Job:
        """Without the choice."""
        return replace(job, lays=tuple(lay for lay in job.lays if lay.unit != finding.piece))


class LieWhereThereIsRoom(Mend):
    """A piece lies where there is room for it."""

    id, label, icon = "lie elsewhere", "let it lie where there is room", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of a piece that was put somewhere."""
        return any(put.unit == finding.piece for put in job.puts)

    def apply(self, job: Job, finding: Finding) -> Job:
        """Without its place."""
        return replace(job, puts=tuple(put for put in job.puts if put.unit != finding.piece))
