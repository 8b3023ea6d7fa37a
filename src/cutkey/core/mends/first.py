"""What something else has taken the place of."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class LayFirst(Mend):
    """The graphic is laid before the others, while all of the model is still there."""

    id, label, icon = "lay first", "lay it before the others", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of what was laid after others."""
        p = placement_of(job, finding)
        return p is not None and job.placements[0] != p

    def cost(self, job: Job, finding: Finding) -> str:
        """The others cut into it."""
        return "what lies over it cuts into it, or covers it"

    def apply(self, job: Job, finding: Finding) -> Job:
        """At the beginning."""
        p = placement_of(job, finding)
        return (
            job if p is None else replace(job, placements=(p, *(q for q in job.placements if q.id != p.id)))
        )
