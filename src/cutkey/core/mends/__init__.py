"""Mends: what can be done about a finding; a file each.

`kind.Mend` says what each file must give. A finding names its mend; `mend_of` finds it.
"""

from __future__ import annotations

from cutkey.core.kinds import classes_of
from cutkey.core.mends.kind import Mend
from cutkey.core.model.finding import Finding


def all_mends() -> tuple[type[Mend], ...]:
    """Every kind of mend."""
    return classes_of(__name__, Mend)


def mend_of(finding: Finding) -> Mend | None:
    """What would mend a finding, None when nothing here does."""
    return next((kind() for kind in all_mends() if kind.id == finding.mend), None)
