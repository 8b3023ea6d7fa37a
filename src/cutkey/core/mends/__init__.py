"""Mends: what can be done about a finding; a file each.

`kind.Mend` says what each file must give. A finding names its mend, and another one where there is;
`mends_of` finds them.
"""

from __future__ import annotations

from cutkey.core.kinds import classes_of
from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


def all_mends() -> tuple[type[Mend], ...]:
    """Every kind of mend."""
    return tuple(kind for kind in classes_of(__name__, Mend) if kind.id)


def mends_of(job: Job, finding: Finding) -> list[Mend]:
    """What would mend a finding, the best first; what was placed and stops a kit can be taken off."""
    kinds = {kind.id: kind for kind in all_mends()}
    wanted = [finding.mend, finding.other_mend, *finding.more_mends]
    wanted += ["take off"] if finding.severity == "stop" else []
    mends = [kinds[id]() for id in wanted if id in kinds]
    return [m for m in mends if m.fits(job, finding)]


def mend_of(job: Job, finding: Finding) -> Mend | None:
    """What would mend a finding first of all, None when nothing here does."""
    return next(iter(mends_of(job, finding)), None)
