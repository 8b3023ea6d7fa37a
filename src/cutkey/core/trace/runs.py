"""Runs: the measured boundary points of every chain, laid one after the other."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.trace.lattice import Chains, Lattice
from cutkey.core.trace.offsets import crack_offsets


class Runs(NamedTuple):
    """Points of run ``k`` are ``points[first[k]:first[k + 1]]``, about one pixel apart, in walking order."""

    points: Float  # (N, 2)
    first: Int  # (K + 1,)
    closed: Bool  # (K,)
    run: Int  # (N,) number of the run of each point

    def window(self, at: Int, offsets: Int) -> tuple[Int, Bool]:
        """Indices of the neighbours of points at some offsets, around the seam of closed runs.

        Parameters
        ----------
        at : (N,)
            Indices of the points.
        offsets : (O,)

        Returns
        -------
        index : (N, O)
        inside : (N, O) bool
            False where an open run has no such neighbour (the index is then the run's end).
        """
        run = self.run[at]
        begin, count = self.first[:-1][run], np.diff(self.first)[run]
        index = at[:, None] + offsets
        inside = np.ones(index.shape, bool)
        # Away from the ends of a run nothing needs to be looked up.
        within = at - begin
        i = np.flatnonzero(
            (within + offsets.min() < 0)
            | (within + offsets.max() >= count)
            | (2 * np.abs(offsets).max() >= count)
        )
        begin, count, closed = begin[i, None], count[i, None], self.closed[run[i], None]
        place = within[i, None] + offsets
        inside[i] = np.where(closed, np.abs(offsets) * 2 < count, (place >= 0) & (place < count))
        index[i] = begin + np.where(closed, place % count, np.clip(place, 0, count - 1))
        return index, inside


def measure_runs(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.uint8],
    lattice: Lattice,
    chains: Chains,
    local: NDArray[np.float32] | None = None,
) -> Runs:
    """Measured points of all chains.

    Those along the picture's border get none. For `local` see `crack_offsets`.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    labels : ndarray, (H, W), int32
        Index into the palette, -1 for the background.
    palette : ndarray, (K, 3), uint8
    lattice, chains
        Of the labels.
    """
    middle, sure = _crack_points(rgb, labels, palette, lattice, chains.cracks, local)
    inner = (lattice.left[chains.cracks] >= 0) & (lattice.left[chains.cracks ^ 1] >= 0)
    keep = _across(rgb, palette, lattice, chains.cracks) & inner
    chain = np.repeat(np.arange(len(chains)), np.diff(chains.first))
    enough = np.bincount(chain, keep, len(chains)) >= np.where(chains.closed, 3, 1)
    keep |= ~enough[chain] & inner
    # A single unsure point lies next to a corner. Where most are unsure the boundary is soft, and all are as
    # good as one another.
    at = np.nonzero(keep)[0]
    unsure = ~sure[at]
    soft = np.convolve(unsure, np.ones(7), "same") > 3.5 if len(at) >= 7 else unsure
    keep[at[unsure & ~soft]] = False
    first = np.r_[0, np.cumsum(np.bincount(chain, keep, len(chains)).astype(np.int64))]
    return Runs(middle[keep], first, chains.closed, chain[keep])


def _crack_points(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.uint8],
    lattice: Lattice,
    cracks: Int,
    local: NDArray[np.float32] | None,
) -> tuple[Float, Bool]:
    """Middle of each crack, displaced along its normal to the boundary, and whether that is sure."""
    ids = cracks >> 1
    flat = ids < lattice.horizontal
    x, y = lattice.places(lattice.start[ids * 2]).astype(np.int64).T
    offset, sure = np.zeros(len(ids)), np.ones(len(ids), bool)
    inner = (lattice.left[cracks] >= 0) & (lattice.left[cracks ^ 1] >= 0)
    colours = palette.astype(np.float32)
    for chosen, dy, dx in ((np.nonzero(inner & flat)[0], 1, 0), (np.nonzero(inner & ~flat)[0], 0, 1)):
        if len(chosen):
            offset[chosen], sure[chosen] = crack_offsets(
                rgb, labels, colours, y[chosen] - dy, x[chosen] - dx, dy, dx, local
            )
    return np.where(
        flat[:, None], np.stack([x + 0.5, y + offset], 1), np.stack([x + offset, y + 0.5], 1)
    ), sure


def _across(rgb: NDArray[np.uint8], palette: NDArray[np.uint8], lattice: Lattice, cracks: Int) -> Bool:
    """Cracks that the colour changes across more than along; only those measure the boundary well."""
    ids = cracks >> 1
    flat = ids < lattice.horizontal
    x, y = lattice.places(lattice.start[ids * 2]).astype(np.int64).T
    h, w = rgb.shape[:2]
    d = (
        palette.astype(np.float32)[lattice.left[cracks]]
        - palette.astype(np.float32)[lattice.left[cracks ^ 1]]
    )
    before, after = (
        np.clip(y - flat, 0, h - 1) * w + np.clip(x - ~flat, 0, w - 1),
        np.clip(y, 0, h - 1) * w + np.clip(x, 0, w - 1),
    )
    slopes = []
    for dx, dy in ((1, 0), (0, 1)):
        g = cv2.Sobel(rgb, cv2.CV_16S, dx, dy).reshape(-1, 3)
        slopes.append(
            np.abs(np.einsum("ij,ij->i", (g.take(before, 0) + g.take(after, 0)).astype(np.float32), d))
        )
    return np.asarray(np.where(flat, slopes[1] >= slopes[0], slopes[0] >= slopes[1]))
