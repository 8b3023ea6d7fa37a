"""Nodes of the boundaries: a change is made at one place for all regions that share it, so that no gap opens."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import shapely

from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.geometry.areas import sound
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.region import Region

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
    """Make the boundary between its points nearest to two places straight, on every ring that runs through both."""
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


def _shorter_way(xy: Float, i: int, j: int) -> Float:
    """Points strictly between two of a ring, the shorter way round."""
    i, j = min(i, j), max(i, j)
    inner, outer = xy[i + 1 : j], np.concatenate([xy[j + 1 :], xy[:i]])
    length = [
        float(np.hypot(*np.diff(np.concatenate([[xy[s]], way, [xy[t]]]), axis=0).T).sum()) for way, s, t in ((inner, i, j), (outer, j, i))
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
    """Regions as they are when they still fit, laid over one another anew when a boundary was moved across another."""
    shapes = [r.geometry for r in regions]
    if shapely.is_valid(shapes).all() and shapely.coverage_is_valid(shapes):
        return regions
    return overlay([Paint(r.colour, sound(r.geometry)) for r in regions], _GRID)
