"""A floor under what would be cut off."""

from __future__ import annotations

import math

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth
from cutkey.core.units import format_mm


class LeaveFloor(Mend):
    """What is cut through, or nearly, is sunk so deep only that a floor holds everything together."""

    id, label, icon = "leave a floor", "leave a floor under it", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While there is room for a layer above the floor."""
        return self._deep(job, finding) > 0 and self.apply(job, finding) != job

    def cost(self, job: Job, finding: Finding) -> str:
        """Nothing is cut through any more."""
        return f"nothing is cut through or sunk deeper than {format_mm(self._deep(job, finding))} mm any more"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With all that is cut through sunk instead.

        Graphics that lie over one another are cut off together.
        """
        deep = self._deep(job, finding)

        def shallow(d: Depth) -> Depth:
            if d.mode == "through":
                return replace(d, mode="recessed", mm=deep)
            return replace(d, mm=deep) if d.mode in ("recessed", "flush") and d.mm > deep else d

        return replace(
            job,
            placements=tuple(replace(p, depths=tuple(shallow(d) for d in p.depths)) for p in job.placements),
        )

    def _deep(self, job: Job, finding: Finding) -> float:
        """How deep it may be sunk, mm: whole layers."""
        layer = job.printer.layer
        return round(math.floor((finding.room or 0.0) / layer + 1e-6) * layer, 6)
