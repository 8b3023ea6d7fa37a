"""The last way out."""

from __future__ import annotations

from cutkey.core.mends.kind import Mend, placement_of
from cutkey.core.model.edits import remove_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class TakeOff(Mend):
    """What was placed is no longer there; whatever stops a kit because of it is offered this last."""

    id, label, icon = "take off", "take it off", "edit"
    rank = 2

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of what was placed."""
        return placement_of(job, finding) is not None

    def cost(self, job: Job, finding: Finding) -> str:
        """It is gone."""
        placement = placement_of(job, finding)
        return (
            f"{job.graphic(placement.graphic).name} is no longer laid there" if placement is not None else ""
        )

    def apply(self, job: Job, finding: Finding) -> Job:
        """Without it."""
        return remove_placement(job, finding.of)
