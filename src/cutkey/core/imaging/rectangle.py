"""The true proportion of a rectangle that was photographed at an angle."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

#: Focal lengths that cameras have, in diagonals of their picture; what lies outside is not told by the
#: corners.
_FOCAL = (0.35, 12.0)
#: Opposite sides whose directions differ by less than this, as a share of the picture, are parallel: no
#: perspective to measure by.
_PARALLEL = 0.02


def true_proportion(corners: Sequence[tuple[float, float]], size: tuple[float, float]) -> float | None:
    """Width over height of the rectangle behind four corners, None when the picture does not tell it.

    Parameters
    ----------
    corners : four (x, y)
        Clockwise from the upper left one, as fractions of the picture.
    size : (width, height)
        Of the picture, px; its middle is taken for where the camera looked.

    References
    ----------
    Z. Zhang, L.-W. He: Whiteboard scanning and image enhancement. Digital Signal Processing 17 (2007)
    414-432, section 3.
    """
    w, h = size
    diagonal = math.hypot(w, h)
    a, b, c, d = (np.array([(x - 0.5) * w / diagonal, (y - 0.5) * h / diagonal, 1.0]) for x, y in corners)
    m1, m2, m3, m4 = a, b, d, c
    below2, below3 = float(np.cross(m2, m4) @ m3), float(np.cross(m3, m4) @ m2)
    if abs(below2) < 1e-12 or abs(below3) < 1e-12:
        return None
    n2 = float(np.cross(m1, m4) @ m3) / below2 * m2 - m1
    n3 = float(np.cross(m1, m4) @ m2) / below3 * m3 - m1
    along, down = float(np.hypot(n2[0], n2[1])), float(np.hypot(n3[0], n3[1]))
    if along < 1e-9 or down < 1e-9:
        return None
    if abs(n2[2]) < _PARALLEL and abs(n3[2]) < _PARALLEL:
        # Seen square on: the sides are what they are.
        return along / down
    if abs(n2[2] * n3[2]) < _PARALLEL**2 / 4:
        return None
    focal2 = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    if not _FOCAL[0] ** 2 < focal2 < _FOCAL[1] ** 2:
        return None
    return float(math.sqrt((along**2 / focal2 + n2[2] ** 2) / (down**2 / focal2 + n3[2] ** 2)))
