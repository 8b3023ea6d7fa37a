"""Solids made from outlines and numbers."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.solid import Solid

#: Tools reach this far past a surface, mm, so that no two faces merely touch.
PAST = 0.5


def prism(geometry: shapely.Geometry, z0: float, z1: float) -> Solid:
    """Straight prism over a flat region from height z0 to z1.

    Every vertex of the outline is kept as it is, so prisms over neighbouring regions share their walls
    exactly.

    Parameters
    ----------
    geometry : Polygon or MultiPolygon
        In mm. What has no area in it gives nothing: the library's triangulation ends the process where there
        is no outline.
    z0, z1 : float
        A prism that does not rise is empty, not inside out.
    """
    solids: list[Solid] = []
    if not z1 > z0:
        return m3.Manifold()
    for polygon in shapely.get_parts(geometry):
        if polygon.geom_type != "Polygon" or not polygon.area > 0:
            continue
        rings = region_rings(polygon)
        triangles = np.asarray(m3.triangulate(rings, 0.0, True), np.int64)
        xy = np.concatenate(rings)
        n = len(xy)
        walls = []
        begin = 0
        for ring in rings:
            i = np.arange(begin, begin + len(ring))
            j = np.roll(i, -1)
            walls += [np.stack([i, j, j + n], 1), np.stack([i, j + n, i + n], 1)]
            begin += len(ring)
        vertices = np.concatenate([np.c_[xy, np.full(n, z0)], np.c_[xy, np.full(n, z1)]])
        faces = np.concatenate([triangles[:, ::-1], triangles + n, *walls])
        solid = m3.Manifold(m3.Mesh64(vertices, faces.astype(np.uint64)))
        if solid.status() != m3.Error.NoError or solid.is_empty():
            # An outline that touches itself: the library's own extrusion resolves it.
            solid = m3.CrossSection(rings, m3.FillRule.EvenOdd).extrude(z1 - z0).translate((0, 0, z0))
        solids.append(solid)
    if not solids:
        return m3.Manifold()
    return (
        m3.Manifold.compose(solids) if _apart(geometry) else m3.Manifold.batch_boolean(solids, m3.OpType.Add)
    )


def stepped_prism(steps: Sequence[tuple[shapely.Polygon, float]], z0: float) -> Solid:
    """A prism whose outline grows in steps as it rises, built as one mesh: no boolean has to join the steps.

    Parameters
    ----------
    steps : sequence of (Polygon, float)
        Outlines, each well inside the next and with as many holes, and the height up to which each goes, mm.
    z0 : float
        Where the first begins.
    """
    points: list[np.ndarray] = []
    faces: list[np.ndarray] = []
    count = 0
    # rings of the step below, and the numbers of their upper points
    below: tuple[list[np.ndarray], np.ndarray] | None = None
    for outline, z1 in steps:
        rings = region_rings(outline)
        xy = np.concatenate(rings)
        n = len(xy)
        points += [np.c_[xy, np.full(n, z0)], np.c_[xy, np.full(n, z1)]]
        begin = count
        for ring in rings:
            i = np.arange(begin, begin + len(ring))
            j = np.roll(i, -1)
            faces += [np.stack([i, j, j + n], 1), np.stack([i, j + n, i + n], 1)]
            begin += len(ring)
        # The floor: all of the first outline, of the others what stands out over the one below.
        inner = [r[::-1] for r in below[0]] if below is not None else []
        numbers = np.arange(count, count + n)
        if below is not None:
            first = np.r_[0, np.cumsum([len(r) for r in below[0]])]
            numbers = np.concatenate([numbers, *(below[1][a:b][::-1] for a, b in pairwise(first.tolist()))])
        faces.append(numbers[np.asarray(m3.triangulate([*rings, *inner], 0.0, True), np.int64)[:, ::-1]])
        below = rings, np.arange(count + n, count + 2 * n)
        count += 2 * n
        z0 = z1
    assert below is not None
    faces.append(below[1][np.asarray(m3.triangulate(below[0], 0.0, True), np.int64)])
    return m3.Manifold(m3.Mesh64(np.concatenate(points), np.concatenate(faces).astype(np.uint64)))


def _apart(geometry: shapely.Geometry) -> bool:
    """Whether the parts of a multipolygon touch nowhere, so that they may stand side by side unjoined."""
    parts = shapely.get_parts(geometry)
    if len(parts) < 2:
        return True
    one, other = shapely.STRtree(parts).query(parts, predicate="intersects")
    return bool((one == other).all())


def region_rings(polygon: shapely.Polygon) -> list[np.ndarray]:
    """Points of the rings of a polygon, the outer one counter-clockwise, holes clockwise, none repeated.

    Returns
    -------
    list of ndarray, (N, 2), float64
        mm.
    """
    return [_ring(polygon.exterior, True), *(_ring(r, False) for r in polygon.interiors)]


def _ring(ring: shapely.LinearRing, ccw: bool) -> np.ndarray:
    xy = np.asarray(ring.coords)[:-1, :2]
    return np.ascontiguousarray(xy if shapely.is_ccw(ring) == ccw else xy[::-1])


def rounded_rectangle(width: float, height: float, radius: float, tolerance: float = 0.01) -> shapely.Polygon:
    """Rectangle about the origin with rounded corners; arcs flattened to `tolerance` mm.

    Parameters
    ----------
    width, height : float
        mm.
    radius : float
        mm; no more than half the shorter side.
    tolerance : float
        Between an arc and its chord, mm.
    """
    radius = max(0.0, min(radius, width / 2, height / 2))
    box = shapely.box(-width / 2 + radius, -height / 2 + radius, width / 2 - radius, height / 2 - radius)
    if radius == 0:
        return box
    per_quarter = max(4, math.ceil(math.pi / 4 / math.acos(1 - min(0.5, tolerance / radius))))
    core: shapely.Geometry = (
        box
        if not box.is_empty and box.area > 0
        else shapely.LineString([(box.bounds[0], box.bounds[1]), (box.bounds[2], box.bounds[3])])
    )
    return core.buffer(radius, quad_segs=per_quarter)


def rod(radius: float, length: float, sides: int = 64) -> Solid:
    """Round rod along +z from the origin, as a regular prism inscribed in the circle."""
    return m3.Manifold.cylinder(length, radius, radius, sides)


def lofted(rings: list[np.ndarray], heights: list[float]) -> Solid:
    """Body between rings (N, 2) at rising heights, joined point by point.

    Parameters
    ----------
    rings : list of ndarray, (N, 2), float64
        Counter-clockwise, all of the same N, mm.
    heights : list of float
        As many, rising, mm.
    """
    n = len(rings[0])
    vertices = np.concatenate([np.c_[r, np.full(n, z)] for r, z in zip(rings, heights, strict=True)])
    i = np.arange(n)
    j = np.roll(i, -1)
    faces = [np.asarray(m3.triangulate([rings[0]], 0.0, True), np.int64).reshape(-1, 3)[:, ::-1]]
    for k in range(len(rings) - 1):
        low, high = k * n, (k + 1) * n
        faces += [np.stack([i + low, j + low, j + high], 1), np.stack([i + low, j + high, i + high], 1)]
    faces.append(
        np.asarray(m3.triangulate([rings[-1]], 0.0, True), np.int64).reshape(-1, 3) + (len(rings) - 1) * n
    )
    return m3.Manifold(m3.Mesh64(np.ascontiguousarray(vertices), np.concatenate(faces).astype(np.uint64)))
