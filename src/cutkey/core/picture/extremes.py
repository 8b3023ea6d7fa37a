"""Pixels in the middle of lines and at tips: beyond what lies on either side of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: A channel beyond both pixels on either side by so many levels is an extreme.
BEYOND = 24
#: How far off the pixels on either side lie, px, for lines of up to 3 px.
THIN = (2, 1)


def extremes(
    rgb: NDArray[np.uint8],
    rough: NDArray[np.uint8],
    beyond: float = BEYOND,
    sides: tuple[int, ...] = THIN,
) -> NDArray[np.int64]:
    """Pixels that lie beyond both their neighbours, in some channel and direction: on a line, at a tip.

    Never on a plain edge.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    rough : ndarray, (H, W), uint8
        Largest difference within 3 x 3.
    beyond : float
        Levels.
    sides : tuple of int
        How far off the pixels on either side lie, px.

    Returns
    -------
    ndarray, (N,), int64
        Places in the picture read row by row.
    """
    h, w = rough.shape
    places = np.flatnonzero(rough > beyond)
    flat = rgb.reshape(-1, 3)
    yy, xx = np.divmod(places, w)
    here = flat.take(places, 0).astype(np.int16)
    out = np.zeros(len(places), bool)
    for side in sides:
        up, down = np.maximum(yy - side, 0) * w, np.minimum(yy + side, h - 1) * w
        left, right = np.maximum(xx - side, 0), np.minimum(xx + side, w - 1)
        for i, j in (
            (yy * w + left, yy * w + right),
            (up + xx, down + xx),
            (up + left, down + right),
            (up + right, down + left),
        ):
            one, other = flat.take(i, 0).astype(np.int16), flat.take(j, 0).astype(np.int16)
            past = np.maximum(here - np.maximum(one, other), np.minimum(one, other) - here)
            out |= np.maximum(np.maximum(past[:, 0], past[:, 1]), past[:, 2]) > beyond
    return places[out]


def ridges(rgb: NDArray[np.uint8], places: NDArray[np.int64]) -> NDArray[np.int64]:
    """Those of the extremes that go at least as far as the pixels next to them on either side.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    places : ndarray, (N,), int64
        What `extremes` has found.

    Returns
    -------
    ndarray, (M,), int64
    """
    h, w = rgb.shape[:2]
    flat = rgb.reshape(-1, 3)
    yy, xx = np.divmod(places, w)
    here = flat.take(places, 0).astype(np.int16)
    up, down = np.maximum(yy - 1, 0) * w, np.minimum(yy + 1, h - 1) * w
    left, right = np.maximum(xx - 1, 0), np.minimum(xx + 1, w - 1)
    out = np.zeros(len(places), bool)
    for i, j in ((yy * w + left, yy * w + right), (up + xx, down + xx)):
        one, other = (here - flat.take(k, 0).astype(np.int16) for k in (i, j))
        # Along a line pixels hardly differ; across it they do.
        across = np.abs(one + other) > 2 * BEYOND
        out |= (across & (one * other >= 0)).any(1)
    return places[out]
