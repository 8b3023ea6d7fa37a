"""Colours that are nowhere flat.

Lines of a few pixels, tips and small signs, where no blend of what is known will do.
"""

from __future__ import annotations

from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import ciede2000, lab_of

#: A channel beyond both pixels on either side by so many levels is an extreme.
BEYOND = 24
#: How far off the pixels on either side lie, px.
SIDES = (2, 1)
#: Half the side of the window in which the two colours of a blend are looked for, px.
AROUND = 2
#: A blend explains a pixel that is no further off than this (RGB distance).
EXPLAINED = 16.0
#: At most so many extremes are looked at.
MOST = 60_000


def extremes(rgb: NDArray[np.uint8], rough: NDArray[np.uint8], beyond: float = BEYOND) -> NDArray[np.int64]:
    """Pixels that lie beyond both their neighbours, in some channel and direction: on a line, at a tip.

    Never on a plain edge.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    rough : ndarray, (H, W), uint8
        Largest difference within 3 x 3.
    beyond : float
        Levels.

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
    for side in SIDES:
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


def thin_colours(
    rgb: NDArray[np.uint8],
    rough: NDArray[np.uint8],
    palette: NDArray[np.float64],
    apart: float,
    least: float,
    most: int,
    beyond: float = BEYOND,
    slack: float = EXPLAINED,
) -> NDArray[np.float64]:
    """Colours of lines and tips that no blend of two colours around them explains.

    The one furthest off first.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    rough : ndarray, (H, W), uint8
        Largest difference within 3 x 3.
    palette : ndarray, (K, 3), float64
        What is known already.
    apart : float
        CIEDE2000 below which two colours are one.
    least : float
        Pixels that a colour must explain.
    most : int
        At most so many colours.
    beyond : float
        Levels by which an extreme stands out.
    slack : float
        How far off a blend may lie, levels.

    Returns
    -------
    ndarray, (N, 3), float64
    """
    found: list[NDArray[np.float64]] = []
    places = extremes(rgb, rough, beyond)
    places = places[:: max(1, len(places) // MOST)]
    if len(places) < least:
        return np.zeros((0, 3))
    yy, xx = np.divmod(places, rgb.shape[1])
    values = rgb[yy, xx].astype(float)
    labs = lab_of(values)
    around = _around(rgb, yy, xx)
    known = np.asarray(palette, float)
    open_ = np.ones(len(places), bool)
    while len(found) < most:
        open_ &= np.min([ciede2000(labs, lab_of(c)) for c in known], axis=0) > apart
        i = np.flatnonzero(open_)
        if len(i) < least:
            break
        explained = _explained(values[i], around[i], known, slack)
        open_[i[explained]] = False
        i = i[~explained]
        if len(i) < least:
            break
        centre = _furthest(values[i], labs[i], known, apart)
        near = ciede2000(labs[i], lab_of(centre)) <= max(apart, 6.0)
        if np.count_nonzero(near) >= least:
            # Where three colours meet a pixel has something of each.
            near[near] = ~_of_three(values[i[near]], around[i[near]], known, slack)
        if np.count_nonzero(near) < least:
            near = ciede2000(labs[i], lab_of(centre)) <= max(apart, 6.0)
            open_[i[near]] = False
            if not near.any():
                break
            continue
        found.append(centre)
        known = np.concatenate([known, centre[None]])
    return _needed(values, labs, around, np.asarray(palette, float), found, least, slack)


def _needed(
    values: NDArray[np.float64],
    labs: NDArray[np.float64],
    around: NDArray[np.float32],
    palette: NDArray[np.float64],
    found: list[NDArray[np.float64]],
    least: float,
    slack: float,
) -> NDArray[np.float64]:
    """Those of some colours that the others, found later, do not explain as blends."""
    kept = list(found)
    for c in found:
        others = np.array([*palette, *(k for k in kept if k is not c)])
        near = np.flatnonzero(ciede2000(labs, lab_of(c)) <= 6.0)
        if np.count_nonzero(~_explained(values[near], around[near], others, slack)) < least:
            kept = [k for k in kept if k is not c]
    return np.array(kept).reshape(-1, 3)


def _around(rgb: NDArray[np.uint8], yy: NDArray[np.int64], xx: NDArray[np.int64]) -> NDArray[np.float32]:
    """Colours of the window round some pixels, (N, side * side, 3)."""
    n = AROUND
    wide = cv2.copyMakeBorder(rgb, n, n, n, n, cv2.BORDER_REPLICATE)
    steps = range(2 * n + 1)
    return np.stack([wide[yy + dy, xx + dx] for dy in steps for dx in steps], 1).astype(np.float32)


def _explained(
    values: NDArray[np.float64], around: NDArray[np.float32], known: NDArray[np.float64], slack: float
) -> NDArray[np.bool_]:
    """Which values are a blend of a known colour that occurs, nearly pure, around them and any other.

    A line may be nowhere pure.
    """
    out = np.zeros(len(values), bool)
    for a in range(len(known)):
        here = (np.abs(around - known[a].astype(np.float32)).max(-1) <= slack).any(1)
        away = values - known[a]
        for b in range(len(known)):
            d = known[b] - known[a]
            t = np.clip(away @ d / max(float(d @ d), 1e-9), 0, 1)
            out |= here & (((away - t[:, None] * d) ** 2).sum(1) <= slack**2)
    return out


def _of_three(
    values: NDArray[np.float64], around: NDArray[np.float32], known: NDArray[np.float64], slack: float
) -> NDArray[np.bool_]:
    """Which values are a blend of three known colours that all occur around them."""
    here = np.stack([(np.abs(around - c.astype(np.float32)).max(-1) <= slack).any(1) for c in known], 1)
    out = np.zeros(len(values), bool)
    for a, b, c in combinations(np.flatnonzero(here.any(0)).tolist(), 3):
        i = np.flatnonzero(here[:, a] & here[:, b] & here[:, c] & ~out)
        if len(i):
            share = np.linalg.lstsq(
                np.stack([known[b] - known[a], known[c] - known[a]], 1), (values[i] - known[a]).T, rcond=None
            )[0]
            share = np.clip(share, 0, 1)
            share /= np.maximum(share.sum(0), 1.0)
            off = known[a] + share.T @ np.stack([known[b] - known[a], known[c] - known[a]]) - values[i]
            out[i] = (off**2).sum(1) <= slack**2
    return out


def _furthest(
    values: NDArray[np.float64], labs: NDArray[np.float64], known: NDArray[np.float64], apart: float
) -> NDArray[np.float64]:
    """The colour most often met among the values that lie furthest from what is known."""
    off = np.min([ciede2000(labs, lab_of(c)) for c in known], axis=0)
    far = off >= min(np.quantile(off, 0.95), np.sort(off)[-min(4, len(off))])
    key = (values[far].astype(np.int64) >> 3) @ np.array([1 << 10, 1 << 5, 1])
    kinds, count = np.unique(key, return_counts=True)
    seed = values[far][key == kinds[np.argmax(count)]].mean(0)
    like = ciede2000(labs[far], lab_of(seed)) <= max(2.0, 0.5 * apart)
    return np.asarray(values[far][like].mean(0)) if like.any() else np.asarray(seed)
