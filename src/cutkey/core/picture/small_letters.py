"""Letters, and the openings in them, among the specks that were taken up."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.picture.specks import Labels

#: A line of text has at least so many letters; so many parts of it are lost.
_LETTERS, _LOST = 4, 2
#: A letter is between so many times as high as the one before it, its middle is at most so far off that one's
#: and the gap between them is at most so wide, in heights of the larger.
_HEIGHTS, _OFF, _GAP = (0.45, 2.2), 0.5, 2.2
#: Marks whose areas differ by less than this, as a share of the mean, are dots and no letters.
_ALIKE = 0.05
#: So much of a letter's outline, or of an opening's, is beside one colour; crumbs beside a line lie between
#: two.
_ON_ONE = 0.8
#: A colour of more pieces is grain, and no text.
_MOST = 3000


class SmallLetters(NamedTuple):
    """Letters or parts of letters that are smaller than the speck limit."""

    letters: int
    lines: int
    least: float  # area of the smallest one, px2


def small_letters(before: Labels, after: Labels) -> SmallLetters | None:
    """Return the letters of lines of text that were taken for specks, or None where there are none.

    Their dots and the openings in them count too.

    Parameters
    ----------
    before, after : ndarray, (H, W), int32
        Numbers of colours before and after specks were taken up.
    """
    lost = before != after
    if not lost.any():
        return None
    pieces = _pieces(lost, before)
    letters, lines, least = 0, 0, np.inf
    for value in np.unique(before).tolist():
        count, _, stats, _ = cv2.connectedComponentsWithStats(
            (before == value).astype(np.uint8), connectivity=8
        )
        if not _LETTERS <= count - 1 <= _MOST:
            continue
        for x0, y0, x1, y1 in _lines(np.asarray(stats[1:], float)):
            mine = (pieces[:, 0] > x0) & (pieces[:, 0] < x1) & (pieces[:, 1] > y0) & (pieces[:, 1] < y1)
            if mine.sum() >= _LOST:
                letters, lines = letters + int(mine.sum()), lines + 1
                least = min(least, float(pieces[mine, 2].min()))
                pieces = pieces[~mine]
    return SmallLetters(letters, lines, least) if letters else None


def _pieces(lost: NDArray[np.bool_], before: Labels) -> NDArray[np.float64]:
    """Middle and area of each lost piece that lies on one colour, (N, 3)."""
    found = [np.zeros((0, 3))]
    colours = int(before.max()) + 1
    for value in np.unique(before[lost]).tolist():
        own = (lost & (before == value)).astype(np.uint8)
        count, piece, stats, middle = cv2.connectedComponentsWithStats(own, connectivity=4)
        beside = np.zeros((count, colours), np.int64)
        for a, b, of in (
            (piece[:, :-1], before[:, 1:], piece[:, 1:]),
            (piece[:, 1:], before[:, :-1], piece[:, :-1]),
            (piece[:-1], before[1:], piece[1:]),
            (piece[1:], before[:-1], piece[:-1]),
        ):
            rim = (a > 0) & (of != a) & (b >= 0)
            np.add.at(beside, (a[rim], b[rim]), 1)
        on_one = beside.max(1) >= _ON_ONE * np.maximum(beside.sum(1), 1)
        on_one[0] = False
        found.append(np.c_[middle[on_one], stats[on_one, cv2.CC_STAT_AREA]])
    return np.concatenate(found)


def _lines(stats: NDArray[np.float64]) -> list[tuple[float, float, float, float]]:
    """Boxes of pieces that stand side by side as the letters of a line do."""
    x, y, w, h, area = stats.T
    left = np.argsort(x, kind="stable").tolist()
    found = []
    while left:
        line = [left.pop(0)]
        for k in list(left):
            last = line[-1]
            tall = max(h[k], h[last])
            if x[k] - x[last] - w[last] > _GAP * tall:
                if x[k] - x[last] - w[last] > _GAP * _HEIGHTS[1] * h[last]:
                    break
                continue
            same = _HEIGHTS[0] <= h[k] / h[last] <= _HEIGHTS[1]
            if same and abs(y[k] + h[k] / 2 - y[last] - h[last] / 2) <= _OFF * tall:
                line.append(k)
                left.remove(k)
        row = np.array(line)
        if len(row) >= _LETTERS and area[row].std() > _ALIKE * area[row].mean():
            found.append(
                (
                    float(x[row].min()),
                    float(y[row].min() - h[row].max() / 2),
                    float((x[row] + w[row]).max()),
                    float((y[row] + h[row]).max()),
                )
            )
    return found
