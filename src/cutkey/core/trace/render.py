"""The picture that a traced partition stands for: exact area coverage of every pixel."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float


def render_arcs(arcs: list[Float], left: Float, right: Float, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Paint regions by their boundaries, each pixel by the exact areas of the colours in it.

    Walking along a row, the colour changes at each boundary by the difference of its two sides; summing those
    changes, each weighted by the area to its right, gives every pixel at once.

    Parameters
    ----------
    arcs : list of (N, 2)
        Boundaries, y down; together they enclose the whole picture.
    left, right : (K, C)
        Colour on the left and right of each arc as it is walked, 0 outside the picture.
    shape : tuple
        Height and width.

    Returns
    -------
    ndarray, (H, W, C) float32
    """
    h, w = shape
    owner = np.repeat(np.arange(len(arcs)), [len(a) - 1 for a in arcs])
    a, b = np.concatenate([q[:-1] for q in arcs]), np.concatenate([q[1:] for q in arcs])
    a, b = np.clip(a, 0, [w, h]), np.clip(b, 0, [w, h])
    a, b, owner = _cut(a, b, owner, 1)
    a, b, owner = _cut(a, b, owner, 0)
    middle = (a + b) / 2
    x, y = (
        np.clip(np.floor(middle[:, 0]).astype(np.int64), 0, w - 1),
        np.clip(np.floor(middle[:, 1]).astype(np.int64), 0, h - 1),
    )
    # Walking down (dy > 0) the left side lies east, so going east across the boundary the colour changes from
    # right to left.
    jump = (left - right)[owner] * (b[:, 1] - a[:, 1])[:, None]
    within = (middle[:, 0] - x)[:, None]
    size = h * (w + 1)
    at = y * (w + 1) + x
    out = np.empty((h, w, left.shape[1]), np.float32)
    for c in range(left.shape[1]):
        total = (
            np.bincount(at, jump[:, c] * (1 - within[:, 0]), size)
            + np.bincount(at + 1, jump[:, c] * within[:, 0], size + 1)[:size]
        )
        out[..., c] = np.cumsum(total.reshape(h, w + 1), 1)[:, :w]
    return out


def _cut(a: Float, b: Float, owner: NDArray[np.int64], axis: int) -> tuple[Float, Float, NDArray[np.int64]]:
    """Edges cut where they cross whole numbers along an axis."""
    low, high = np.minimum(a[:, axis], b[:, axis]), np.maximum(a[:, axis], b[:, axis])
    first = np.floor(low).astype(np.int64) + 1
    count = np.maximum(0, np.ceil(high).astype(np.int64) - first)
    parts = count + 1
    k = np.repeat(np.arange(len(a)), parts)
    step = np.arange(len(k)) - np.repeat(np.cumsum(parts) - parts, parts)
    down = (a[:, axis] > b[:, axis])[k]
    span = np.where(high > low, b[:, axis] - a[:, axis], 1.0)
    # The crossings in walking order.
    place = np.where(down, (first + count)[k] - step, first[k] + step - 1)
    t0 = np.where(step == 0, 0.0, (place - a[k, axis]) / span[k])
    after = np.where(down, place - 1, place + 1)
    t1 = np.where(step == count[k], 1.0, (after - a[k, axis]) / span[k])
    d = (b - a)[k]
    return a[k] + d * t0[:, None], a[k] + d * t1[:, None], owner[k]
