"""The boundary of a label map on the pixel lattice: cracks, directed cracks, chains.

A *crack* is the edge between two pixels of different labels (or a pixel and the outside). Each crack is
walked in two directions; a *directed crack* has one pixel on its left and belongs to the ring around that
pixel's 4-connected piece. A *chain* is a run of cracks between vertices where three or more cracks meet, or a
closed run. Everything is done on whole arrays; there is no loop over pixels or cracks. Directions are 0 east,
1 south, 2 west, 3 north; y points down.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from cutkey.core.geometry.arrays import Float, Int


class Lattice(NamedTuple):
    """Directed cracks ``2 c`` (east or south) and ``2 c + 1`` (west or north) of crack ``c``."""

    shape: tuple[int, int]  # H, W of the label map
    horizontal: int  # cracks below this number run east-west
    start: Int  # (2C,) vertex number y * (W + 1) + x
    end: Int  # (2C,)
    direction: Int  # (2C,)
    left: Int  # (2C,) label on the left, -1 outside
    following: Int  # (2C,) next directed crack of the ring on the left
    degree: Int  # (V,) cracks at each vertex

    def places(self, vertices: Int) -> Float:
        """Coordinates of lattice vertices, (..., 2).

        Parameters
        ----------
        vertices : ndarray, (...), int64

        Returns
        -------
        ndarray, (..., 2), float64
            px.
        """
        row = self.shape[1] + 1
        return np.stack([vertices % row, vertices // row], -1).astype(float)


class Chains(NamedTuple):
    """Undirected runs of cracks; chain ``k`` is ``cracks[first[k]:first[k + 1]]`` in walking order."""

    cracks: Int  # directed cracks
    first: Int  # (K + 1,)
    closed: NDArray[np.bool_]  # (K,)

    def __len__(self) -> int:
        return len(self.closed)


def build_lattice(labels: NDArray[np.int32]) -> Lattice:
    """Directed cracks of a label map, each with the one that follows it around its piece.

    Parameters
    ----------
    labels : ndarray, (H, W), int32
    """
    h, w = labels.shape
    p = np.pad(labels, 1, constant_values=-1)
    hy, hx = np.nonzero(p[:-1, 1:-1] != p[1:, 1:-1])
    vy, vx = np.nonzero(p[1:-1, :-1] != p[1:-1, 1:])
    nh, n = len(hy), len(hy) + len(vy)
    row = w + 1
    start = np.empty(2 * n, np.int64)
    start[0 : 2 * nh : 2], start[1 : 2 * nh : 2] = hy * row + hx, hy * row + hx + 1
    start[2 * nh :: 2], start[2 * nh + 1 :: 2] = vy * row + vx, (vy + 1) * row + vx
    direction = np.empty(2 * n, np.int64)
    direction[0 : 2 * nh : 2], direction[1 : 2 * nh : 2] = 0, 2
    direction[2 * nh :: 2], direction[2 * nh + 1 :: 2] = 1, 3
    left = np.empty(2 * n, np.int64)
    left[0 : 2 * nh : 2], left[1 : 2 * nh : 2] = p[hy, hx + 1], p[hy + 1, hx + 1]
    left[2 * nh :: 2], left[2 * nh + 1 :: 2] = p[vy + 1, vx + 1], p[vy + 1, vx]
    # Directed crack that leaves a vertex in each direction; undefined where there is none.
    leaving = np.empty(((h + 1) * row, 4), np.int32)
    leaving[start, direction] = np.arange(2 * n)
    end = start[np.arange(2 * n) ^ 1]
    ey, ex = end // row, end % row
    around = np.stack([p[ey, ex], p[ey, ex + 1], p[ey + 1, ex + 1], p[ey + 1, ex]], 1)  # NW, NE, SE, SW
    i = np.arange(2 * n)
    ahead_left, ahead_right = around[i, (direction + 1) % 4], around[i, (direction + 2) % 4]
    # Keep the piece on the left hand, never crossing a corner where it only touches itself.
    turn = np.where(ahead_left != left, 3, np.where(ahead_right != left, 0, 1))
    following = leaving[end, (direction + turn) % 4].astype(np.int64)
    degree = np.bincount(start, minlength=(h + 1) * row)
    return Lattice((h, w), nh, start, end, direction, left, following, degree)


def chain_up(lattice: Lattice) -> Chains:
    """Chains of a lattice, found by pointer doubling."""
    n = len(lattice.start)
    i = np.arange(n)
    last = lattice.degree[lattice.end] != 2
    ahead = np.where(last, i, lattice.following)
    target, steps = _run_to_end(ahead)
    closed = ~last[target]
    if closed.any():
        # Rings without a vertex of degree 3: cut each at its smallest crack.
        ring = i[closed]
        smallest = _smallest_in_ring(ring, ahead)
        final = ring[ahead[ring] == smallest]
        ahead[final] = final
        target, steps = _run_to_end(ahead)
    order = np.lexsort((-steps, target))
    bounds = np.nonzero(np.r_[True, np.diff(target[order]) != 0, True])[0]
    heads, tails = order[bounds[:-1]], order[bounds[1:] - 1]
    # Of the two directions of a chain keep one.
    keep = np.where(closed[heads], heads % 2 == 0, heads < (tails ^ 1))
    lengths = np.diff(bounds)[keep]
    first = np.r_[0, np.cumsum(lengths)]
    within = np.arange(first[-1]) - np.repeat(first[:-1], lengths)
    return Chains(order[np.repeat(bounds[:-1][keep], lengths) + within], first, closed[heads][keep])


def walk_pieces(lattice: Lattice, chains: Chains) -> Int:
    """Number of the 4-connected piece on the left of each walk.

    Walk ``2 k`` goes along chain ``k``, walk ``2 k + 1`` back.

    The walks around a piece, and the rings of its holes, are found on the lattice alone: what lies between
    two neighbouring upright cracks of a row is one piece.

    Parameters
    ----------
    lattice : Lattice
    chains : Chains
        Of the lattice.

    Returns
    -------
    ndarray, (2 K,), int64
        From 0, for K chains.
    """
    walk = np.empty(len(lattice.start), np.int64)
    chain = np.repeat(np.arange(len(chains)), np.diff(chains.first))
    walk[chains.cracks], walk[chains.cracks ^ 1] = 2 * chain, 2 * chain + 1
    heads, tails = chains.cracks[chains.first[:-1]], chains.cracks[chains.first[1:] - 1]
    after = walk[lattice.following[np.stack([tails, heads ^ 1], 1).ravel()]]
    south = np.arange(2 * lattice.horizontal, len(walk), 2)
    row = lattice.start[south] // (lattice.shape[1] + 1)
    same = row[:-1] == row[1:]
    one = np.concatenate([np.arange(len(after)), walk[south[:-1][same]]])
    other = np.concatenate([after, walk[south[1:][same] ^ 1]])
    joined = coo_matrix((np.ones(len(one), bool), (one, other)), (len(after), len(after)))
    return np.asarray(connected_components(joined, directed=False)[1].astype(np.int64))


def _run_to_end(ahead: Int) -> tuple[Int, Int]:
    """Last element reached by following `ahead` to a fixed point, and the steps to it."""
    steps = (ahead != np.arange(len(ahead))).astype(np.int64)
    # Each round doubles the reach; in an endless ring the pointers never settle, so the rounds are counted.
    for _ in range(len(ahead).bit_length()):
        further = ahead[ahead]
        if np.array_equal(further, ahead):
            break
        steps = steps + steps[ahead]
        ahead = further
    return ahead, steps


def _smallest_in_ring(ring: Int, ahead: Int) -> Int:
    """Smallest crack of the ring each directed crack in `ring` lies on."""
    place = np.full(len(ahead), -1, np.int64)
    place[ring] = np.arange(len(ring))
    jump, smallest = place[ahead[ring]], ring.copy()
    for _ in range(64):
        better = np.minimum(smallest, smallest[jump])
        if np.array_equal(better, smallest):
            break
        smallest, jump = better, jump[jump]
    return smallest
