"""Strokes of a colour that looks like a blend of two others: grey lines beside black ones, on white.

Where a stroke only looks grey because it is narrower than a pixel, how grey it is changes along it as it
crosses the rows and columns of pixels. A stroke that *is* grey keeps its colour in its middle.
"""

from __future__ import annotations

from itertools import combinations, pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import F32, U8, Bool

#: A piece of a stroke is told from so many pixels of its middle on; so much of them must be alike.
_LONG, _ALIKE = 12, 0.6
#: A straight piece is narrower than this, px; along rows, columns and diagonals, by so many degrees, the
#: pixels lie across it in the same way everywhere, so that nothing is told.
_STRAIGHT, _SAME_WAY = 3.0, 4.0
#: Levels within which colours of the middle are alike, in a clean picture and in one that is not.
_CLEAN, _SCATTERED = 5.0, 16.0
#: Overshoot goes past a colour by less than this share of its step to another, lies within half this
#: window, px, and that beside so much of a stroke.
_PAST, _NEAR, _RIMS = 1.5, 11, 0.4
#: A stroke of two pixels covers the one in its middle but for so much of it; one of one pixel leaves up to a
#: half of it.
_COVERED = 0.08


class _Piece(NamedTuple):
    colour: NDArray[np.float64]
    pixels: int
    like: float  # levels within which it is told
    bent: bool  # so that it crosses the pixels at many slopes


