"""What the window is told of mends."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.worker.shown import MeshView


class MendedView(NamedTuple):
    """A job that is tried."""

    findings: list[Finding]
    parts: list[tuple[str, str, MeshView]]  # colour, filament colour, mesh


class LyingView(NamedTuple):
    """A section as it lies on its bed."""

    parts: list[tuple[str, MeshView]]  # filament colour, mesh


class MendedAll(NamedTuple):
    """A job with every mend that costs nothing."""

    job: Job
    done: tuple[str, ...]  # in words
