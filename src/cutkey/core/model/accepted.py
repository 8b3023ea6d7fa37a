"""Findings that the maker has looked at and accepted, each with a reason that is kept and printed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec
from msgspec.structs import replace

from cutkey.core.model.finding import Finding, in_order

#: A figure may get worse by this share of itself before what was accepted is told anew.
_WORSE = 0.05


class Accepted(msgspec.Struct, frozen=True):
    """A decision about a finding: it is told by what it is of, and how far off the figure was then."""

    kind: str
    title: str
    piece: str
    of: str
    colour: str
    off: float  # how far the figure lay from its limit
    reason: str


def _off(finding: Finding) -> float:
    return abs((finding.figure or 0.0) - (finding.limit or 0.0))


def accepted(finding: Finding, reason: str) -> Accepted:
    """The decision to leave a finding as it is."""
    return Accepted(*finding.about, _off(finding), reason)


def covers(decision: Accepted, finding: Finding) -> bool:
    """Whether a decision is about this finding, and the finding no worse than it was then."""
    same = finding.about == (decision.kind, decision.title, decision.piece, decision.of, decision.colour)
    return (
        same
        and finding.severity in ("look at", "accepted")
        and _off(finding) <= (1 + _WORSE) * decision.off + 1e-9
    )


def settle(findings: Iterable[Finding], decisions: Sequence[Accepted]) -> list[Finding]:
    """Findings with those that were accepted marked; what stops a kit is never accepted.

    Parameters
    ----------
    findings : iterable of Finding
    decisions : sequence of Accepted
    """
    out = []
    for f in findings:
        by = next((d for d in decisions if covers(d, f)), None)
        out.append(replace(f, severity="accepted", reason=by.reason) if by is not None else f)
    return in_order(out)
