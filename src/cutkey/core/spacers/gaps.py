"""Pieces that fill the gaps between neighbouring islands: where they could be."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.geometry.areas import difference, intersection, union
from cutkey.core.geometry.arrays import Float
from cutkey.core.model.spacing import Gauge

#: Islands farther from one another than this are no neighbours, mm.
WIDEST = 90.0
#: Outlines are looked at in steps of this, mm.
_STEP = 2.0
#: What lies within this of an island touches it, and it has to over this length at least, mm.
_ALONG, _CONTACT = 0.02, 1.5
#: A spacer must take a disc of this radius somewhere, for its peg, mm.
LEAST = 1.3


class Spacer(NamedTuple):
    """A piece between islands, seen from above."""

    outline: shapely.Polygon
    islands: tuple[int, ...]  # numbers of those it touches
    points: Float  # (N, 2) on its outline where it touches them
    normals: Float  # (N, 2) towards the island
    touched: NDArray[np.int64]  # (N,) number of the island
    lengths: Float  # (N,) of the sides that touch there, mm


def candidates(
    islands: Sequence[shapely.Geometry], gauge: Gauge, line: float, hook: float = 0.0
) -> list[Spacer]:
    """Spacers where three islands meet, and between pairs of neighbours.

    A Delaunay triangulation of points on all outlines has a triangle on three islands wherever gaps meet, and
    strips of triangles on two islands along each gap.

    Parameters
    ----------
    line : float
        What is thinner is left off, mm.
    hook : float
        Spacers reach round the corners of islands by this, mm, at both ends of each gap: what lies between
        straight edges would slide along them otherwise.
    """
    from scipy.spatial import Delaunay

    labels, points = _outline_points(islands)
    if len(islands) < 2:
        return []
    triangles = Delaunay(points).simplices
    of = labels[triangles]
    kinds = np.sort(of, axis=1)
    longest = np.max(
        [
            np.hypot(*(points[triangles[:, a]] - points[triangles[:, b]]).T)
            for a, b in ((0, 1), (1, 2), (2, 0))
        ],
        axis=0,
    )
    near = longest < WIDEST
    three = near & (kinds[:, 0] != kinds[:, 1]) & (kinds[:, 1] != kinds[:, 2])
    middles = points[triangles].mean(1)
    centres = list(middles[three])
    for pair in {tuple(sorted({int(v) for v in k})) for k in kinds[near & ~three]}:
        if len(pair) == 2:
            a, b = shapely.shortest_line(islands[pair[0]], islands[pair[1]]).coords
            centres.append((np.array(a) + np.array(b)) / 2)
            if hook:
                strip = middles[near & ~three & (kinds[:, 0] == pair[0]) & (kinds[:, 2] == pair[1])]
                way = np.linalg.svd(strip - strip.mean(0), full_matrices=False)[2][0]
                centres += [strip[int(np.argmin(strip @ way))], strip[int(np.argmax(strip @ way))]]
    grown = [i.buffer(gauge.clearance, join_style="mitre", mitre_limit=4, quad_segs=32) for i in islands]
    everything = union(grown)
    out: list[Spacer] = []
    for centre in centres:
        found = _spacer(np.asarray(centre), islands, grown, everything, gauge, line, hook)
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
    centre: Float,
    islands: Sequence[shapely.Geometry],
    grown: Sequence[shapely.Geometry],
    everything: shapely.Geometry,
    gauge: Gauge,
    line: float,
    hook: float,
) -> Spacer | None:
    """The piece around a place: what is free within reach of it, between the islands near it."""
    here = shapely.Point(centre)
    near = sorted(range(len(islands)), key=lambda n: islands[n].distance(here))[:3]
    gap = max(islands[n].distance(here) for n in near[:2])
    near = [n for n in near if islands[n].distance(here) <= 1.5 * gap + 1.0]
    disc = here.buffer(gap + gauge.reach, quad_segs=24)
    # Within the hull of what the islands have near the place, so that nothing sticks out of the design that
    # need not.
    hull = union([intersection(islands[n], disc) for n in near]).convex_hull
    hull = hull.buffer(hook, join_style="mitre", mitre_limit=2) if hook else hull
    free = difference(intersection(disc, hull), everything)
    # Tongues thinner than a nozzle's line are left off.
    r = 0.5 * line
    free = intersection(free.buffer(-r).buffer(r, join_style="mitre", mitre_limit=2), free)
    parts = [g for g in shapely.get_parts(free) if g.geom_type == "Polygon" and not g.is_empty]
    if not parts:
        return None
    outline = min(parts, key=lambda g: (round(g.distance(here), 6), -g.area))
    if (
        outline.distance(here) > 1.0
        or shapely.maximum_inscribed_circle(outline, tolerance=0.1).length < LEAST
    ):
        return None
    return touching(shapely.orient_polygons(outline), grown)


def touching(outline: shapely.Polygon, grown: Sequence[shapely.Geometry]) -> Spacer | None:
    """A spacer, its rings oriented, with the places at which it touches islands.

    None when it touches only one.
    """
    # Rings are oriented with the material to their left: what is to the right of a side is outside, in holes
    # too.
    rings = [
        np.asarray(r.coords)[:, :2]
        for r in shapely.get_parts(shapely.segmentize(outline.boundary, _STEP / 2))
    ]
    a, b = np.concatenate([r[:-1] for r in rings]), np.concatenate([r[1:] for r in rings])
    middle, d = (a + b) / 2, b - a
    length = np.hypot(d[:, 0], d[:, 1])
    keep = length > 1e-6
    middle, d, length = middle[keep], d[keep], length[keep]
    outward = np.stack([d[:, 1], -d[:, 0]], 1) / length[:, None]
    touched = np.full(len(middle), -1)
    spots = shapely.points(middle)
    first, last = shapely.points(a[keep]), shapely.points(b[keep])
    for n, island in enumerate(grown):
        # A side lies along an island with both its ends; a corner that touches it holds nothing.
        along = np.max([shapely.distance(island.boundary, p) for p in (spots, first, last)], axis=0) < _ALONG
        if float(length[along].sum()) >= _CONTACT:
            touched[along] = n
    on = touched >= 0
    numbers = tuple(int(v) for v in np.unique(touched[on]))
    if len(numbers) < 2:
        return None
    return Spacer(outline, numbers, middle[on], outward[on], touched[on], length[on])


def _same(a: Spacer, b: Spacer) -> bool:
    """Whether two spacers lie mostly on one another."""
    shared = intersection(a.outline, b.outline).area
    return bool(shared > 0.5 * min(a.outline.area, b.outline.area))
