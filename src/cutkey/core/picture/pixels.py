"""Pixel art: a picture whose pixels are meant as squares, each of a colour of its own."""

from __future__ import annotations

import cv2
import numpy as np

from cutkey.core.colour.difference import ciede2000, lab_of
from cutkey.core.geometry.arrays import U8, Float
from cutkey.core.picture.apply import Prepared
from cutkey.core.picture.asked import joined
from cutkey.core.picture.counts import counted
from cutkey.core.picture.labels import nearest_colour
from cutkey.core.picture.palette import Palette, explained_palette
from cutkey.core.words import reading as say

#: With more colours than this a picture is none of squares.
MOST_COLOURS = 64
#: Largest side of a sprite that is shown as it is, px.
SPRITE = 64
#: Smoothed edges have more colours than this between two of the most frequent ones, so near to the line.
_MOST_BLENDS, _MAIN, _NEAR_WAY = 4, 6, 4.0
#: So many rows and columns must have a step in them.
_LEAST_LINES = 7
#: Levels of a strong step, how many there must be, the share of them that lies on the grid of the squares,
#: and the least side of a blurred square, px.
_STRONG, _LEAST_STEPS, _ON_GRID, _LEAST_SIDE = 32, 40, 0.85, 4
#: So much of the lines between squares has a strong step.
_BUSY = 0.02
#: Squares differ from the picture by no more than this, levels in the mean.
_MOST_OFF = 6.0
#: A row or column off the grid has a boundary of something else when it has more strong steps than this; no
#: more than such a share of them may.
_STRAYS, _MOST_STRAY = 3, 0.08
#: Colours nearer than this (CIEDE2000) are one where a picture was compressed.
_SAME = 6.0
#: The most frequent colours tell; a photograph has hundreds of thousands.
_KINDS = 4096


