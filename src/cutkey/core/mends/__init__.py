"""Mends: what can be done about a finding; a file each.

`kind.Mend` says what each file must give. A finding names its mend; `mend_of` finds it.
"""

from __future__ import annotations

from cutkey.core.kinds import classes_of
from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job


def all_mends() -> tuple[type[Mend], ...]:
    """Every kind of mend."""
    return tuple(kind for kind in classes_of(__name__, Mend) if kind.id)


def mend_of(job: Job, finding: Finding) -> Mend | None:
    """What would mend a finding, None when nothing here does."""
    mend = next((kind() for kind in all_mends() if kind.id == finding.mend), None)
    return mend if mend is not None and mend.fits(job, finding) else None
