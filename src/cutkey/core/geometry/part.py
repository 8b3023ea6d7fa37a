"""A part: a solid of one colour."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from cutkey.core.geometry.apart import all_as_one
from cutkey.core.geometry.solid import Solid


class Part(NamedTuple):
    """A solid of one colour; `BODY` is the model's own."""

    colour: str
    solid: Solid


def joined_by_colour(parts: Sequence[Part]) -> list[Part]:
    """One part a colour, in the order in which the colours appear."""
    grouped: dict[str, list[Solid]] = {}
    for part in parts:
        grouped.setdefault(part.colour, []).append(part.solid)
    return [Part(c, all_as_one(s)) for c, s in grouped.items()]
