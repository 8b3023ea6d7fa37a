"""Rebuilding an opened model that crosses itself."""

from __future__ import annotations

from msgspec.structs import replace

from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job, ModelBase


class Rebuild(Mend):
    """The surface is rebuilt where it crosses itself."""

    id, label, icon = "rebuild", "rebuild the surface there", "edit"

    def fits(self, job: Job, finding: Finding) -> bool:
        """Once."""
        return isinstance(job.base, ModelBase) and not job.base.rebuild

    def cost(self, job: Job, finding: Finding) -> str:
        """What it does."""
        return "what the surface covers twice belongs to the model once; what is inside out there goes"

    def apply(self, job: Job, finding: Finding) -> Job:
        """Rebuilt on reading."""
        return replace(job, base=replace(job.base, rebuild=True)) if isinstance(job.base, ModelBase) else job
