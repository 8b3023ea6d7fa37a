"""Sub-pixel place of a boundary, read from the anti-aliasing across it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]
Int = NDArray[np.int64]


def crack_offsets(
    pixels: NDArray[np.float32], labels: NDArray[np.int32], palette: NDArray[np.float32], y: Int, x: Int, dy: int, dx: int
) -> Float:
    """How far each crack lies from its lattice place, along its normal.

    Across the crack the blend of the two colours is summed pixel by pixel on either side; for a straight edge that sum is
    exactly the displacement of the edge.

    Parameters
    ----------
    pixels : (H, W, 3)
    labels : (H, W)
    palette : (N, 3)
    y, x : (C,)
        The pixel before each crack; the one after it is ``(y + dy, x + dx)``.

    Returns
    -------
    ndarray, (C,)
        Displacement in px towards ``(dy, dx)``, at most 1.5 either way.
    """
    a, b = labels[y, x], labels[y + dy, x + dx]
    d = palette[b] - palette[a]
    dd = np.maximum((d * d).sum(-1), 1)
    base = palette[a]

    def reach(y0: Int, x0: Int, sy: int, sx: int, own: NDArray[np.int32], away: bool) -> Float:
        h, w = labels.shape
        total = np.zeros(len(y0))
        alive = np.ones(len(y0), bool)
        before = np.full(len(y0), 2.0)
        for k in range(3):
            yy, xx = y0 + k * sy, x0 + k * sx
            inside = (yy >= 0) & (yy < h) & (xx >= 0) & (xx < w)
            yc, xc = np.clip(yy, 0, h - 1), np.clip(xx, 0, w - 1)
            t = np.clip(((pixels[yc, xc] - base) * d).sum(-1) / dd, 0, 1)
            share = t if away else 1 - t
            alive = alive & inside & (labels[yc, xc] == own) & (share <= before + 0.02)
            share = np.where(share < 0.012, 0, share)
            total += np.where(alive, share, 0)
            alive, before = alive & (share > 0), share
        return total

    towards = reach(y + dy, x + dx, dy, dx, b, away=False)
    back = reach(y, x, -dy, -dx, a, away=True)
    return np.clip(towards - back, -1.5, 1.5)
