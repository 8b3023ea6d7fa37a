"""Finding the triangles over a point of the plane.

A grid of cells, each with the triangles whose boxes meet it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from cutkey.core.geometry.arrays import Float, Int

#: Cells along the longer side at most.
_MOST = 2000


class TriangleGrid(NamedTuple):
    """Cells of one size in rows; cell ``c`` holds ``members[first[c]:first[c + 1]]``."""

    low: Float  # (2,)
    size: float
    shape: tuple[int, int]  # columns, rows
    first: Int
    members: Int

    def over(self, points: Float) -> tuple[Int, Int]:
        """Pairs of a point (N, 2) and a triangle whose box may hold it, as two arrays of numbers.

        Parameters
        ----------
        points : ndarray, (N, 2), float64
            mm.

        Returns
        -------
        tuple of ndarray, (P,), int64
        """
        cell = np.floor((points - self.low) / self.size)
        columns, rows = self.shape
        inside = np.flatnonzero(
            np.isfinite(cell).all(1) & (cell >= 0).all(1) & (cell[:, 0] < columns) & (cell[:, 1] < rows)
        )
        c = cell[inside].astype(np.int64)
        number = c[:, 1] * columns + c[:, 0]
        count = self.first[number + 1] - self.first[number]
        at = np.repeat(inside, count)
        within = np.arange(len(at)) - np.repeat(np.cumsum(count) - count, count)
        return at, self.members[np.repeat(self.first[number], count) + within]


def grid_of(triangles: Float) -> TriangleGrid:
    """Grid over triangles (T, 3, 2).

    Parameters
    ----------
    triangles : ndarray, (T, 3, 2), float64
        mm.
    """
    low, high = triangles.min(1), triangles.max(1)
    least, most = low.min(0), high.max(0)
    span = np.maximum(most - least, 1e-9)
    # Cells about as large as the boxes: few triangles a cell, few cells a triangle.
    size = float(max(np.median(np.ptp(triangles, axis=1).max(1)), span.max() / _MOST, 1e-9))
    columns, rows = (int(n) + 1 for n in span / size)
    a = np.floor((low - least) / size).astype(np.int64)
    b = np.minimum(np.floor((high - least) / size).astype(np.int64), (columns - 1, rows - 1))
    wide, tall = (b - a + 1).T
    count = wide * tall
    owner = np.repeat(np.arange(len(triangles)), count)
    within = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    number = (a[owner, 1] + within // wide[owner]) * columns + a[owner, 0] + within % wide[owner]
    order = np.argsort(number, kind="stable")
    first = np.r_[0, np.cumsum(np.bincount(number, minlength=columns * rows))]
    return TriangleGrid(least, size, (columns, rows), first, owner[order])
