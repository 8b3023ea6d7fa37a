"""How things lie on the bed, where the maker said it."""

from __future__ import annotations

from typing import Annotated

import msgspec

from cutkey.core.fields import LONG, number


class Lay(msgspec.Struct, frozen=True):
    """Which side of a section is on the bed."""

    unit: str  # its name
    down: tuple[
        Annotated[float, number(-1, 1)], Annotated[float, number(-1, 1)], Annotated[float, number(-1, 1)]
    ]  # out of that side, in the design


class Put(msgspec.Struct, frozen=True):
    """Where a copy of a unit lies, set by hand."""

    unit: str  # its name
    copy: Annotated[int, number(0, 10_000)]  # from 0
    bed: Annotated[int, number(0, 10_000)]  # from 0
    # of its own lower corner, about which it is turned, mm from the bed's corner
    x: Annotated[float, number(-LONG, LONG)]
    y: Annotated[float, number(-LONG, LONG)]
    turn: Annotated[float, number(-360, 360)] = 0.0  # degrees about z
