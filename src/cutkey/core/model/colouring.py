"""How the colours of a job are printed."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from cutkey.core.fields import length, number

Way = Literal["bodies", "heights"]


class Rung(msgspec.Struct, frozen=True):
    """A change that the maker set: above this height a filament is printed, below it another, mm from the bed."""

    z: Annotated[float, length()]
    filament: str
    under: str = ""


class Cover(msgspec.Struct, frozen=True):
    """Layers that a filament has at least, so that what is under it does not show."""

    filament: str
    layers: Annotated[int, number(1, 50)]


class Colouring(msgspec.Struct, frozen=True):
    """The way of colour, and what the plan by height may do."""

    way: Way = "bodies"
    returns: Annotated[int, number(0, 6)] = 0  # a colour may come back so often
    travel: Annotated[float, length()] = 0.6  # mm that a height may differ from what was asked
    cover: Annotated[int, number(1, 50)] = 2  # layers of a colour at least
    covers: tuple[Cover, ...] = ()  # filaments that need more, or less
    flush: Annotated[float, number(0, 10_000)] = 80.0  # mm3 that are flushed out at a change; the maker's printer says
    rungs: tuple[Rung, ...] = ()  # changes set by hand
    bands: tuple[Rung, ...] = ()  # of a job as it is printed: up to which height which filament, bottom up; never saved

    def cover_of(self, filament: str) -> int:
        """Layers that a filament has at least."""
        return next((c.layers for c in self.covers if c.filament == filament), self.cover)
