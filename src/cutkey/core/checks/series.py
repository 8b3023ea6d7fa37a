"""A series: every value is used, and used once."""

from __future__ import annotations

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.series import SLOT, takes_series, values_of


def check_series(job: Job) -> list[Finding]:
    """Whether the kits of a series differ."""
    values = values_of(job.series)
    if not values or takes_series(job):
        return []
    text = f"no text holds {SLOT}, so the {len(values)} kits of the series are all the same; put {SLOT} where the value is to stand"
    return [Finding("series", "look at", "Series without a place", text, figure=float(len(values)))]


@check(140)
def series_used(c: Context) -> list[Finding]:
    """The job's series."""
    return check_series(c.job)
