"""Lettering that reads the wrong way round."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend, placement_of, with_placement
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class TurnOver(Mend):
    """The graphic is mirrored where it lies."""

    id, label, icon = "turn over", "mirror it", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of what was placed."""
        return placement_of(job, finding) is not None

    def apply(self, job: Job, finding: Finding) -> Job:
        """Mirrored."""
        p = placement_of(job, finding)
        return job if p is None else with_placement(job, replace(p, mirror=not p.mirror))


class OneCopy(Mend):
    """A mirrored pair becomes two that read alike."""

    id, label, icon = "two alike", "lay it once", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Of a pair."""
        p = placement_of(job, finding)
        return p is not None and p.copies.kind == "pair"

    def cost(self, job: Job, finding: Finding) -> str:
        """The twin goes."""
        return "the twin on the other side goes; lay the graphic there by itself"

    def apply(self, job: Job, finding: Finding) -> Job:
        """Without its twin."""
        p = placement_of(job, finding)
        return job if p is None else with_placement(job, replace(p, copies=replace(p.copies, kind="one")))
