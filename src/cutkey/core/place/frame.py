"""The frame of a placed graphic: from graphic coordinates to the model."""

from __future__ import annotations

import math

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.model.placement import Placement


def flat_transform(placement: Placement) -> Float:
    """2 x 3 matrix from graphic mm to face mm (right, up about the face's middle).

    Mirror, then spin, then offset.

    Returns
    -------
    ndarray, (2, 3), float64
    """
    c, s = math.cos(math.radians(placement.spin)), math.sin(math.radians(placement.spin))
    m = -1.0 if placement.mirror else 1.0
    return np.array([[c * m, -s, placement.offset[0]], [s * m, c, placement.offset[1]]])
