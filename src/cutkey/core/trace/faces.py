"""Faces: rings of arcs become polygons, and a move that would break the partition is refused."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.ops import substring

from cutkey.core.geometry.arrays import Float
from cutkey.core.trace.arcs import Network
from cutkey.core.trace.lattice import Chains, Lattice, walk_pieces

Level = NDArray[np.int64]
#: How an arc is drawn: as fitted, through its nodes, along the pixel edges.
FITTED, THROUGH_NODES, PIXELS = 2, 1, 0
#: A loop that an arc ties in itself is cut off up to this length, px: at a sharp tip the fitted pieces pass
#: one another.
_LOOP = 12.0
#: An arc that crosses goes back so far on both sides of the place, px, and so often before all of it does.
_AROUND, _PATCHES = 4.0, 4


def refuse_crossings(network: Network, level: Level) -> list[Float]:
    """Arcs of the network, each at a level low enough that none crosses itself or another.

    `FITTED`, `THROUGH_NODES` or `PIXELS`.

    `level` is lowered in place. Pixel-edge arcs never cross one another, so repeating the test ends with a
    valid partition whatever the picture was.

    Parameters
    ----------
    network : Network
    level : ndarray, (arcs,), int64
        The level of each arc to begin with.

    Returns
    -------
    list of ndarray, (N, 2), float64
        px.
    """
    arcs = [_at_level(network, k, lv) for k, lv in enumerate(level.tolist())]
    _rejoin(arcs, network, level)
    fresh = np.arange(len(arcs))
    patches = np.zeros(len(arcs), np.int64)
    for _ in range(20):
        # Only arcs that have changed can cross anew.
        bad = crossing_arcs(arcs, fresh)
        bad = {k for k in bad if level[k] > PIXELS} or _neighbours_of_bad(bad, arcs, level)
        if not bad:
            return arcs
        before = list(arcs)
        places = crossing_places(arcs, {k for k in bad if level[k] == FITTED and patches[k] < _PATCHES})
        for k in bad:
            mended = untied(arcs[k]) if level[k] == FITTED else arcs[k]
            if mended is not arcs[k]:
                arcs[k] = mended
                continue
            if k in places:
                # Only the stretch that crosses gives way: first to its nodes, then to the pixel edges.
                lower = network.through_nodes(k) if patches[k] == 0 else network.pixel_arcs[k]
                patches[k] += 1
                arcs[k] = patched(arcs[k], lower, places[k])
                if arcs[k] is not before[k]:
                    continue
            level[k] -= 1
            arcs[k] = _at_level(network, k, int(level[k]))
        _rejoin(arcs, network, level)
        fresh = np.array([k for k, a in enumerate(arcs) if a is not before[k]])
    level[:] = PIXELS
    return list(network.pixel_arcs)


def crossing_places(arcs: list[Float], among: set[int]) -> dict[int, Float]:
    """Return where some arcs cross themselves or another, (N, 2) px each, but for the ends they share.

    Parameters
    ----------
    arcs : list of ndarray, (N, 2), float64
        px.
    among : set of int
        Numbers of arcs.
    """
    out: dict[int, list[Float]] = {}
    lines = [shapely.linestrings(a) for a in arcs] if among else []
    tree = shapely.STRtree(lines)
    for k in sorted(among):
        sides = shapely.linestrings(np.stack([arcs[k][:-1], arcs[k][1:]], 1))
        one, other = shapely.STRtree(sides).query(sides, predicate="intersects")
        loops = (other - one > 1) & ~((one == 0) & (other == len(sides) - 1))
        found = [shapely.intersection(sides[one[loops]], sides[other[loops]])]
        near = [n for n in tree.query(lines[k], predicate="intersects").tolist() if n != k]
        found += [shapely.intersection(lines[k], np.array([lines[n] for n in near], object))] if near else []
        places = shapely.get_coordinates(np.concatenate(found))
        ends = arcs[k][[0, -1]]
        inner = places[~(places[:, None] == ends[None]).all(2).any(1)]
        if len(inner):
            out[k] = [inner]
    return {k: np.concatenate(v) for k, v in out.items()}


def patched(arc: Float, lower: Float, places: Float) -> Float:
    """An arc that follows another drawing of it for a little way on both sides of some places.

    Parameters
    ----------
    arc, lower : ndarray, (N, 2), float64
        The arc, and how it is drawn instead, between the same ends; px.
    places : ndarray, (M, 2), float64
        On the arc, px.

    Returns
    -------
    ndarray, (K, 2), float64
        The very same where nothing of it can be drawn otherwise.
    """
    line, other = shapely.linestrings(arc), shapely.linestrings(lower)
    long, width = float(line.length), float(other.length)
    at = np.sort(shapely.line_locate_point(line, shapely.points(places)))
    spans: list[list[float]] = []
    for v in at.tolist():
        low, high = max(0.0, v - _AROUND), min(long, v + _AROUND)
        if spans and low <= spans[-1][1]:
            spans[-1][1] = high
        else:
            spans.append([low, high])
    out, done = [arc[:1]], 0.0
    for low, high in spans:
        a, b = (
            float(shapely.line_locate_point(other, shapely.line_interpolate_point(line, v)))
            for v in (low, high)
        )
        a, b = (0.0 if low <= 0 else a), (width if high >= long else b)
        if not b > a:
            return arc  # a ring's seam lies between: it goes back as a whole
        out += [shapely.get_coordinates(substring(line, done, low))[1:]] if low > done else []
        out.append(shapely.get_coordinates(substring(other, a, b)))
        done = high
    out += [shapely.get_coordinates(substring(line, done, long))] if done < long else []
    joined = np.concatenate(out)
    joined[0], joined[-1] = arc[0], arc[-1]
    keep = np.r_[True, (joined[1:] != joined[:-1]).any(1)]
    return joined[keep]


def untied(arc: Float) -> Float:
    """An arc without the little loops that it ties in itself; the very same when it has none so small.

    Parameters
    ----------
    arc : ndarray, (N, 2), float64
        px; a closed one repeats its first point.

    Returns
    -------
    ndarray, (M, 2), float64
    """
    sides = shapely.linestrings(np.stack([arc[:-1], arc[1:]], 1))
    one, other = shapely.STRtree(sides).query(sides, predicate="intersects")
    loops = (other - one > 1) & ~((one == 0) & (other == len(sides) - 1))
    run = np.r_[0.0, np.cumsum(np.hypot(*np.diff(arc, axis=0).T))]
    out, done = [], 0
    for a, b in sorted(zip(one[loops].tolist(), other[loops].tolist(), strict=True)):
        if a < done or run[b] - run[a + 1] > _LOOP or b - a > len(sides) // 2:
            continue
        crossing = shapely.get_coordinates(shapely.intersection(sides[a], sides[b]))[:1]
        out += [arc[done : a + 1], crossing]
        done = b + 1
    return np.concatenate([*out, arc[done:]]) if done else arc


def _at_level(network: Network, chain: int, level: int) -> Float:
    return (network.pixel_arcs[chain], network.through_nodes(chain), network.arcs[chain])[level]


def crossing_arcs(arcs: list[Float], among: NDArray[np.int64] | None = None) -> set[int]:
    """Numbers of the arcs that cross themselves or another.

    When given, only crossings with some of them are looked for.

    Parameters
    ----------
    arcs : list of ndarray, (N, 2), float64
        px.
    among : ndarray, (K,), int64, optional
        Numbers of arcs.
    """
    among = np.arange(len(arcs)) if among is None else among
    lines = shapely.linestrings(
        np.concatenate(arcs), indices=np.repeat(np.arange(len(arcs)), [len(a) for a in arcs])
    )
    bad = set(among[~shapely.is_simple(lines[among])].tolist())
    one, other = shapely.STRtree(lines).query(lines[among], predicate="intersects")
    one = among[one]
    pairs = (one < other) | ((one > other) & ~np.isin(other, among))
    return bad | _crossing(lines, arcs, one[pairs], other[pairs])


def _crossing(
    lines: NDArray[np.object_], arcs: list[Float], one: NDArray[np.int64], other: NDArray[np.int64]
) -> set[int]:
    """Arcs of pairs that meet anywhere but where both of them end."""
    ends = np.array([[a[0], a[-1]] for a in arcs])
    common = shapely.intersection(lines[one], lines[other])
    kind = shapely.get_type_id(common)
    bad = (kind != 0) & (kind != 4)
    place, pair = shapely.get_coordinates(common, return_index=True)
    for side in (one, other):
        met = (ends[side[pair]] == place[:, None]).all(2).any(1)
        bad[pair[~met]] = True
    return set(one[bad].tolist()) | set(other[bad].tolist())


def _neighbours_of_bad(bad: set[int], arcs: list[Float], level: Level) -> set[int]:
    """Arcs off the pixel edges that end where one on them ends."""
    ends = {tuple(p) for k in bad for p in (arcs[k][0], arcs[k][-1])}
    return {
        k for k in np.flatnonzero(level > PIXELS).tolist() if ends & {tuple(arcs[k][0]), tuple(arcs[k][-1])}
    }


def _rejoin(arcs: list[Float], network: Network, level: Level) -> None:
    """Put the ends of arcs that meet one on the pixel edges on the lattice junction too."""
    held = {
        tuple(p)
        for k in np.flatnonzero(level == PIXELS).tolist()
        for p in (network.pixel_arcs[k][0], network.pixel_arcs[k][-1])
    }
    for k in np.flatnonzero(level > PIXELS).tolist():
        pixel = network.pixel_arcs[k]
        for end in (0, -1):
            if tuple(pixel[end]) in held and not np.array_equal(pixel[0], pixel[-1]):
                arcs[k] = arcs[k].copy()
                arcs[k][end] = pixel[end]


class Faces(NamedTuple):
    """The pieces of a label map as polygons."""

    polygons: NDArray[np.object_]  # (P,) of shapely.Polygon
    label: NDArray[np.int64]  # (P,)
    arcs: list[set[int]]  # numbers of the arcs around each

    def broken(self) -> set[int]:
        """Arcs around faces that are not valid or do not fit their neighbours.

        As when a sliver has turned inside out.
        """
        bad = ~shapely.is_valid(self.polygons)
        if not bad.any() and not shapely.coverage_is_valid(self.polygons):
            bad = ~shapely.is_empty(shapely.coverage_invalid_edges(self.polygons))
        return {a for k in np.nonzero(bad)[0].tolist() for a in self.arcs[k]}


def assemble(lattice: Lattice, chains: Chains, arcs: list[Float]) -> Faces:
    """Polygons of all pieces.

    Parameters
    ----------
    lattice, chains
        Of the label map.
    arcs : list of (N, 2)
        Points of each chain.
    """
    heads, tails = chains.cracks[chains.first[:-1]], chains.cracks[chains.first[1:] - 1]
    # Walk 2 k goes along chain k, walk 2 k + 1 back along it.
    begins = np.stack([heads, tails ^ 1], 1).ravel()
    ends = np.stack([tails, heads ^ 1], 1).ravel()
    walk_at = {int(c): k for k, c in enumerate(begins.tolist())}
    left, vertex = lattice.left[begins], lattice.start[begins].tolist()
    after = lattice.following[ends].tolist()
    owner = walk_pieces(lattice, chains)
    used = left < 0
    shells: dict[int, list[Float]] = {}
    around: dict[int, set[int]] = {}
    for k in range(len(begins)):
        if used[k]:
            continue
        # A ring that comes by the same junction again is two rings that touch there.
        ring: list[Float] = []
        passed: list[int] = []
        walk = k
        while not used[walk]:
            used[walk] = True
            passed.append(vertex[walk])
            around.setdefault(int(owner[k]), set()).add(walk >> 1)
            points = arcs[walk >> 1]
            ring.append((points[::-1] if walk & 1 else points)[:-1])
            walk = walk_at[after[walk]]
            if vertex[walk] in passed:
                back = passed.index(vertex[walk])
                shells.setdefault(int(owner[k]), []).append(np.concatenate(ring[back:]))
                del ring[back:], passed[back:]
    polygons, labels = [], []
    label_of = dict(zip(owner.tolist(), left.tolist(), strict=True))
    for number, rings in shells.items():
        outer = int(np.argmax([abs(_signed_area(r)) for r in rings])) if len(rings) > 1 else 0
        holes = [r for i, r in enumerate(rings) if i != outer]
        polygons.append(shapely.Polygon(rings[outer], holes))
        labels.append(label_of[number])
    return Faces(
        np.array(polygons, object), np.array(labels, np.int64), [around[number] for number in shells]
    )


def _signed_area(ring: Float) -> float:
    x, y = ring.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2
