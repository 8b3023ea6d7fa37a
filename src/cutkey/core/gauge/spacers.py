"""Pieces that fill the gaps between neighbouring islands: where they could be."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import Delaunay

from cutkey.core.gauge.settings import Gauge

Float = NDArray[np.float64]
#: Islands farther from one another than this are no neighbours, mm.
WIDEST = 90.0
#: Outlines are looked at in steps of this, mm.
_STEP = 2.0
#: A spacer must take a disc of this radius somewhere, for its peg, mm.
LEAST = 1.3


class Spacer(NamedTuple):
    """A piece between islands, seen from above."""

    outline: shapely.Polygon
    islands: tuple[int, ...]  # numbers of those it touches
    points: Float  # (N, 2) on its outline where it touches them
    normals: Float  # (N, 2) towards the island
    touched: NDArray[np.int64]  # (N,) number of the island


def candidates(islands: Sequence[shapely.Geometry], gauge: Gauge) -> list[Spacer]:
    """Spacers where three islands meet, and between pairs of neighbours.

    A Delaunay triangulation of points on all outlines has a triangle on three islands wherever gaps meet, and strips of
    triangles on two islands along each gap.
    """
    labels, points = _outline_points(islands)
    if len(islands) < 2:
        return []
    triangles = Delaunay(points).simplices
    of = labels[triangles]
    kinds = np.sort(of, axis=1)
    longest = np.max([np.hypot(*(points[triangles[:, a]] - points[triangles[:, b]]).T) for a, b in ((0, 1), (1, 2), (2, 0))], axis=0)
    near = longest < WIDEST
    three = near & (kinds[:, 0] != kinds[:, 1]) & (kinds[:, 1] != kinds[:, 2])
    centres = [points[t].mean(0) for t in triangles[three]]
    for pair in {tuple(sorted({int(v) for v in k})) for k in kinds[near & ~three]}:
        if len(pair) == 2:
            a, b = shapely.shortest_line(islands[pair[0]], islands[pair[1]]).coords
            centres.append((np.array(a) + np.array(b)) / 2)
    grown = [i.buffer(gauge.clearance, join_style="mitre", mitre_limit=4, quad_segs=32) for i in islands]
    everything = shapely.union_all(grown)
    out: list[Spacer] = []
    for centre in centres:
        found = _spacer(np.asarray(centre), islands, grown, everything, gauge)
        if found is not None and not any(_same(found, o) for o in out):
            out.append(found)
    return out


def _outline_points(islands: Sequence[shapely.Geometry]) -> tuple[NDArray[np.int64], Float]:
    points, labels = [], []
    for n, island in enumerate(islands):
        ring = shapely.segmentize(island.boundary, _STEP)
        xy = shapely.get_coordinates(ring)
        points.append(xy)
        labels.append(np.full(len(xy), n))
    return np.concatenate(labels), np.concatenate(points)


def _spacer(
    centre: Float, islands: Sequence[shapely.Geometry], grown: Sequence[shapely.Geometry], everything: shapely.Geometry, gauge: Gauge
) -> Spacer | None:
    """The piece around a place: what is free within reach of it, between the islands near it."""
    here = shapely.Point(centre)
    near = sorted(range(len(islands)), key=lambda n: islands[n].distance(here))[:3]
    gap = max(islands[n].distance(here) for n in near[:2])
    near = [n for n in near if islands[n].distance(here) <= 1.5 * gap + 1.0]
    disc = here.buffer(gap + gauge.reach, quad_segs=24)
    # Within the hull of what the islands have near the place, so that nothing sticks out of the design.
    hull = shapely.union_all([islands[n].intersection(disc) for n in near]).convex_hull
    free = disc.intersection(hull).difference(everything)
    # Tongues thinner than a nozzle's line are left off.
    free = free.buffer(-0.5).buffer(0.5, join_style="mitre", mitre_limit=2).intersection(free)
    parts = [g for g in shapely.get_parts(free) if g.geom_type == "Polygon"]
    if not parts:
        return None
    outline = min(parts, key=lambda g: (round(g.distance(here), 6), -g.area))
    if outline.distance(here) > 1.0 or shapely.maximum_inscribed_circle(outline, tolerance=0.1).length < LEAST:
        return None
    return touching(shapely.Polygon(outline.exterior), grown)


def touching(outline: shapely.Polygon, grown: Sequence[shapely.Geometry]) -> Spacer | None:
    """A spacer with the places at which it touches islands; None when it touches only one."""
    ring = shapely.segmentize(outline.exterior, _STEP / 2)
    xy = np.asarray(ring.coords)[:, :2]
    a, b = xy[:-1], xy[1:]
    middle = (a + b) / 2
    d = b - a
    length = np.hypot(d[:, 0], d[:, 1])
    keep = length > 1e-6
    middle, d, length = middle[keep], d[keep], length[keep]
    outward = np.stack([d[:, 1], -d[:, 0]], 1) / length[:, None]
    if not shapely.is_ccw(ring):
        outward = -outward
    touched = np.full(len(middle), -1)
    spots = shapely.points(middle)
    for n, island in enumerate(grown):
        touched[shapely.distance(island.boundary, spots) < 0.02] = n
    on = touched >= 0
    numbers = tuple(int(v) for v in np.unique(touched[on]))
    if len(numbers) < 2:
        return None
    return Spacer(outline, numbers, middle[on], outward[on], touched[on])


def _same(a: Spacer, b: Spacer) -> bool:
    """Whether two spacers lie mostly on one another."""
    shared = a.outline.intersection(b.outline).area
    return shared > 0.5 * min(a.outline.area, b.outline.area)
