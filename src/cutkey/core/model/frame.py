"""Where a graphic's millimetres lie on its picture or drawing.

So edits stay on their figure whatever its size and crop.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import msgspec
from msgspec.structs import replace

from cutkey.core.model.table_edits import Edit

#: Fields of edits that are places, ways and lengths in mm.
_PLACES, _WAYS = ("at", "first", "second", "place", "to", "centre", "through", "last", "curves"), ("by",)
_LENGTHS = ("mm", "radius", "reach", "width", "height", "size", "spacing", "corner")


class Frame(msgspec.Struct, frozen=True):
    """From mm about a graphic's middle, y up, to fractions of the picture as it was opened.

    Of a drawing: to its own units.

    A place (x, y) lies at ``(a x + b y + e, c x + d y + f)``.
    """

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    @property
    def area(self) -> float:
        """By how much areas grow; negative where it mirrors."""
        return self.a * self.d - self.b * self.c

    def of(self, x: float, y: float) -> tuple[float, float]:
        """Where a place lies."""
        return self.a * x + self.b * y + self.e, self.c * x + self.d * y + self.f

    def back(self) -> Frame:
        """The way back."""
        k = self.area
        a, b, c, d = self.d / k, -self.b / k, -self.c / k, self.a / k
        return Frame(a, b, c, d, -(a * self.e + b * self.f), -(c * self.e + d * self.f))

    def then(self, other: Frame) -> Frame:
        """One way, and then another."""
        (e, f), (xa, xc), (xb, xd) = (
            other.of(self.e, self.f),
            other.way(self.a, self.c),
            other.way(self.b, self.d),
        )
        return Frame(xa, xb, xc, xd, e, f)

    def way(self, x: float, y: float) -> tuple[float, float]:
        """Where a way, which has no place, leads."""
        return self.a * x + self.b * y, self.c * x + self.d * y


def between(then: Frame, now: Frame) -> Frame:
    """From mm of one frame to mm of another."""
    return then.then(now.back())


def scaling(factor: float) -> Frame:
    """About the middle."""
    return Frame(factor, 0.0, 0.0, factor)


def carried(edit: Edit, way: Frame) -> Edit:
    """An edit with its places, ways and lengths moved along."""
    same = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    if all(abs(v - w) < 1e-9 for v, w in zip(msgspec.structs.astuple(way), same, strict=True)):
        return edit
    size = math.sqrt(abs(way.area))
    changes: dict[str, Any] = {}
    for field in edit.__struct_fields__:
        value = getattr(edit, field)
        if field in _PLACES:
            changes[field] = _moved(value, way.of)
        elif field in _WAYS:
            changes[field] = _moved(value, way.way)
        elif field in _LENGTHS:
            changes[field] = value * size
    return replace(edit, **changes)


def _moved(value: Any, move: Callable[[float, float], tuple[float, float]]) -> Any:
    if value and isinstance(value[0], tuple):
        return tuple(_moved(v, move) for v in value)
    return move(*value) if value else value
