"""Depths that end on a layer."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_depth, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, Placement


class OnLayers(Mend):
    """The depth that comes out is the depth that is asked for."""

    id, label, icon = "on layers", "end on the layer", "layers"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While something is left of it."""
        found = self._new(job, finding)
        return found is not None and found[1].mm > 1e-6

    def apply(self, job: Job, finding: Finding) -> Job:
        """With the depth that comes out."""
        found = self._new(job, finding)
        return job if found is None else with_placement(job, with_depth(found[0], finding.colour, found[1]))

    def _new(self, job: Job, finding: Finding) -> tuple[Placement, Depth] | None:
        placement = placement_of(job, finding)
        if placement is None or finding.figure is None or finding.limit is None:
            return None
        old = placement.depth_of(finding.colour)
        # A raised top goes up with its depth, a floor down; on a face that looks down, or printed so, it is turned round.
        way = (1 if old.mode == "raised" else -1) * (1 if placement.normal[2] > 0 else -1) * (-1 if job.colouring.face_down else 1)
        return placement, replace(old, mm=round(old.mm + way * (finding.limit - finding.figure), 4))
