"""The step that squares up the sheet of paper in a photograph."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import U8, Float
from cutkey.core.imaging.rectangle import true_proportion
from cutkey.core.imaging.sheet import find_sheet
from cutkey.core.picture.labels import spread
from cutkey.core.steps.square import Square

#: Sheets that are known, mm: ISO 216 (A4; A5 has its proportion), ANSI/ASME Y14.1 (Letter), ISO/IEC 7810 ID-1
#: (card).
SHEETS = {"A4": (210.0, 297.0), "Letter": (215.9, 279.4), "card": (85.6, 53.98)}
#: A sheet is a known one when its proportion is that to this share.
_LIKE = 0.02
#: So far inside of the sheet's edges it is cut off, as a share of its width and height.
_INSET = 0.01
#: In a photograph no more than this is flat to the last level.
_FLAT = 0.5


class Squaring(NamedTuple):
    """A sheet that was found, and how it is squared up."""

    step: Square
    sheet: str  # its name, "" when it is none that is known
    size_mm: tuple[float, float] | None  # of what is left of it, as it lies in the picture, width and height
    seen: float  # share of its sides that can be seen


def find_squaring(rgb: U8) -> Squaring | None:
    """Return how the sheet in a photograph is squared up, or None where there is none.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    if float(np.mean(spread(rgb) == 0)) > _FLAT:
        return None
    found = find_sheet(rgb)
    if found is None:
        return None
    inner = _inset(found.corners * rgb.shape[1::-1]) / rgb.shape[1::-1]
    a, b, c, d = ((round(float(x), 5), round(float(y), 5)) for x, y in inner)
    proportion = true_proportion((a, b, c, d), (rgb.shape[1], rgb.shape[0]))
    if proportion is None:
        return Squaring(Square((a, b, c, d)), "", None, found.seen)
    for name, (w, h) in SHEETS.items():
        for size in ((w, h), (h, w)):
            if abs(math.log(proportion * size[1] / size[0])) < _LIKE:
                step = Square((a, b, c, d), round(size[0] / size[1], 4))
                seen_mm = size[0] * (1 - 2 * _INSET), size[1] * (1 - 2 * _INSET)
                return Squaring(step, name, seen_mm, found.seen)
    return Squaring(Square((a, b, c, d)), "", None, found.seen)


def _inset(corners: Float) -> Float:
    """Corners a little inside of the sheet's: its edge is no part of the drawing."""
    whole = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    to = cv2.getPerspectiveTransform(whole, corners.astype(np.float32))
    inside = (whole * (1 - 2 * _INSET) + _INSET)[None]
    return np.asarray(cv2.perspectiveTransform(inside, to)[0], float)