def by_square(ready: Prepared, rgb: U8) -> tuple[Prepared, U8]:
    """A picture in which each square is several pixels wide, one pixel a square.

    A square that compression has blurred has the colour of its middle.

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
    blurred = min(n, m) < 2
    if blurred:
        n = m = _blurred_block(rgb)
    if min(n, m) < 2 or rgb.shape[1] // n < 2 or rgb.shape[0] // m < 2:
        return ready, rgb
    middle = np.s_[m // 2 :: m, n // 2 :: n]
    alpha, away = (
        None if ready.alpha is None else ready.alpha[middle],
        None if ready.away is None else ready.away[middle],
    )
    small = _middles(rgb, n, m)
    if blurred:
        # What compression has made of one colour becomes one again.
        colours = alike(small.reshape(-1, 3)).astype(np.uint8)
        small = colours[nearest_colour(small, colours)]
    return Prepared(small, alpha, away, np.diag([1 / n, 1 / m, 1.0]) @ ready.to_pixels), small


def is_pixel_art(rgb: U8) -> bool:
    """Return whether a picture is meant square by square: a sprite as it is, or one that is shown larger.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    n, m = _block(rgb)
    if n == m > 1:
        small = np.ascontiguousarray(rgb[n // 2 :: n, n // 2 :: n])
        few = len(counted(small.reshape(-1, 3))[0]) <= MOST_COLOURS
        return few and min(small.shape[:2]) >= 4 and (_lines_used(small) >= _LEAST_LINES or _has_lone(small))
    n = _blurred_block(rgb)
    if n > 1:
        small = _middles(rgb, n, n)
        off = np.abs(np.kron(small, np.ones((n, n, 1), np.uint8)).astype(np.int16) - rgb)
        few = len(alike(small.reshape(-1, 3))) <= MOST_COLOURS
        even = float(off.mean()) <= _MOST_OFF and _off_grid(rgb, n) <= _MOST_STRAY
        return few and even and _lines_stepped(rgb, n) >= _LEAST_LINES
    return max(rgb.shape[:2]) <= SPRITE and _blends(rgb) <= _MOST_BLENDS


def _middles(rgb: U8, n: int, m: int) -> U8:
    """The mean colour of the middle of each square of n x m px."""
    inner = max(1, n // 2), max(1, m // 2)
    soft = cv2.blur(rgb, inner) if min(inner) > 1 else rgb
    return np.ascontiguousarray(soft[m // 2 :: m, n // 2 :: n], np.uint8)


def _lines_used(small: U8) -> int:
    """Fewer of the rows and columns along which something changes: a cross or a stripe has few."""
    wide = small.astype(np.int16)
    across = (np.abs(np.diff(wide, axis=1)).max(2) > _STRONG).any(0)
    along = (np.abs(np.diff(wide, axis=0)).max(2) > _STRONG).any(1)
    return int(min(across.sum(), along.sum()))


def _lines_stepped(rgb: U8, n: int) -> int:
    """Fewer of the rows and columns of a grid along which there are strong steps."""
    return int(min((s[n - 1 :: n] > n / 2).sum() for s in _strong_steps(rgb)))


def _off_grid(rgb: U8, n: int) -> float:
    """Share of the rows and columns off a grid that have strong steps: a disc on a chequered ground."""
    strays = [np.delete(s, np.s_[n - 1 :: n]) > _STRAYS for s in _strong_steps(rgb)]
    return float(np.concatenate(strays).mean())


def _strong_steps(rgb: U8) -> tuple[Float, Float]:
    """How many strong steps of brightness there are from each column to the next, and from each row.

    Compression blurs hue far over a grid, brightness hardly.
    """
    grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.int16)
    return (
        (np.abs(np.diff(grey, axis=1)) > _STRONG).sum(0).astype(float),
        (np.abs(np.diff(grey, axis=0)) > _STRONG).sum(1).astype(float),
    )


def _has_lone(small: U8) -> bool:
    """Whether a square differs from all four beside it, as an eye does: stripes and crosses have none."""
    inner = small[1:-1, 1:-1]
    beside = (small[:-2, 1:-1], small[2:, 1:-1], small[1:-1, :-2], small[1:-1, 2:])
    return bool(np.logical_and.reduce([(inner != s).any(2) for s in beside]).any())


def _blends(rgb: U8) -> int:
    """How many colours lie between two of the most frequent, as along smoothed edges."""
    kinds, _ = counted(rgb.reshape(-1, 3))
    colours = kinds.astype(float)
    main, found = colours[:_MAIN], np.zeros(len(colours), bool)
    for k in range(len(main)):
        for other in main[k + 1 :]:
            way = other - main[k]
            t = (colours - main[k]) @ way / max(float(way @ way), 1e-9)
            off = np.linalg.norm(colours - main[k] - t[:, None] * way, axis=1)
            found |= (off < _NEAR_WAY) & (t > 0.05) & (t < 0.95)
    return int(np.count_nonzero(found))


def _block(layer: U8) -> tuple[int, int]:
    """Width and height of the largest blocks that a picture is made of, px."""
    h, w = layer.shape[:2]
    across = np.gcd.reduce(np.r_[w, 1 + np.flatnonzero((layer[:, 1:] != layer[:, :-1]).any((0, 2)))])
    along = np.gcd.reduce(np.r_[h, 1 + np.flatnonzero((layer[1:] != layer[:-1]).any((1, 2)))])
    return int(across), int(along)


def _blurred_block(rgb: U8) -> int:
    """Side of the squares of pixel art that was compressed, px; 1 where there are none.

    Nearly all strong steps lie on a grid, and on no coarser one.
    """
    h, w = rgb.shape[:2]
    strong = _strong_steps(rgb)
    whole = sum(float(s.sum()) for s in strong)
    if whole < _LEAST_STEPS:
        return 1
    on_grid = {
        n: sum(float(s[n - 1 :: n].sum()) for s in strong) / whole
        for n in range(min(h, w) // 4, _LEAST_SIDE - 1, -1)
        if h % n == 0 and w % n == 0
    }
    best = max(on_grid.values(), default=0.0)
    if best < _ON_GRID:
        return 1
    # The coarsest grid that has as many as any finer one.
    n = next(n for n, share in on_grid.items() if share >= best - 0.01)
    return n if whole >= _BUSY * 2 * h * w / n else 1


def alike(colours: U8) -> Float:
    """Return colours that differ, the most frequent first; those nearer than compression leaves are one.

    Parameters
    ----------
    colours : ndarray, (N, 3), uint8

    Returns
    -------
    ndarray, (K, 3), float64
    """
    kinds = counted(colours)[0][:_KINDS]
    labs = lab_of(kinds.astype(float))
    out: list[int] = []
    for k in range(len(kinds)):
        if not out or float(np.min(ciede2000(labs[out], labs[k]))) > _SAME:
            out.append(k)
            if len(out) > MOST_COLOURS:
                break
    return kinds[out].astype(float)


def exact_palette(rgb: U8, count: int = 0) -> Palette:
    """Every colour that occurs, the most frequent first; of many, or where fewer are asked for, the best.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    count : int
        How many; 0 for all.
    """
    kinds, counts = counted(rgb.reshape(-1, 3))
    colours = kinds.astype(float)
    if len(kinds) > MOST_COLOURS:
        colours = alike(rgb.reshape(-1, 3))
        if len(colours) > MOST_COLOURS:
            return explained_palette(rgb, count)
        near = np.argmin([ciede2000(lab_of(kinds.astype(float)), c) for c in lab_of(colours)], axis=0)
        counts = np.bincount(near, counts, len(colours)).astype(np.int64)
    few = joined(colours, counts / counts.sum(), count) if count else colours
    why = (
        say.every_colour(len(few))
        if len(few) == len(colours)
        else say.some_that_occur(len(few), len(colours))
    )
    return Palette(few.astype(np.uint8), why)
