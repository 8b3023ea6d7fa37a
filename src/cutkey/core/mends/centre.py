"""What was laid beside the model."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class Centre(Mend):
    """The graphic comes back to the middle of its face."""

    id, label, icon = "centre", "to the middle of the face", "fit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of what was moved away from it."""
        p = placement_of(job, finding)
        return p is not None and p.offset != (0.0, 0.0)

    def cost(self, job: Job, finding: Finding) -> str:
        """It leaves its place."""
        return "it moves to the middle of the face"

    def apply(self, job: Job, finding: Finding) -> Job:
        """In the middle."""
        p = placement_of(job, finding)
        return job if p is None else with_placement(job, replace(p, offset=(0.0, 0.0)))
