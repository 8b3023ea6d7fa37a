"""A series: every value is used, and used once."""

from __future__ import annotations

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.series import SLOT, takes_series, values_of
from cutkey.core.words import placing as say


def check_series(job: Job) -> list[Finding]:
    """Whether the kits of a series differ."""
    values = values_of(job.series)
    if not values or takes_series(job):
        return []
    return [
        Finding("series", "look at", say.series_without_a_place(SLOT, len(values)), figure=float(len(values)))
    ]


@check(140)
def series_used(c: Context) -> list[Finding]:
    """The job's series."""
    return check_series(c.job)
