"""Nothing is lost: what is printed and what is left free for it to fit add up to the design."""

from __future__ import annotations

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.finding import Finding
from cutkey.core.words import building as say

#: Share of the design's volume that may be missing or too much: what rounding does.
SAME = 1e-6


@check(150)
def nothing_lost(c: Context) -> list[Finding]:
    """Pieces and clearances against the design's volume."""
    off = (c.kit.piece_volume + c.kit.clearance_volume - c.design.volume) / c.design.volume
    return [
        Finding(
            "volume", "sound" if abs(off) < SAME else "stop", say.nothing_lost(off), figure=off, limit=SAME
        )
    ]
