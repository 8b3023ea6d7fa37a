"""Pixel art: a picture whose pixels are meant as squares, each of a colour of its own."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import U8
from cutkey.core.picture.apply import Prepared
from cutkey.core.picture.asked import joined
from cutkey.core.picture.counts import counted
from cutkey.core.picture.palette import Palette, explained_palette
from cutkey.core.words import reading as say

#: With more colours than this a picture is none of squares.
MOST_COLOURS = 64


def by_square(ready: Prepared, rgb: U8) -> tuple[Prepared, U8]:
    """A picture in which each square is several pixels wide, one pixel a square.

    Parameters
    ----------
    ready : Prepared
        The picture after its steps.
    rgb : ndarray, (H, W, 3), uint8
        The same over its matte.

    Returns
    -------
    (Prepared, ndarray)
        As they were where no larger squares are found.
    """
    layers = [rgb, *([ready.alpha[..., None]] if ready.alpha is not None else [])]
    n, m = np.gcd.reduce([_block(a) for a in layers]).tolist()
    if min(n, m) < 2 or rgb.shape[1] // n < 2 or rgb.shape[0] // m < 2:
        return ready, rgb
    middle = np.s_[m // 2 :: m, n // 2 :: n]
    alpha, away = (
        None if ready.alpha is None else ready.alpha[middle],
        None if ready.away is None else ready.away[middle],
    )
    small = np.ascontiguousarray(rgb[middle])
    return Prepared(small, alpha, away, np.diag([1 / n, 1 / m, 1.0]) @ ready.to_pixels), small


def square_of(rgb: U8) -> int:
    """Pixels that each square of pixel art is wide, where it is one that is shown larger; 1 otherwise.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    n, m = _block(rgb)
    small = rgb[m // 2 :: m, n // 2 :: n]
    art = (
        n == m > 1
        and min(small.shape[:2]) >= 4
        and len(np.unique(small.reshape(-1, 3), axis=0)) <= MOST_COLOURS
    )
    return n if art else 1


def _block(layer: U8) -> tuple[int, int]:
    """Width and height of the largest blocks that a picture is made of, px."""
    h, w = layer.shape[:2]
    across = np.gcd.reduce(np.r_[w, 1 + np.flatnonzero((layer[:, 1:] != layer[:, :-1]).any((0, 2)))])
    along = np.gcd.reduce(np.r_[h, 1 + np.flatnonzero((layer[1:] != layer[:-1]).any((1, 2)))])
    return int(across), int(along)


def exact_palette(rgb: U8, count: int = 0) -> Palette:
    """Every colour that occurs, the most frequent first; of many, or where fewer are asked for, the best.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    count : int
        How many; 0 for all.
    """
    kinds, counts = counted(rgb.reshape(-1, 3))
    if len(kinds) > MOST_COLOURS:
        return explained_palette(rgb, count)
    colours = kinds.astype(float)
    few = joined(colours, counts / counts.sum(), count) if count else colours
    why = (
        say.every_colour(len(few))
        if len(few) == len(colours)
        else say.some_that_occur(len(few), len(colours))
    )
    return Palette(few.astype(np.uint8), why)
