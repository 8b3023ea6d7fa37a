"""Where a graphic's millimetres lie on its picture or drawing, so that edits stay on their figure whatever its size and crop."""

from __future__ import annotations

import math
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from cutkey.core.artwork.edits import Edit
from cutkey.core.artwork.graphic import Box

Float = NDArray[np.float64]
#: Fields of edits that are places, ways and lengths in mm.
_PLACES, _WAYS = ("at", "first", "second", "place", "to", "centre"), ("by",)
_LENGTHS = ("mm", "radius", "reach", "width", "height", "size", "spacing", "corner")


class Frame(msgspec.Struct, frozen=True):
    """From mm about a graphic's middle, y up, to fractions of the picture as it was opened (of a drawing: to its own units).

    A place (x, y) lies at ``(a x + b y + e, c x + d y + f)``.
    """

    a: float
    b: float
    c: float
    d: float
    e: float
    f: float

    def matrix(self) -> Float:
        """(3, 3) for column vectors (x, y, 1)."""
        return np.array([[self.a, self.b, self.e], [self.c, self.d, self.f], [0, 0, 1]])


def frame_of(width_mm: float, box: Box, to_pixels: Float | None = None) -> Frame:
    """The frame of a graphic whose box in px (left, top, right, bottom) is made so wide.

    Parameters
    ----------
    to_pixels : (3, 3), optional
        From fractions of the opened picture to px of the prepared one; a drawing has none. Where it squares up a picture it is taken
        as it is about the middle of the box.
    """
    x0, y0, x1, y1 = box
    scale, middle = (x1 - x0) / width_mm, np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    if to_pixels is None:
        return Frame(scale, 0.0, 0.0, -scale, float(middle[0]), float(middle[1]))
    back = np.linalg.inv(to_pixels)

    def fraction(px: Float) -> Float:
        p = back @ np.array([px[0], px[1], 1.0])
        return np.asarray(p[:2] / p[2])

    here = fraction(middle)
    step = (x1 - x0) / 4
    right, down = (fraction(middle + step * np.array(d)) - here for d in ((1.0, 0.0), (0.0, 1.0)))
    right, up = right / step * scale, -down / step * scale
    return Frame(*(float(v) for v in (right[0], up[0], right[1], up[1], here[0], here[1])))


def between(then: Frame, now: Frame) -> Float:
    """(3, 3): from mm of one frame to mm of another."""
    return np.asarray(np.linalg.inv(now.matrix()) @ then.matrix())


def scaling(factor: float) -> Float:
    """(3, 3): about the middle."""
    return np.diag([factor, factor, 1.0])


def carried(edit: Edit, way: Float) -> Edit:
    """An edit with its places, ways and lengths moved along."""
    if np.allclose(way, np.eye(3), atol=1e-9):
        return edit
    size = math.sqrt(abs(float(np.linalg.det(way[:2, :2]))))
    changes: dict[str, Any] = {}
    for field in edit.__struct_fields__:
        value = getattr(edit, field)
        if field in _PLACES:
            changes[field] = _moved(value, way[:2, :2], way[:2, 2])
        elif field in _WAYS:
            changes[field] = _moved(value, way[:2, :2], np.zeros(2))
        elif field in _LENGTHS:
            changes[field] = value * size
    return replace(edit, **changes)


def _moved(value: Any, turn: Float, shift: Float) -> Any:
    if value and isinstance(value[0], tuple):
        return tuple(_moved(v, turn, shift) for v in value)
    if not value:
        return value
    x, y = (float(v) for v in turn @ np.array(value, float) + shift)
    return x, y
