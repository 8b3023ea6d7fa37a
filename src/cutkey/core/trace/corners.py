"""Sharp corners: two straight runs that meet are extended to their intersection."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]

#: Points either side of a place that are read as its two arms.
ARM = 6
#: Least change of direction that makes a corner.
TURN = math.radians(32)


class Line(NamedTuple):
    """A line fitted by total least squares."""

    centre: Float
    direction: Float
    rms: float


def fit_line(points: Float) -> Line:
    """Total-least-squares line through (N, 2) points."""
    centre = points.mean(0)
    u, v = (points - centre).T
    a, b, c = float(u @ u), float(u @ v), float(v @ v)
    angle = 0.5 * math.atan2(2 * b, a - c)
    least = 0.5 * (a + c) - math.hypot(0.5 * (a - c), b)
    return Line(centre, np.array([math.cos(angle), math.sin(angle)]), math.sqrt(max(least, 0) / len(points)))


def intersect(one: Line, other: Line) -> Float | None:
    """Where two lines meet, None when they are nearly parallel."""
    d0, d1 = one.direction, other.direction
    det = d0[1] * d1[0] - d0[0] * d1[1]
    if abs(det) < 0.2:
        return None
    r = other.centre - one.centre
    return np.asarray(one.centre + d0 * ((d1[0] * r[1] - d1[1] * r[0]) / det))


def sharpen(points: Float, closed: bool) -> tuple[Float, NDArray[np.bool_]]:
    """Put corners back that pixels have rounded off.

    Parameters
    ----------
    points : (N, 2)
        Boundary points about one pixel apart.
    closed : bool

    Returns
    -------
    points : (M, 2)
    corner : (M,) bool
        True at the corners found.
    """
    n = len(points)
    none = np.zeros(n, bool)
    if n < 2 * ARM + 3:
        return points, none
    shift = ARM + 1 if closed else 0
    q = np.concatenate([points[-shift:], points, points[:shift]]) if closed else points
    i = np.arange(ARM + 1, len(q) - ARM - 1)
    before, after = q[i - 1] - q[i - ARM], q[i + ARM] - q[i + 1]
    turn = np.arctan2(after[:, 1], after[:, 0]) - np.arctan2(before[:, 1], before[:, 0])
    turn = np.abs((turn + np.pi) % (2 * np.pi) - np.pi)
    found: dict[int, Float] = {}
    taken: list[int] = []
    for k in np.argsort(-turn):
        if turn[k] < TURN:
            break
        at = int(i[k])
        # Around the seam of a ring the same corner is seen from both ends.
        if any(abs(at - other) < ARM or (closed and n - abs(at - other) < ARM) for other in taken):
            continue
        corner = _corner_at(q, at)
        if corner is not None:
            taken.append(at)
            found[(at - shift) % n] = corner
    if not found:
        return points, none
    keep = np.ones(n, bool)
    for at, corner in found.items():
        near = np.hypot(*(points - corner).T) < 1.6
        near[at] = True
        for step in (1, -1):
            j = at
            while abs(j - at) <= ARM and (closed or 0 <= j < n) and near[j % n]:
                keep[j % n] = False
                j += step
    keep[list(found)] = True
    out = points.copy()
    out[list(found)] = list(found.values())
    flag = none.copy()
    flag[list(found)] = True
    return out[keep], flag[keep]


def _corner_at(q: Float, at: int) -> Float | None:
    best: tuple[float, Float] | None = None
    for s in (-1, 0, 1):
        before, after = q[max(0, at + s - ARM) : at + s - 1], q[at + s + 2 : at + s + ARM + 1]
        if len(before) < 4 or len(after) < 4:
            continue
        one, other = fit_line(before), fit_line(after)
        place = intersect(one, other)
        if place is None or max(one.rms, other.rms) > 0.07 or math.hypot(*(place - q[at])) > 2.5:
            continue
        if best is None or one.rms + other.rms < best[0]:
            best = one.rms + other.rms, place
    return best[1] if best else None
