"""Bridges to what would fall out."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.units import format_mm

#: A bridge is at least so wide, mm, and so many nozzles (common practice, no source).
_LEAST, _NOZZLES = 2.0, 4


class Bridges(Mend):
    """The inner parts of what is cut through are held by bridges."""

    id, label, icon = "bridges", "hold it with bridges", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While there are none yet."""
        p = placement_of(job, finding)
        return p is not None and p.bridges < _wide(job)

    def cost(self, job: Job, finding: Finding) -> str:
        """They are seen."""
        return f"bridges of {format_mm(_wide(job))} mm run across what is cut through"

    def apply(self, job: Job, finding: Finding) -> Job:
        """With bridges."""
        for p in job.placements:
            # What another graphic cuts through belongs to the same hole.
            if p.bridges < _wide(job) and any(d.mode == "through" for d in p.depths):
                job = with_placement(job, replace(p, bridges=_wide(job)))
        return job


def _wide(job: Job) -> float:
    return max(_LEAST, _NOZZLES * job.printer.nozzle)
