"""Bringing drawn lines onto the surface that a graphic follows.

Quickly enough to be seen while it is dragged.
"""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.worker.shown import AddOnView, PlacedView


def on_surface(face: PlacedView | AddOnView, xy: Float, above: float) -> Float:
    """Places (N, 3) of points (N, 2) of a face's plane, `above` mm over it.

    Between the places of its grid by proportion.
    """
    if isinstance(face, AddOnView) or face.grid is None:
        return np.asarray(face.origin + xy[:, :1] * face.right + xy[:, 1:] * face.up + face.normal * above)
    g = face.grid
    u = np.interp(xy[:, 0], g.x, np.arange(len(g.x)))
    v = np.interp(xy[:, 1], g.y, np.arange(len(g.y)))
    i, j = np.minimum(u.astype(int), len(g.x) - 2), np.minimum(v.astype(int), len(g.y) - 2)
    s, t = (u - i)[:, None], (v - j)[:, None]
    p = g.places
    low, high = p[j, i] * (1 - s) + p[j, i + 1] * s, p[j + 1, i] * (1 - s) + p[j + 1, i + 1] * s
    return np.asarray(low * (1 - t) + high * t + face.normal * above)
