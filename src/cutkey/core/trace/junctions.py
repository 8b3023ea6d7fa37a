"""Junctions: where three or more regions meet, placed by the boundaries that run into them."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.trace.corners import fit_lines
from cutkey.core.trace.runs import Runs

#: A junction moves at most this far, px, from its lattice place.
REACH = 2.0
#: The most that the points of a run may stray from the line fitted to them.
_STRAIGHT = 0.15


def settle(runs: Runs, ends: Int, corners: Float, shape: tuple[int, int], pinned: Int) -> Float:
    """Places where the runs begin and end, (K, 2, 2).

    Parameters
    ----------
    runs : Runs
    ends : (K, 2)
        Lattice vertices where each run begins and ends.
    corners : (K, 2, 2)
        Their places on the lattice.
    shape : tuple
        Height and width of the picture; what lies on its border stays on it.
    pinned : (P,)
        Vertices that must not move.
    """
    count = np.diff(runs.first)
    vertex: list[Int] = []
    centre: list[Float] = []
    normal: list[Float] = []
    for end in (0, 1):
        for arm in (6, 4):
            # Long arms where there are enough points, shorter ones otherwise.
            enough = ~runs.closed & (count >= arm + 1) & ((count < 7) if arm == 4 else True)
            k = np.nonzero(enough)[0]
            if len(k) == 0:
                continue
            steps = np.arange(1, arm + 1)
            index = (
                runs.first[:-1][k][:, None] + steps if end == 0 else runs.first[1:][k][:, None] - 1 - steps
            )
            lines = fit_lines(runs.points[index])
            good = lines.rms < _STRAIGHT
            vertex.append(ends[k, end][good])
            centre.append(lines.centre[good])
            normal.append(np.stack([-lines.direction[good, 1], lines.direction[good, 0]], 1))
    which, first, inverse_all = np.unique(ends, return_index=True, return_inverse=True)
    place = corners.reshape(-1, 2)[first]
    if not vertex:
        return corners
    at, c, n = np.concatenate(vertex), np.concatenate(centre), np.concatenate(normal)
    inverse = np.searchsorted(which, at)
    matrix = np.tile(0.02 * np.eye(2), (len(which), 1, 1))
    right = 0.02 * place
    np.add.at(matrix, inverse, np.einsum("ni,nj->nij", n, n))
    np.add.at(right, inverse, n * (n * c).sum(1)[:, None])
    moved = np.linalg.solve(matrix, right[..., None])[..., 0]
    h, w = shape
    edge = np.stack([(place[:, 0] == 0) | (place[:, 0] == w), (place[:, 1] == 0) | (place[:, 1] == h)], 1)
    for free in (0, 1):
        fixed = 1 - free
        on = edge[:, fixed] & ~edge[:, free]
        moved[on, fixed] = place[on, fixed]
        moved[on, free] = (right[on, free] - matrix[on, free, fixed] * place[on, fixed]) / matrix[
            on, free, free
        ]
    stay = edge.all(1) | np.isin(which, pinned) | (np.hypot(*(moved - place).T) > REACH)
    return np.where(stay[:, None], place, moved)[inverse_all.reshape(ends.shape)]
