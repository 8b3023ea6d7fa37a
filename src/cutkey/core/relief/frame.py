"""The frame of a placed graphic: from graphic coordinates to the model."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from cutkey.core.relief.placement import Placement

if TYPE_CHECKING:
    from cutkey.core.solids.facets import Facet

Float = NDArray[np.float64]


def flat_transform(placement: Placement) -> Float:
    """2 x 3 matrix from graphic mm to face mm (right, up about the face's middle): mirror, then spin, then offset."""
    c, s = math.cos(math.radians(placement.spin)), math.sin(math.radians(placement.spin))
    m = -1.0 if placement.mirror else 1.0
    return np.array([[c * m, -s, placement.offset[0]], [s * m, c, placement.offset[1]]])


def face_to_model(facet: Facet) -> Float:
    """3 x 4 matrix from face coordinates (right, up, out) to model mm."""
    return np.column_stack([facet.right, facet.up, facet.normal, facet.origin])


def model_to_face(facet: Facet) -> Float:
    """The inverse of `face_to_model`."""
    turn = np.stack([facet.right, facet.up, facet.normal])
    return np.c_[turn, -turn @ facet.origin]
