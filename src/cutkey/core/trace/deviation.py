"""How far a trace lies from its picture."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.trace.render import render_arcs

#: A piece of boundary lies along rows or columns to this, px, and is a step when it is between these long.
_ALONG, _STEP = 0.02, (0.6, 1.4)


class Deviation(NamedTuple):
    """Distances in px between the trace and the boundary that the picture shows."""

    mean: float
    most95: float  # 95 % of the boundary lie nearer
    most: float
    worst: tuple[float, float]  # place of the largest
    places: NDArray[np.float32]  # (N, 2) along the boundary
    offs: NDArray[np.float32]  # (N,) at each place
    owner: NDArray[np.int64]  # (N,) arc that each place is on
    steps: float = 0.0  # share of the boundary that is a staircase of about a pixel a step


def deviation(
    rgb: NDArray[np.uint8], arcs: list[Float], left: Float, right: Float, inner: NDArray[np.bool_]
) -> Deviation:
    """Compare a picture with what its trace paints.

    Where the trace lies beside the true boundary by d, the pixels across it together miss d times the
    contrast of its two colours; that sum, over 3 x 3 pixels, is read back as a distance. Noise of areas does
    not count, shifts and rounded corners do.

    Parameters
    ----------
    rgb : (H, W, 3) uint8
    arcs, left, right
        As for `render_arcs`.
    inner : (K,) bool
        Arcs to judge; the picture's own border is none.
    """
    h, w = rgb.shape[:2]
    painted = render_arcs(arcs, left, right, (h, w))
    miss = rgb - painted
    points = [q[:-1] + (q[1:] - q[:-1]) / 2 for q, yes in zip(arcs, inner, strict=True) if yes]
    if not points:
        none = np.empty((0, 2), np.float32)
        return Deviation(0.0, 0.0, 0.0, (w / 2, h / 2), none, none[:, 0], np.empty(0, np.int64))
    owner = np.repeat(np.nonzero(inner)[0], [len(p) for p in points])
    length = np.concatenate(
        [np.hypot(*np.diff(q, axis=0).T) for q, yes in zip(arcs, inner, strict=True) if yes]
    )
    at = np.concatenate(points)
    d = np.concatenate([np.diff(q, axis=0) for q, yes in zip(arcs, inner, strict=True) if yes])
    stairs = float(length[_stairs(d, length, owner)].sum() / max(float(length.sum()), 1e-9))
    # About one place a pixel: long straight edges get several.
    n = np.maximum(1, np.round(length)).astype(np.int64)
    k = np.repeat(np.arange(len(at)), n)
    s = (np.arange(len(k)) - np.repeat(np.cumsum(n) - n, n) + 0.5) / n[k] - 0.5
    at, owner, weight = at[k] + d[k] * s[:, None], owner[k], (length / n)[k]
    # Only pixels near a boundary of this contrast count, and only what lies along its two colours.
    box = cv2.boxFilter(miss, -1, (3, 3), normalize=False, borderType=cv2.BORDER_REPLICATE)
    x, y = np.clip(at[:, 0].astype(int), 0, w - 1), np.clip(at[:, 1].astype(int), 0, h - 1)
    jump = (left - right)[owner]
    contrast = np.maximum(np.sqrt((jump**2).sum(1)), 1.0)
    off = np.abs((box[y, x] * jump).sum(1)) / contrast**2 / 3
    order = np.argsort(off)
    run = np.cumsum(weight[order])
    at95 = order[np.searchsorted(run, 0.95 * run[-1])] if run[-1] > 0 else order[-1]
    worst = order[-1]
    return Deviation(
        float((off * weight).sum() / max(weight.sum(), 1e-9)),
        float(off[at95]),
        float(off[worst]),
        (float(at[worst, 0]), float(at[worst, 1])),
        at.astype(np.float32),
        off.astype(np.float32),
        owner,
        stairs,
    )


def _stairs(d: Float, length: Float, owner: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which pieces of boundaries go along a row or a column for about a pixel, and then along the other."""
    flat = np.abs(d) < _ALONG
    along = np.where(flat.any(1) & (length > _STEP[0]) & (length < _STEP[1]), flat.argmax(1), -1)
    turns = (along[:-1] >= 0) & (along[1:] == 1 - along[:-1]) & (owner[:-1] == owner[1:])
    return np.asarray(np.r_[turns, False] | np.r_[False, turns])
