"""Made bodies as they came out: edges that were clamped, and what else their kind looks at."""

from __future__ import annotations

from cutkey.core.bodies._edges import edge_taken
from cutkey.core.bodies.kind import MadeBody, Remark
from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.words import building as say


def check_made(base: object, solid: Solid) -> list[Finding]:
    """Findings on a made body; none on an opened model.

    Parameters
    ----------
    base : a base of the job, or None
    solid : Manifold
        The body as it came out.
    """
    if not isinstance(base, MadeBody):
        return []
    low, high = bounds_of(solid)
    place = (float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2, float(high[2]))
    remarks = base.remarks(solid)
    taken = edge_taken(base)
    if taken is not None and taken[1] < taken[0] - 1e-9:
        says = say.edge_made_smaller(taken[0], taken[2], taken[1])
        remarks.insert(0, Remark(says, round(taken[1], 3), taken[0]))
    return [Finding("made", "look at", r.says, "", r.figure, r.limit, "mm", place, "show") for r in remarks]


@check(120)
def made_as_asked(c: Context) -> list[Finding]:
    """A made body is what was asked for."""
    return check_made(c.job.base, c.body.solid)
