"""A colour that cannot be told from what surrounds it."""

from __future__ import annotations

from typing import ClassVar

from cutkey.core.colour.names import nearest_filament
from cutkey.core.mends.kind import Mend, placement_of, with_placement
from cutkey.core.model.edits import assign, set_depth
from cutkey.core.model.filament import BODY
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth, DepthMode
from cutkey.core.units import format_mm


class AnotherFilament(Mend):
    """Of the filaments that are left the one that comes nearest to the colour."""

    id, label, icon = "another filament", "print it in another filament", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While there is another."""
        return bool(_others(job, finding.colour))

    def cost(self, job: Job, finding: Finding) -> str:
        """Which it is."""
        return f"printed in {self._chosen(job, finding)}" if self.fits(job, finding) else ""

    def apply(self, job: Job, finding: Finding) -> Job:
        """In that filament."""
        return assign(job, finding.colour, self._chosen(job, finding)) if self.fits(job, finding) else job

    def _chosen(self, job: Job, finding: Finding) -> str:
        others = _others(job, finding.colour)
        left = tuple(f for f in job.rack if f.name in others)
        return left[nearest_filament(finding.colour, left)[0]].name


class _Depth(Mend):
    """The colour stands out of its face, or sinks into it."""

    mode: ClassVar[DepthMode] = "raised"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While it does not yet."""
        p = placement_of(job, finding)
        return p is not None and p.depth_of(finding.colour).mode != self.mode

    def cost(self, job: Job, finding: Finding) -> str:
        """How far."""
        p = placement_of(job, finding)
        return "" if p is None else f"{self.mode} {format_mm(self._mm(job, p.depth_of(finding.colour)))} mm"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With the other depth."""
        p = placement_of(job, finding)
        if p is None:
            return job
        mm = self._mm(job, p.depth_of(finding.colour))
        return with_placement(job, set_depth(p, Depth(self.mode, mm, finding.colour)))

    def _mm(self, job: Job, old: Depth) -> float:
        return old.mm if old.mm > 0 else round(2 * job.printer.layer, 3)


class Raise(_Depth):
    """Raised over its face."""

    id, label, icon, mode = "raise", "raise it", "edit", "raised"


class Recess(_Depth):
    """Sunk into its face."""

    id, label, icon, mode = "recess", "sink it in", "edit", "recessed"


def _others(job: Job, colour: str) -> list[str]:
    """Filaments of the rack that are neither the colour's own nor the model's."""
    if not job.rack:
        return []
    own = job.assigned(colour) or job.rack[nearest_filament(colour, job.rack)[0]].name
    body = job.assigned(BODY) or job.rack[-1].name
    return [f.name for f in job.rack if f.name not in (own, body)]