def plateaus(
    rgb: U8, extreme: Bool, flat: NDArray[np.float64], known: NDArray[np.float64], scattered: bool
) -> list[tuple[NDArray[np.float64], int]]:
    """Return colours that strokes keep along their middle, and how many pixels each has.

    The most frequent first.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    extreme : ndarray, (H, W), bool
        Pixels of lines and tips (`extremes`).
    flat : ndarray, (N, 3), float64
        Colours of flat places.
    known : ndarray, (K, 3), float64
        These and colours of lines that are known.
    scattered : bool
        The picture was sharpened or compressed.

    Returns
    -------
    list of (ndarray, (3,), float64), int
    """
    # And one more on every side, so that the middle of a line is told.
    asked = cv2.dilate(extreme.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    away = _away(rgb, flat, asked)
    like = np.maximum(_SCATTERED if scattered else _CLEAN, _COVERED * away)
    middle = extreme & (away >= cv2.dilate(away, np.ones((3, 3), np.uint8)) - like)
    of_known = (asked & (_away(rgb, known[len(flat) :], asked) < 2 * like)).astype(np.uint8)
    middle &= (cv2.dilate(of_known, np.ones((3, 3), np.uint8)) == 0) & (away > 3 * like)
    joined = cv2.dilate(middle.astype(np.uint8), np.ones((3, 3), np.uint8))
    count, number = cv2.connectedComponents(joined, connectivity=8)
    yy, xx = np.nonzero(middle)
    of = number[yy, xx]
    order = np.argsort(of, kind="stable")
    ends = np.searchsorted(of[order], np.arange(1, count + 1))
    out: list[_Piece] = []
    for a, b in pairwise(ends):
        if b - a < _LONG:
            continue
        i = order[a:b]
        values = rgb[yy[i], xx[i]].astype(float)
        colour = np.median(values, axis=0)
        near = float(np.median(like[yy[i], xx[i]]))
        alike = np.abs(values - colour).max(1) <= near
        told = alike.mean() >= _ALIKE and _crosses(*_lies(xx[i[alike]], yy[i[alike]]))
        # Any other is found without regard to strokes.
        if not told or not is_blend(colour, known, max(near, _SCATTERED)):
            continue
        past = _beyond(colour, known)
        # The rims of a stroke that was sharpened go past its middle.
        if not len(past) or _beside(rgb, past, near)[yy[i], xx[i]].mean() < _RIMS:
            # Where the stroke covers most of a pixel it shows most of its colour.
            most = np.argsort(-away[yy[i[alike]], xx[i[alike]]])[: max(1, int(alike.sum()) // 3)]
            bent = _lies(xx[i], yy[i])[1] > 2 * _STRAIGHT
            out.append(_Piece(np.median(values[alike][most], axis=0), int(alike.sum()), near, bent))
    return _grouped(out)


def _away(rgb: U8, colours: NDArray[np.float64], where: Bool) -> F32:
    """How far each pixel is from the nearest of some colours, levels; nothing where it is not asked."""
    values = rgb[where].astype(np.float32)
    least = np.full(len(values), 1e3, np.float32)
    for c in colours.astype(np.float32):
        least = np.minimum(least, np.sqrt(((values - c) ** 2).sum(1)))
    out = np.zeros(rgb.shape[:2], np.float32)
    out[where] = least
    return out


def is_blend(colour: NDArray[np.float64], known: NDArray[np.float64], like: float) -> bool:
    """Return whether a colour lies between two known ones, no further off than so many levels (RGB distance).

    Parameters
    ----------
    colour : ndarray, (3,), float64
    known : ndarray, (K, 3), float64
    like : float
    """
    for a, b in combinations(known, 2):
        way = b - a
        share = float(np.clip((colour - a) @ way / max(float(way @ way), 1e-9), 0, 1))
        if np.linalg.norm(a + share * way - colour) <= like:
            return True
    return False


def _beyond(colour: NDArray[np.float64], known: NDArray[np.float64]) -> NDArray[np.float64]:
    """Those of the known colours that lie past a colour as it is seen from another one."""
    out = []
    for k in known:
        way = colour - known
        long = np.maximum((way**2).sum(1), 1e-9)
        past = ((k - known) * way).sum(1) / long
        off = np.linalg.norm(known + past[:, None] * way - k, axis=1)
        if ((past > 1.02) & (past < _PAST) & (off < _SCATTERED)).any():
            out.append(k)
    return np.array(out).reshape(-1, 3)


def _beside(rgb: U8, colours: NDArray[np.float64], like: float) -> Bool:
    """Where a pixel of some colours is not far."""
    found = [cv2.inRange(rgb, np.ceil(c - like), np.floor(c + like)) for c in colours]
    own = np.max(found, axis=0).astype(np.uint8)
    return np.asarray(cv2.dilate(own, np.ones((_NEAR, _NEAR), np.uint8)) > 0)


def _lies(xx: NDArray[np.int64], yy: NDArray[np.int64]) -> tuple[float, float, float]:
    """How long and how wide a piece is along its main axis, px, and the axis' slope, degrees."""
    at = np.stack([xx, yy], 1) - np.array([xx.mean(), yy.mean()])
    _, _, axes = np.linalg.svd(at, full_matrices=False)
    along, beside = (float(np.ptp(at @ axis)) for axis in axes)
    return along, beside, float(np.degrees(np.arctan2(axes[0][1], axes[0][0])))


def _crosses(along: float, beside: float, slope: float) -> bool:
    """Whether a piece crosses the pixels in more than one way."""
    turn = slope % 45
    return along >= _LONG / 2 and (beside >= _STRAIGHT + 1 or min(turn, 45 - turn) > _SAME_WAY)


def _grouped(pieces: list[_Piece]) -> list[tuple[NDArray[np.float64], int]]:
    """Pieces of one colour together, the longest first."""
    groups: list[list[_Piece]] = []
    for piece in sorted(pieces, key=lambda p: -p.pixels):
        for group in groups:
            if np.abs(group[0].colour - piece.colour).max() <= 2 * piece.like:
                group.append(piece)
                break
        else:
            groups.append([piece])
    # One straight piece alone may look alike all along by its slope.
    sure = [g for g in groups if len(g) > 1 or g[0].bent]
    out = [(g[0].colour, sum(p.pixels for p in g)) for g in sure]
    return sorted(out, key=lambda p: -p[1])
