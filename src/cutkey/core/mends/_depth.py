"""Mends that give a colour of a graphic another depth."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, Placement


class OtherDepth(Mend):
    """Another depth of the colour that a finding is of, by its figure and its limit."""

    def depth(self, job: Job, finding: Finding, placement: Placement, off: float) -> Depth:
        """The other depth.

        Parameters
        ----------
        job : Job
        finding : Finding
        placement : Placement
            What it is of.
        off : float
            How far its figure lies below its limit, mm.
        """
        raise NotImplementedError

    def fits(self, job: Job, finding: Finding) -> bool:
        """While something is left of the depth."""
        found = self.new(job, finding)
        return found is not None and found[1].mm > 1e-6

    def apply(self, job: Job, finding: Finding) -> Job:
        """With the other depth."""
        found = self.new(job, finding)
        if found is None:
            return job
        placement, depth = found
        rest = tuple(d for d in placement.depths if d.colour != finding.colour)
        return with_placement(job, replace(placement, depths=(*rest, replace(depth, colour=finding.colour))))

    def new(self, job: Job, finding: Finding) -> tuple[Placement, Depth] | None:
        """What it is of, and the other depth; None when it is gone."""
        placement = placement_of(job, finding)
        if placement is None or finding.figure is None or finding.limit is None:
            return None
        return placement, self.depth(job, finding, placement, finding.limit - finding.figure)
