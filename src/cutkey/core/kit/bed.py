"""Where things lie on a printer's bed."""

from __future__ import annotations

from typing import NamedTuple

#: Free strip between units on a bed, mm.
GAP = 4.0


class Spot(NamedTuple):
    """A unit on a bed: turned about its own lower corner, then moved; from the bed's corner, mm."""

    unit: int
    load: int
    x: float
    y: float
    angle: float = 0.0  # degrees
    fits: bool = True
    by_hand: bool = False
