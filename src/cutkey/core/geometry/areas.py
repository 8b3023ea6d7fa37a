"""Flat areas put together, cut and grown: the one guarded door to the geometry library.

Outlines that come from meshes touch and cross themselves by rounding. Depending on its version the library
raises on such input, or gives back something invalid. Every function here answers with valid polygons: it
tries what was asked, then the same with its input made valid, then with all points on a fine grid.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.errors import GEOSException

from cutkey.core.geometry.arrays import Float

#: Points fall on a grid this fine when nothing else helps; the second one is coarse enough for what single
#: precision leaves, mm.
GRIDS = (1e-6, 1e-5, 1e-3)
#: Places spread over a piece keep so far off its edge, mm, or a third of its half width if that is less.
_OFF_EDGE = 0.05


def sound(geometry: shapely.Geometry) -> shapely.Geometry:
    """The polygons of a geometry, made valid."""
    if not shapely.is_valid(geometry):
        geometry = shapely.make_valid(geometry)
    if geometry.geom_type in ("Polygon", "MultiPolygon"):
        return geometry
    parts = [
        g
        for g in shapely.get_parts(geometry)
        if g.geom_type in ("Polygon", "MultiPolygon") and not g.is_empty
    ]
    return union(parts) if parts else shapely.Polygon()


def _tried(ways: Iterable[Callable[[], shapely.Geometry]]) -> shapely.Geometry:
    """The first answer that is valid."""
    answer: shapely.Geometry | None = None
    for way in ways:
        try:
            found = way()
        except GEOSException:
            continue
        if shapely.is_valid(found):
            return found
        answer = found
    return sound(answer) if answer is not None else shapely.Polygon()


def union(
    areas: Sequence[shapely.Geometry] | NDArray[np.object_], grid: float | None = None
) -> shapely.Geometry:
    """All that some areas cover; their outlines may cross and touch themselves.

    Parameters
    ----------
    areas : sequence of geometry
        mm.
    grid : float, optional
        Points fall on a grid this fine, mm.

    Returns
    -------
    Polygon or MultiPolygon
        Valid; empty when there is nothing.
    """
    some = np.asarray(areas, object).ravel()
    if len(some) == 0:
        return shapely.Polygon()

    def on_grid(step: float) -> shapely.Geometry:
        return shapely.union_all(shapely.set_precision(shapely.make_valid(some), step))

    ways: list[Callable[[], shapely.Geometry]] = [
        lambda: shapely.union_all(some, grid_size=grid),
        lambda: shapely.union_all(shapely.make_valid(some)),
        *(lambda step=step: on_grid(step) for step in GRIDS),
    ]
    return _tried(ways)


def coverage_union(areas: Sequence[shapely.Geometry] | NDArray[np.object_]) -> shapely.Geometry:
    """All that areas cover which do not overlap and share their boundaries.

    Where they do not quite, their plain union.

    Parameters
    ----------
    areas : sequence of geometry
        mm.

    Returns
    -------
    Polygon or MultiPolygon
    """
    some = np.asarray(areas, object).ravel()
    try:
        whole = shapely.coverage_union_all(some)
    except GEOSException:
        return union(some)
    off = abs(whole.area - float(shapely.area(some).sum()))
    return whole if shapely.is_valid(whole) and off <= 1e-6 * max(whole.area, 1e-12) else union(some)


def _two(what: Callable[..., shapely.Geometry], a: shapely.Geometry, b: shapely.Geometry) -> shapely.Geometry:
    def on_grid(step: float) -> shapely.Geometry:
        return what(*(shapely.set_precision(shapely.make_valid(g), step) for g in (a, b)))

    ways: list[Callable[[], shapely.Geometry]] = [
        lambda: what(a, b),
        lambda: what(shapely.make_valid(a), shapely.make_valid(b)),
        *(lambda step=step: on_grid(step) for step in GRIDS),
    ]
    return _tried(ways)


def intersection(a: shapely.Geometry, b: shapely.Geometry) -> shapely.Geometry:
    """What two geometries have in common."""
    return _two(shapely.intersection, a, b)


def difference(a: shapely.Geometry, b: shapely.Geometry) -> shapely.Geometry:
    """What of the first lies outside the second."""
    return _two(shapely.difference, a, b)


def grown(area: shapely.Geometry, mm: float, **how: object) -> shapely.Geometry:
    """An area grown by a distance, or shrunk by a negative one; `how` as for ``shapely.buffer``."""
    return _tried([lambda: shapely.buffer(area, mm, **how), lambda: shapely.buffer(sound(area), mm, **how)])


def filled_out(area: shapely.Geometry) -> shapely.Geometry:
    """An area without its holes."""
    return union([shapely.Polygon(p.exterior) for p in shapely.get_parts(area) if p.geom_type == "Polygon"])


def covered(triangles: NDArray[np.object_], slit: float) -> shapely.Geometry:
    """Area that triangles cover, which may lie over one another.

    Holes smaller than `slit`, left by rounding, are closed.

    Parameters
    ----------
    triangles : ndarray of Polygon, (T,), object
        mm.
    slit : float
        mm2.
    """
    some = triangles[shapely.area(triangles) > 1e-12]
    whole = coverage_union(some) if len(some) else shapely.Polygon()
    parts = [g for g in shapely.get_parts(whole) if g.geom_type == "Polygon"]
    return union(
        [
            shapely.Polygon(p.exterior, [h for h in p.interiors if shapely.Polygon(h).area > slit])
            for p in parts
        ]
    )


def area_of(rings: Sequence[Float]) -> shapely.Geometry:
    """Region of oriented rings as the solid library gives them.

    Counter-clockwise ones filled, clockwise ones holes.

    Parameters
    ----------
    rings : sequence of ndarray, (N, 2), float64
        mm.

    Returns
    -------
    Polygon or MultiPolygon
    """
    rings = [np.asarray(r, float) for r in rings if len(r) >= 3]
    if not rings:
        return shapely.Polygon()
    polygons = shapely.polygons([shapely.linearrings(r) for r in rings])
    signed = np.array([_signed(r) for r in rings])
    area = union(shapely.make_valid(polygons[signed > 0]))
    return difference(area, union(shapely.make_valid(polygons[signed < 0]))) if (signed < 0).any() else area


def _signed(ring: Float) -> float:
    x, y = ring[:, 0] - ring[0, 0], ring[:, 1] - ring[0, 1]
    return float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def inner_places(area: shapely.Geometry, most: int) -> Float:
    """Places well inside the pieces of an area, one a piece, in the largest first.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    most : int
        How many.

    Returns
    -------
    ndarray, (N, 2), float64
    """
    parts = sorted(shapely.get_parts(area), key=lambda g: -g.area)[:most]
    circles = shapely.maximum_inscribed_circle(
        np.array([g for g in parts if g.area > 0], object), tolerance=0.02
    )
    return np.asarray(shapely.get_coordinates(shapely.get_point(circles, 0)))


def spread_places(part: shapely.Polygon, count: int) -> Float:
    """Return places spread over a piece: one in its widest part, and a grid that keeps off its edge.

    Parameters
    ----------
    part : Polygon
        mm.
    count : int
        About how many.

    Returns
    -------
    ndarray, (N, 2), float64
    """
    widest = shapely.maximum_inscribed_circle(part, tolerance=0.02)
    inner = grown(part, -min(_OFF_EDGE, float(widest.length) / 3))
    if inner.is_empty:
        inner = part
    x0, y0, x1, y1 = inner.bounds
    step = math.sqrt(max(inner.area, 1e-9) / count)
    gx, gy = np.meshgrid(np.arange(x0 + step / 2, x1 + step, step), np.arange(y0 + step / 2, y1 + step, step))
    grid = np.c_[gx.ravel(), gy.ravel()]
    grid = grid[shapely.contains_xy(inner, grid[:, 0], grid[:, 1])]
    p = widest.coords[0]
    return np.concatenate([[p], grid]) if len(grid) else np.array([p])
