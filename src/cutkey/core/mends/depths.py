"""Depths that leave a floor, and depths that hide what is under them."""

from __future__ import annotations

import math

from msgspec.structs import replace

from cutkey.core.mends._depth import OtherDepth
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.units import format_mm


class Thicker(OtherDepth):
    """So thick that it covers what is under it."""

    id, label, icon = "thicker", "make it thick enough", "edit"

    def depth(self, job: Job, finding: Finding, placement: Placement, off: float) -> Depth:
        """So many layers more as are wanting."""
        old, layer = placement.depth_of(finding.colour), job.printer.layer
        return replace(old, mm=round(math.ceil((old.mm + off) / layer - 1e-3) * layer, 6))

    def cost(self, job: Job, finding: Finding) -> str:
        """How deep it is then."""
        return cost_of(self, job, finding)


class Shallower(OtherDepth):
    """So deep that the floor under it holds."""

    id, label, icon = "shallower", "make it less deep", "edit"

    def depth(self, job: Job, finding: Finding, placement: Placement, off: float) -> Depth:
        """So many layers less as the floor wants."""
        old, layer = placement.depth_of(finding.colour), job.printer.layer
        return replace(old, mm=round(math.floor((old.mm - off) / layer + 1e-3) * layer, 6))

    def cost(self, job: Job, finding: Finding) -> str:
        """How deep it is then."""
        return cost_of(self, job, finding)


def cost_of(mend: OtherDepth, job: Job, finding: Finding) -> str:
    """The depth that a mend gives beside the one that there is."""
    found = mend.new(job, finding)
    if found is None:
        return ""
    placement, depth = found
    return (
        f"{depth.mode} {format_mm(depth.mm)} mm instead of {format_mm(placement.depth_of(finding.colour).mm)}"
    )
