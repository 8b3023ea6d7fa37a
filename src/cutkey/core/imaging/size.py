"""Pictures made smaller for what a smaller one tells as well."""

from __future__ import annotations

import cv2
import numpy as np

from cutkey.core.geometry.arrays import U8


def at_most(rgb: U8, side: int) -> U8:
    """Return a picture whose longer side has at most so many pixels: itself when it is that small already.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    side : int
        px.
    """
    scale = side / max(rgb.shape[:2])
    if scale >= 1:
        return rgb
    return np.asarray(cv2.resize(rgb, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.uint8)
