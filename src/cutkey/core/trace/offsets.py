"""Sub-pixel place of a boundary, read from the anti-aliasing across it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float, Int


def crack_offsets(
    pixels: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.float32],
    y: Int,
    x: Int,
    dy: int,
    dx: int,
    local: NDArray[np.float32] | None = None,
) -> tuple[Float, NDArray[np.bool_]]:
    """How far each crack lies from its lattice place, along its normal.

    Across the crack the blend of the two colours is summed pixel by pixel on either side; for a straight edge
    that sum is exactly the displacement of the edge.

    Parameters
    ----------
    pixels : (H, W, 3)
    labels : (H, W)
    palette : (N, 3)
    local : (H, W, 3), optional
        The colour that each pixel's region has around it, where that is not the palette's, as in shaded
        pictures.
    y, x : (C,)
        The pixel before each crack; the one after it is ``(y + dy, x + dx)``.

    Returns
    -------
    offset : ndarray, (C,)
        Displacement in px towards ``(dy, dx)``, at most 1.5 either way.
    sure : ndarray, (C,) bool
        Whether the blend ends within reach on both sides; next to a corner it may not, and the sum then means
        nothing.
    """
    a, b = labels[y, x], labels[y + dy, x + dx]
    base = palette[a] if local is None else local[y, x]
    d = (palette[b] if local is None else local[y + dy, x + dx]) - base
    h, w = labels.shape
    dd = np.maximum((d * d).sum(-1), 1)
    flat_pixels, flat_labels = pixels.reshape(-1, 3), labels.ravel()

    def reach(
        y0: Int, x0: Int, sy: int, sx: int, own: NDArray[np.int32], away: bool
    ) -> tuple[Float, NDArray[np.bool_]]:
        total = np.zeros(len(y0))
        ended = np.ones(len(y0), bool)
        before = np.full(len(y0), 2.0)
        i = np.arange(len(y0))
        for k in range(3):
            yy, xx = y0[i] + k * sy, x0[i] + k * sx
            at = np.clip(yy, 0, h - 1) * w + np.clip(xx, 0, w - 1)
            t = np.clip(np.einsum("ij,ij->i", flat_pixels.take(at, 0) - base[i], d[i]) / dd[i], 0, 1)
            share = t if away else 1 - t
            goes_on = (
                (yy >= 0)
                & (yy < h)
                & (xx >= 0)
                & (xx < w)
                & (flat_labels.take(at) == own[i])
                & (share <= before[i] + 0.02)
            )
            share[share < 0.012] = 0
            goes_on &= share > 0
            i, share = i[goes_on], share[goes_on]
            total[i] += share
            before[i] = share
        ended[i] = before[i] < 0.04
        return total, ended

    thin, place = _thin(pixels, labels, palette, y, x, dy, dx)
    towards, sure = reach(y + dy, x + dx, dy, dx, b, away=False)
    back, also = reach(y, x, -dy, -dx, a, away=True)
    return np.clip(np.where(thin, place, towards - back), -1.5, 1.5), (sure & also) | thin


def _thin(
    pixels: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.float32],
    y: Int,
    x: Int,
    dy: int,
    dx: int,
) -> tuple[NDArray[np.bool_], Float]:
    """Cracks along strokes and slits of at most three pixels, whose two edges blend into one another."""
    h, w = labels.shape
    thin = np.zeros(len(y), bool)
    place = np.zeros(len(y))
    for sign in (1, -1):
        # From the crack into the stroke: pixel 0 is its first, pixel -1 the last before it.
        near = 1 if sign == 1 else 0
        y0, x0 = y + near * dy, x + near * dx
        own, other = labels[y0, x0], labels[y0 - sign * dy, x0 - sign * dx]
        # Most cracks have a wide region before them; only the others are looked at.
        at = [
            np.clip(y0 + sign * dy * k, 0, h - 1) * w + np.clip(x0 + sign * dx * k, 0, w - 1)
            for k in (1, 2, 3)
        ]
        inner = (np.minimum(y0, y0 + 3 * sign * dy) >= 0) & (np.maximum(y0, y0 + 3 * sign * dy) < h)
        inner &= (np.minimum(x0, x0 + 3 * sign * dx) >= 0) & (np.maximum(x0, x0 + 3 * sign * dx) < w)
        wide = inner & np.all([labels.ravel().take(a) == own for a in at], 0)
        chosen = np.flatnonzero(~wide & ~thin)
        own, other, y0, x0 = own[chosen], other[chosen], y0[chosen], x0[chosen]
        steps = np.arange(-2, 6)
        yy, xx = y0[:, None] + sign * dy * steps, x0[:, None] + sign * dx * steps
        inside = (yy >= 0) & (yy < h) & (xx >= 0) & (xx < w)
        yy, xx = np.clip(yy, 0, h - 1), np.clip(xx, 0, w - 1)
        seen = np.where(inside, labels[yy, xx], -1)
        mine = seen == own[:, None]
        length = np.cumprod(mine[:, 2:], 1).sum(1)
        i = np.nonzero(length <= 3)[0]
        i = i[seen[i, 2 + length[i]] == other[i]]
        if len(i) == 0:
            continue
        base = palette[other[i]]
        d = palette[own[i]] - base
        t = np.clip(
            ((pixels[yy[i], xx[i]] - base[:, None]) * d[:, None]).sum(-1)
            / np.maximum((d * d).sum(-1), 1)[:, None],
            0,
            1,
        )
        # Two pixels outside on either side count, as far as they are the other colour.
        n = length[i][:, None]
        fringe = (seen[i] == other[i][:, None]) & ((steps < 0) | ((steps >= n) & (steps < n + 2)))
        fringe[:, 0] &= fringe[:, 1]
        t = np.where(fringe | ((steps >= 0) & (steps < n)), np.where(t < 0.012, 0, t), 0)
        width = t.sum(1)
        # The pixel edge between the two fullest neighbours lies inside the stroke; what is on either side of
        # it adds up to each edge.
        pair = t[:, 1:] + t[:, :-1]
        cut = pair.argmax(1) + 1
        above = np.where(np.arange(8) < cut[:, None], t, 0).sum(1)
        both = np.minimum(above, width - above) > 0.03
        edge = np.where(
            both, cut - 2 - above, (t * (steps + 0.5)).sum(1) / np.maximum(width, 1e-6) - width / 2
        )
        good = width > 0.3
        k = chosen[i[good]]
        thin[k] = True
        place[k] = sign * edge[good]
    return thin, place
