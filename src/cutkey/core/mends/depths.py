"""Depths that leave a floor, and depths that hide what is under them."""

from __future__ import annotations

import math

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_depth, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.units import format_mm


class _Deeper(Mend):
    """Another depth of the colour that the finding is of."""

    #: Which way whole layers are rounded.
    way = 1

    def fits(self, job: Job, finding: Finding) -> bool:
        """While something is left of the depth."""
        found = self._new(job, finding)
        return found is not None and found[1].mm > 1e-9

    def cost(self, job: Job, finding: Finding) -> str:
        """How deep it is then."""
        found = self._new(job, finding)
        if found is None:
            return ""
        placement, depth = found
        return f"{depth.mode} {format_mm(depth.mm)} mm instead of {format_mm(placement.depth_of(finding.colour).mm)}"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With the other depth."""
        found = self._new(job, finding)
        return job if found is None else with_placement(job, with_depth(found[0], finding.colour, found[1]))

    def _new(self, job: Job, finding: Finding) -> tuple[Placement, Depth] | None:
        placement = placement_of(job, finding)
        if placement is None or finding.figure is None or finding.limit is None:
            return None
        old, layer = placement.depth_of(finding.colour), job.printer.layer
        layers = (old.mm + self.way * (finding.limit - finding.figure)) / layer
        whole = math.ceil(layers - 1e-3) if self.way > 0 else math.floor(layers + 1e-3)
        return placement, replace(old, mm=round(whole * layer, 6))


class Shallower(_Deeper):
    """So deep that the floor under it holds."""

    id, label, icon, way = "shallower", "make it less deep", "edit", -1


class Thicker(_Deeper):
    """So thick that it covers what is under it."""

    id, label, icon = "thicker", "make it thick enough", "edit"
