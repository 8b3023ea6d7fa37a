"""Boundaries of regions as chains.

Each runs from one place where regions meet to the next, and is there once for both its neighbours.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.region import Region


class Ring(NamedTuple):
    """One ring of a region: its chains in walking order."""

    region: int
    piece: int  # of all regions, counted through
    chains: list[tuple[int, bool]]  # number, and whether it is walked backwards


class Chains(NamedTuple):
    """All boundaries of some regions."""

    points: list[Float]  # (N, 2) each, mm; a closed chain repeats its first point
    closed: Bool
    rings: list[Ring]


def chains_of(regions: Sequence[Region]) -> Chains:
    """Cut the rings of regions where more than two edges meet.

    Parameters
    ----------
    regions : sequence of Region
        A partition: neighbours share their points to the last bit.

    Returns
    -------
    Chains
    """
    parts, region = shapely.get_parts([r.geometry for r in regions], return_index=True)
    rings, piece = shapely.get_rings(parts, return_index=True)
    xy, ring = shapely.get_coordinates(rings, return_index=True)
    if len(xy) == 0:
        return Chains([], np.zeros(0, bool), [])
    last = np.r_[ring[1:] != ring[:-1], True]
    xy, ring = xy[~last], ring[~last]
    places, at = np.unique(xy, axis=0, return_inverse=True)
    at = at.reshape(-1)
    # A point that a ring names twice on end is one: a side from it to itself leads nowhere.
    stays = at[_after(ring)] == at
    at, ring = at[~stays], ring[~stays]
    first = np.searchsorted(ring, np.arange(len(rings) + 1))
    after = _after(ring)
    junction = _meet(at, at[after], len(places))

    points: list[Float] = []
    closed: list[bool] = []
    known: dict[tuple[int, int], int] = {}
    out = []
    for k in range(len(rings)):
        walk = at[first[k] : first[k + 1]]
        if len(walk) < 2:
            continue  # all its points were one
        stops = np.flatnonzero(junction[walk])
        chains = []
        for ids in _cut(walk, stops):
            ids, back = _one_way(ids, len(stops) == 0)
            # Away from junctions an edge belongs to one chain only.
            edge = (int(ids[0]), int(ids[1]))
            if edge not in known:
                known[edge] = len(points)
                points.append(places[ids])
                closed.append(len(stops) == 0)
            chains.append((known[edge], back))
        out.append(Ring(int(region[piece[k]]), int(piece[k]), chains))
    return Chains(points, np.array(closed, bool), out)


def _after(ring: Int) -> Int:
    """Number of the point that follows each in its ring, whose numbers rise."""
    after = np.arange(1, len(ring) + 1)
    ends = np.flatnonzero(np.r_[ring[1:] != ring[:-1], True]) if len(ring) else np.zeros(0, np.int64)
    after[ends] = np.r_[0, ends[:-1] + 1]
    return after


def _meet(a: Int, b: Int, count: int) -> Bool:
    """Places where more or fewer than two different edges end."""
    edges = np.unique(np.sort(np.stack([a, b], 1), 1), axis=0)
    return np.asarray(np.bincount(edges.ravel(), minlength=count) != 2)


def _cut(walk: Int, stops: Int) -> list[Int]:
    """A ring cut at its stops, the ends kept; a ring without any as a whole, its first place repeated."""
    if len(stops) == 0:
        return [np.r_[walk, walk[:1]]]
    walk = np.roll(walk, -stops[0])
    ends = np.r_[stops - stops[0], len(walk)]
    walk = np.r_[walk, walk[:1]]
    return [walk[a : b + 1] for a, b in zip(ends[:-1].tolist(), ends[1:].tolist(), strict=True)]


def _one_way(ids: Int, free: bool) -> tuple[Int, bool]:
    """A chain in the way that does not depend on which neighbour walks it, and whether that is backwards."""
    if ids[0] != ids[-1]:
        return (ids, False) if ids[0] < ids[-1] else (ids[::-1], True)
    inner = ids[:-1]
    if free:
        # It has no end of its own, and begins at its least place.
        inner = np.roll(inner, -int(np.argmin(inner)))
    back = bool(inner[1] > inner[-1])
    ids = np.r_[inner, inner[:1]]
    return (ids[::-1] if back else ids), back
