"""Where in a print something was found."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from cutkey.core.model.accepted import Accepted, settle
from cutkey.core.model.finding import RANK, Finding


class Told(NamedTuple):
    """A finding, and where in the print it is."""

    finding: Finding
    bed: int = 1
    first: int = 1  # layers
    last: int = 1
    worst: int = 0  # the layer in which it is to be looked at, 0 for the first

    @property
    def layer(self) -> int:
        """The layer to look at."""
        return self.worst or self.first


def settle_told(found: Sequence[Told], decisions: Sequence[Accepted]) -> list[Told]:
    """What was found with those that were accepted marked, the worst first.

    Parameters
    ----------
    found : sequence of Told
    decisions : sequence of Accepted
    """
    settled = [t._replace(finding=settle([t.finding], decisions)[0]) for t in found]
    return sorted(settled, key=lambda t: RANK[t.finding.severity])
