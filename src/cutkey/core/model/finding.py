"""One finding: what was measured, where, against which limit, and what would mend it."""

from __future__ import annotations

from typing import Literal

import msgspec

Severity = Literal["stop", "look at", "sound"]


class Finding(msgspec.Struct, frozen=True):
    """A checked fact. "stop" blocks the export, "look at" wants a decision, "sound" was checked and holds."""

    kind: str  # watertight, fits bed, colours, bodies, thin, floor, keys, one way, goes together, labels, volume, file
    severity: Severity
    title: str
    text: str
    piece: str = ""
    figure: float | None = None
    limit: float | None = None
    unit: str = ""
    place: tuple[float, float, float] | None = None
    mend: str = ""  # the id of what would mend it, "show" when it is to be looked at


def blocking(findings: list[Finding] | tuple[Finding, ...]) -> bool:
    """Whether any finding forbids the export."""
    return any(f.severity == "stop" for f in findings)
