"""One finding: what was measured, where, against which limit, and what would mend it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Literal

import msgspec

from cutkey.core.words.kind import Words

Severity = Literal["stop", "look at", "accepted", "sound"]
#: The order in which findings are told.
RANK: dict[Severity, int] = {"stop": 0, "look at": 1, "accepted": 2, "sound": 3}


class Finding(msgspec.Struct, frozen=True):
    """A checked fact.

    "stop" blocks the export, "look at" wants a decision, "accepted" had one, "sound" was checked and holds.
    """

    # watertight, fits bed, colours, bodies, thin, floor, keys, one way, goes together, labels, volume, file
    kind: str
    severity: Severity
    says: Words
    piece: str = ""
    figure: float | None = None
    limit: float | None = None
    unit: str = ""
    place: tuple[float, float, float] | None = None
    mend: str = ""  # the id of what would mend it, "show" when it is to be looked at
    of: str = ""  # the id of what was placed, where it is of one; the section that would better lie otherwise
    colour: str = ""  # of the region, where it is of one
    reason: str = ""  # why the maker accepted it
    other_mend: str = ""  # the id of another way to mend it
    more_mends: tuple[str, ...] = ()  # the ids of further ways
    room: float | None = None  # how deep what it is about may be sunk, mm, where a mend has to know
    # which side of the piece would better be on the bed, outwards in the design
    side: tuple[float, float, float] | None = None

    @property
    def title(self) -> str:
        """What is wrong, in a few words."""
        return self.says.title

    @property
    def text(self) -> str:
        """What was measured and what to do, in one sentence."""
        return self.says.text

    @property
    def about(self) -> tuple[str, str, str, str, str]:
        """What it is about, whatever language is spoken: equal for the same fault of two states of a job."""
        return self.kind, self.says.heading, self.piece, self.of, self.colour

    def row(self) -> dict[str, Any]:
        """Everything of it as it stands in a report.

        Worded, and as the code and the arguments that were worded.
        """
        told: dict[str, Any] = msgspec.to_builtins(self)
        says = told.pop("says")
        words = {"title": self.title, "text": self.text, "code": says["code"], "args": says["args"]}
        return {"kind": told.pop("kind"), "severity": told.pop("severity"), **words, **told}

    @property
    def waits(self) -> bool:
        """Whether something is to be done about it."""
        return self.severity in ("stop", "look at")


def finding_of(row: Mapping[str, Any]) -> Finding:
    """A finding from its row in a report."""
    words = Words(row["code"], row["args"], row["text"], row["title"])
    return msgspec.convert({**row, "says": words}, Finding)


def in_order(findings: Iterable[Finding]) -> list[Finding]:
    """The worst first."""
    return sorted(findings, key=lambda f: RANK[f.severity])


def changes(before: Iterable[Finding], after: Iterable[Finding]) -> tuple[list[Finding], list[Finding]]:
    """Findings that waited before and do so no longer, and those that wait only now.

    Parameters
    ----------
    before, after : iterable of Finding
    """
    old, new = ({f.about: f for f in some if f.waits} for some in (before, after))
    return [f for a, f in old.items() if a not in new], [f for a, f in new.items() if a not in old]


def blocking(findings: list[Finding] | tuple[Finding, ...]) -> bool:
    """Whether any finding forbids the export."""
    return any(f.severity == "stop" for f in findings)
