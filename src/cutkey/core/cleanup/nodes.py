"""Nodes of the boundaries.

A change is made at one place for all regions that share it, so that no gap opens.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.geometry.areas import sound
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.pieces import CUBIC, LINE, Pieces, flatten, line_controls
from cutkey.core.geometry.region import Region
from cutkey.core.model.table_edits import Bend

Point = tuple[float, float]
_GRID = 1e-6


def nearest_node(regions: Sequence[Region], place: Point) -> Float:
    """The boundary point nearest to a place, (2,).

    Parameters
    ----------
    regions : sequence of Region
        mm.
    place : (float, float)
        mm.
    """
    xy = shapely.get_coordinates([r.geometry for r in regions])
    return np.asarray(xy[np.argmin(((xy - place) ** 2).sum(1))])


def move_nodes(regions: Sequence[Region], place: Point, to: Point, reach: float) -> list[Region]:
    """Move the node nearest to a place; others within reach go along by (1 - (d / reach)^2)^2 of the way.

    Parameters
    ----------
    regions : sequence of Region
        mm.
    place, to : (float, float)
        Where the node is and where it goes, mm.
    reach : float
        How far others go along, mm.
    """
    if not regions:
        return []
    node = nearest_node(regions, place)
    way = np.array(to, float) - node

    def move(xy: Float) -> Float:
        d = np.hypot(*(xy - node).T)
        share = np.clip(1 - (d / reach) ** 2, 0, 1) ** 2 if reach > 0 else np.zeros(len(xy))
        return np.asarray(xy + np.where((xy == node).all(1), 1.0, share)[:, None] * way)

    return _sound([Region(r.colour, shapely.transform(r.geometry, move)) for r in regions])


def add_node(regions: Sequence[Region], place: Point) -> list[Region]:
    """Put a node where the boundary comes nearest to a place."""
    edges = shapely.boundary([r.geometry for r in regions])
    distances = shapely.distance(edges, shapely.Point(place))
    edge = edges[int(np.argmin(distances))]
    node = shapely.get_coordinates(shapely.shortest_line(edge, shapely.Point(place)))[0]

    def insert(ring: Float) -> Float:
        a, b = ring[:-1], ring[1:]
        d = b - a
        t = ((node - a) * d).sum(1) / np.maximum((d * d).sum(1), 1e-18)
        off = np.hypot(*(a + np.clip(t, 0, 1)[:, None] * d - node).T)
        k = int(np.argmin(off))
        return np.insert(ring, k + 1, node, axis=0) if off[k] < 1e-7 and 1e-9 < t[k] < 1 - 1e-9 else ring

    return _mapped(regions, insert)


def delete_node(regions: Sequence[Region], place: Point) -> list[Region]:
    """Take the node nearest to a place out of all rings that have it; a ring keeps at least three."""
    if not regions:
        return []
    node = nearest_node(regions, place)

    def drop(ring: Float) -> Float:
        keep = ~(ring[:-1] == node).all(1)
        open_ring = ring[:-1][keep]
        return np.concatenate([open_ring, open_ring[:1]]) if len(open_ring) >= 3 and not keep.all() else ring

    return _sound(_mapped(regions, drop))


def straightened(regions: Sequence[Region], first: Point, second: Point) -> list[Region]:
    """Make the boundary between its points nearest to two places straight.

    On every ring that runs through both.
    """
    if not regions:
        return []
    a, b = nearest_node(regions, first), nearest_node(regions, second)
    dropped: set[tuple[float, float]] = set()
    for region in regions:
        for ring in shapely.get_rings(shapely.get_parts(region.geometry)):
            xy = shapely.get_coordinates(ring)[:-1]
            i, j = np.nonzero((xy == a).all(1))[0], np.nonzero((xy == b).all(1))[0]
            if len(i) and len(j) and i[0] != j[0]:
                dropped |= {tuple(p) for p in _shorter_way(xy, int(i[0]), int(j[0])).tolist()}
                break
        if dropped:
            break

    def drop(ring: Float) -> Float:
        keep = np.array([tuple(p) not in dropped for p in ring[:-1].tolist()], bool)
        open_ring = ring[:-1][keep]
        return np.concatenate([open_ring, open_ring[:1]]) if len(open_ring) >= 3 else ring

    return _sound(_mapped(regions, drop))


class _Run(NamedTuple):
    """A stretch of the boundary as it is, and what comes in its place."""

    before: Float  # (N, 2) points, both ends with it
    after: Float  # (M, 2)


def finds(regions: Sequence[Region], first: Point, through: Point, last: Point) -> Float | None:
    """The boundary from the node nearest to one place to that nearest to another, past a third.

    None when no ring has both.

    Parameters
    ----------
    regions : sequence of Region
        mm.
    first, through, last : (float, float)
        mm.

    Returns
    -------
    ndarray, (N, 2), float64, or None
        Its points.
    """
    a, b = nearest_node(regions, first), nearest_node(regions, last)
    between = shapely.Point(through)
    best: tuple[float, Float] | None = None
    for ring in shapely.get_rings(shapely.get_parts([r.geometry for r in regions])):
        xy = shapely.get_coordinates(ring)[:-1]
        i, j = np.flatnonzero((xy == a).all(1)), np.flatnonzero((xy == b).all(1))
        if len(i) == 0 or len(j) == 0:
            continue
        there = np.roll(xy, -i[0], axis=0)
        n = int((j[0] - i[0]) % len(xy))
        whole = np.concatenate([there, there[:1]])
        for run in (whole[: n + 1], whole[n:][::-1]) if n else (whole,):
            off = float(shapely.LineString(run).distance(between))
            if best is None or off < best[0]:
                best = (off, run)
    return None if best is None else best[1]


def stretches(edit: Bend) -> Iterator[tuple[Point, Point, Point]]:
    """Ends of each stretch of an edit, and a place between them."""
    return zip(edit.first, edit.through, edit.last, strict=True)


def bent(regions: Sequence[Region], edit: Bend, flatness: float) -> list[Region]:
    """Stretches of the boundary put along new curves, on every ring that runs along them.

    Parameters
    ----------
    regions : sequence of Region
        mm.
    edit : Bend
    flatness : float
        Between the curves and their chords, mm.
    """
    runs: list[_Run] = []
    moved: dict[tuple[float, ...], tuple[float, ...]] = {}
    for (first, through, last), curve in zip(stretches(edit), edit.curves, strict=True):
        before = finds(regions, first, through, last)
        if before is None:
            return list(regions)
        after = flattened_curve(curve, flatness)
        # An end that stays is the node itself.
        for at, place in ((0, first), (-1, last)):
            if tuple(after[at]) == tuple(place):
                after[at] = before[at]
        runs.append(_Run(before, after))
        moved |= {
            tuple(before[0].tolist()): tuple(after[0].tolist()),
            tuple(before[-1].tolist()): tuple(after[-1].tolist()),
        }

    def change(ring: Float) -> Float:
        xy = [tuple(p) for p in ring[:-1].tolist()]
        jumps = _jumps(xy, runs)
        if not jumps and not any(p in moved for p in xy):
            return ring
        k = start = next(iter(jumps), 0)
        out: list[tuple[float, ...]] = []
        while not out or k != start:
            if k in jumps:
                k, new = jumps[k]
                out += new[:-1]
            else:
                out.append(moved.get(xy[k], xy[k]))
                k = (k + 1) % len(xy)
        return np.array([*out, out[0]]) if len(out) >= 3 else ring

    return _sound(_mapped(regions, change))


def _jumps(
    xy: Sequence[tuple[float, ...]], runs: Sequence[_Run]
) -> dict[int, tuple[int, list[tuple[float, ...]]]]:
    """Where a ring runs along stretches.

    From which of its points to which, and the points that come there.
    """
    at = {p: k for k, p in enumerate(xy)}
    out: dict[int, tuple[int, list[tuple[float, ...]]]] = {}
    for run in runs:
        where = [at.get(tuple(p), -1) for p in run.before.tolist()]
        if min(where) < 0:
            continue
        new = [tuple(p) for p in run.after.tolist()]
        if (where[1] - where[0]) % len(xy) == 1:
            out[where[0]] = (where[-1], new)
        else:
            out[where[-1]] = (where[0], new[::-1])
    return out


def flattened_curve(curve: Sequence[Point], flatness: float) -> Float:
    """Points along cubics that follow one another, both ends with them.

    Parameters
    ----------
    curve : sequence of (float, float)
        3 n + 1 points.
    flatness : float
        Between them and their chords, mm.
    """
    control = cubics(curve)
    return np.concatenate([flatten(control, flatness)[0], control.control[-1:, 3]])


def cubics(curve: Sequence[Point]) -> Pieces:
    """Cubics that follow one another, 3 n + 1 points, as pieces.

    Those with handles on their chord's thirds are lines.
    """
    points = np.array(curve, float)
    control = np.stack([points[k : k + 4] for k in range(0, len(points) - 1, 3)])
    straight = np.abs(control - line_controls(control[:, 0], control[:, 3])).max((1, 2)) < 1e-6
    return Pieces(control, np.where(straight, LINE, CUBIC).astype(np.int8), np.zeros(len(control), np.int64))


def _shorter_way(xy: Float, i: int, j: int) -> Float:
    """Points strictly between two of a ring, the shorter way round."""
    i, j = min(i, j), max(i, j)
    inner, outer = xy[i + 1 : j], np.concatenate([xy[j + 1 :], xy[:i]])
    length = [
        float(np.hypot(*np.diff(np.concatenate([[xy[s]], way, [xy[t]]]), axis=0).T).sum())
        for way, s, t in ((inner, i, j), (outer, j, i))
    ]
    return inner if length[0] <= length[1] else outer


def _mapped(regions: Sequence[Region], change: Callable[[Float], Float]) -> list[Region]:
    """Regions with every ring changed."""
    out = []
    for region in regions:
        polygons = []
        for polygon in shapely.get_parts(region.geometry):
            rings = [change(shapely.get_coordinates(r)) for r in (polygon.exterior, *polygon.interiors)]
            polygons.append(shapely.Polygon(rings[0], rings[1:]))
        out.append(Region(region.colour, shapely.multipolygons(polygons)))
    return out


def _sound(regions: list[Region]) -> list[Region]:
    """Regions as they are when they still fit.

    Laid over one another anew when a boundary was moved across another.
    """
    shapes = [r.geometry for r in regions]
    if shapely.is_valid(shapes).all() and shapely.coverage_is_valid(shapes):
        return regions
    return overlay([Paint(r.colour, sound(r.geometry)) for r in regions], _GRID)
