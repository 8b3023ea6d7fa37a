"""What would better lie otherwise on its bed."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.lying import Lay


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


class LieOnAnotherSide(Mend):
    """A section lies on a side on which less of it hangs in the air."""

    id, label, icon = "lie otherwise", "lay it on another side", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Where there is such a side."""
        return finding.side is not None and bool(finding.of)

    def cost(self, job: Job, finding: Finding) -> str:
        """Where it lies."""
        return f"{finding.of} is printed another way up, and the beds are laid out anew"

    def apply(self, job: Job, finding: Finding) -> Job:
        """Laid so."""
        if finding.side is None:
            return job
        others = (lay for lay in job.lays if lay.unit != finding.of)
        return replace(job, lays=(*others, Lay(finding.of, finding.side)))
