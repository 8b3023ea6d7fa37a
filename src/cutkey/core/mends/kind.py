"""What a mend is."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Placement


class Mend:
    """A way to mend a finding. Each kind is a file of this folder with one subclass."""

    #: What findings call it, what its button says, and the command of the window that does it, "" for one
    #: that is an edit.
    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    icon: ClassVar[str] = ""
    command: ClassVar[str] = ""
    #: Mends of a higher rank are tried after all others: what the design is in the end is cut, nothing is
    #: taken off that can stay.
    rank: ClassVar[int] = 0

    def fits(self, job: Job, finding: Finding) -> bool:
        """Whether it can be done."""
        return True

    def cost(self, job: Job, finding: Finding) -> str:
        """What it changes besides, in words; "" for nothing."""
        return ""

    def apply(self, job: Job, finding: Finding) -> Job:
        """The job with the mend."""
        return job


def placement_of(job: Job, finding: Finding) -> Placement | None:
    """What a finding is of, None when it is gone or of nothing that was placed."""
    return next((p for p in job.placements if p.id == finding.of), None)


def with_placement(job: Job, placement: Placement) -> Job:
    """Put a changed placement in the place of the one with its id."""
    return replace(job, placements=tuple(placement if p.id == placement.id else p for p in job.placements))
