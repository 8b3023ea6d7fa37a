"""Depths that end on a layer."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends._depth import OtherDepth
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, Placement


class OnLayers(OtherDepth):
    """The depth that comes out is the depth that is asked for."""

    id, label, icon = "on layers", "end on the layer", "layers"

    def depth(self, job: Job, finding: Finding, placement: Placement, off: float) -> Depth:
        """So that it ends on the nearest layer."""
        old = placement.depth_of(finding.colour)
        # A raised top goes up with its depth, a floor down; on a face that looks down, or printed so, it is
        # turned round.
        way = (
            (1 if old.mode == "raised" else -1)
            * (1 if placement.normal[2] > 0 else -1)
            * (-1 if job.colouring.face_down else 1)
        )
        return replace(old, mm=round(old.mm + way * off, 4))
