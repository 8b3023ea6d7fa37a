"""Curves that a boundary was flattened from, found again along it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from cutkey.core.curves.splitting import part_of
from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import Flattened

#: Edits node outlines on a grid of a millionth of a millimetre; points that moved no further are the same.
_SAME = 2e-6


class Run(NamedTuple):
    """A stretch of a chain that is a known curve, or a part of one."""

    begin: int  # vertex of the chain
    end: int
    control: Float  # (4, 2) as the chain walks
    kind: int


def runs_along(
    chains: Sequence[Float], closed: Bool, known: Flattened
) -> tuple[list[Float], list[list[Run]]]:
    """Flattened curves along chains.

    Parameters
    ----------
    chains : sequence of ndarray, (N, 2), float64
        mm; a closed one repeats its first point.
    closed : ndarray, (C,), bool
    known : Flattened

    Returns
    -------
    points : list of ndarray, (N, 2)
        The chains; closed ones begin where a run does.
    runs : list of list of Run
        Of each chain, in order.
    """
    # Takes a while to load, and what is drawn and placed first can do without.
    from scipy.spatial import cKDTree

    steps = np.bincount(known.piece, minlength=len(known.kind))
    last = np.r_[known.piece[1:] != known.piece[:-1], True]
    ends = np.concatenate([known.points[1:], known.points[:1]])
    ends[last] = known.control[known.piece[last], 3]
    index = np.arange(len(known.piece)) - (np.cumsum(steps) - steps)[known.piece]
    places, of = np.unique(np.concatenate([known.points, ends]), axis=0, return_inverse=True)
    of = of.reshape(-1)
    edges = _Edges(of[: len(known.points)], of[len(known.points) :], len(places))
    tree = cKDTree(places)
    found = tree.query(np.concatenate(chains), distance_upper_bound=_SAME)[1]
    first = np.r_[0, np.cumsum([len(c) for c in chains])]
    points, out = [], []
    for k, chain in enumerate(chains):
        ids = found[first[k] : first[k + 1]]
        edge, back = edges.at(ids)
        piece = np.where(edge >= 0, known.piece[edge], -1)
        at = np.where(edge >= 0, index[edge], -1)
        goes_on = (piece[1:] == piece[:-1]) & (
            (piece[1:] < 0) | ((back[1:] == back[:-1]) & (at[1:] - at[:-1] == np.where(back[1:], -1, 1)))
        )
        if closed[k]:
            wraps = piece[0] == piece[-1] and (
                piece[0] < 0 or (back[0] == back[-1] and at[0] - at[-1] == (-1 if back[0] else 1))
            )
            cuts = np.flatnonzero(~goes_on) + 1
            if wraps and len(cuts):
                turn = -int(cuts[0])
                chain = np.roll(chain[:-1], turn, axis=0)
                chain = np.concatenate([chain, chain[:1]])
                piece, at, back, goes_on = (np.roll(a, turn) for a in (piece, at, back, np.r_[goes_on, True]))
                goes_on = goes_on[:-1]
        cuts = np.r_[0, np.flatnonzero(~goes_on) + 1, len(piece)]
        runs = []
        for a, b in zip(cuts[:-1].tolist(), cuts[1:].tolist(), strict=True):
            p = int(piece[a])
            if p < 0:
                continue
            low, high = int(min(at[a], at[b - 1])), int(max(at[a], at[b - 1])) + 1
            control = part_of(known.control[p], low / steps[p], high / steps[p])
            control = control[::-1].copy() if back[a] else control
            # Chains meet to the last bit.
            control[0], control[3] = chain[a], chain[b]
            runs.append(Run(a, b, control, int(known.kind[p])))
        points.append(chain)
        out.append(runs)
    return points, out


class _Edges:
    """Steps along known curves, by the places they lead between."""

    def __init__(self, a: Int, b: Int, count: int) -> None:
        key = a * count + b
        self._order = np.argsort(key, kind="stable")
        self._key, self._count = key[self._order], count

    def at(self, ids: Int) -> tuple[Int, Bool]:
        """The known step of each edge of a chain, -1 where it is none, and whether it is walked backwards."""
        a, b = ids[:-1], ids[1:]
        there = (a < self._count) & (b < self._count)
        ways = [self._find(np.where(there, x * self._count + y, -1)) for x, y in ((a, b), (b, a))]
        return np.where(ways[0] >= 0, ways[0], ways[1]), (ways[0] < 0) & (ways[1] >= 0)

    def _find(self, key: Int) -> Int:
        k = np.minimum(np.searchsorted(self._key, key), len(self._key) - 1)
        return np.where(self._key[k] == key, self._order[k], -1)
