"""Colours that cannot be printed as they were meant to."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


class AsBodies(Mend):
    """Every colour becomes a body."""

    id, label, icon = "as bodies", "print colours as bodies", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """While they are something else."""
        return job.colouring.way != "bodies"

    def cost(self, job: Job, finding: Finding) -> str:
        """What it takes."""
        return "the printer changes filament within layers, which wastes more of it"

    def apply(self, job: Job, finding: Finding) -> Job:
        """As bodies."""
        return replace(job, colouring=replace(job.colouring, way="bodies", ways=()))
