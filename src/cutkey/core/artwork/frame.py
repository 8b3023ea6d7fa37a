"""The frame of a graphic: where its millimetres lie on its picture or drawing."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.graphic import Box
from cutkey.core.model.frame import Frame


def frame_of(width_mm: float, box: Box, to_pixels: Float | None = None) -> Frame:
    """The frame of a graphic whose box in px (left, top, right, bottom) is made so wide.

    Parameters
    ----------
    to_pixels : (3, 3), optional
        From fractions of the opened picture to px of the prepared one; a drawing has none. Where it squares
        up a picture it is taken as it is about the middle of the box.
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
