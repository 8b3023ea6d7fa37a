"""The lines of a layer as they are drawn: along the outlines, full where it is seen, a pattern inside."""

from __future__ import annotations

import math

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference, intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.rehearse.settings import Settings

_QUARTER = 4


def walls_of(area: shapely.Geometry, settings: Settings) -> list[Float]:
    """Middles of the lines along the outlines of an area.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    settings : Settings

    Returns
    -------
    list of ndarray, (N, 2), float64
        mm, closed.
    """
    out = []
    for k in range(settings.walls):
        inset = shapely.buffer(area, -settings.line * (k + 0.5), quad_segs=_QUARTER)
        out += [shapely.get_coordinates(r) for r in shapely.get_rings(shapely.get_parts(inset))]
    return out


def inside_of(
    area: shapely.Geometry, hidden: shapely.Geometry, number: int, settings: Settings
) -> list[Float]:
    """Middles of the lines inside an area.

    Side by side where it is printed full, further apart where layers above and below hide it.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    hidden : Polygon or MultiPolygon
        What lies both under and over something, mm.
    number : int
        Of the layer; every other goes the other way.
    settings : Settings
    """
    inner = shapely.buffer(area, -settings.walls * settings.line, quad_segs=_QUARTER)
    if inner.is_empty:
        return []
    full, sparse = difference(inner, hidden), intersection(inner, hidden)
    out = _hatched(full, settings.line, number)
    return out + (_hatched(sparse, settings.line / settings.infill, number) if settings.infill > 0 else [])


def _hatched(area: shapely.Geometry, apart: float, number: int) -> list[Float]:
    """Parallel lines in an area, at 45 degrees, on a grid of their own so that layers lie over each other."""
    if area.is_empty:
        return []
    a = math.radians(45 if number % 2 else -45)
    along, across = np.array([math.cos(a), math.sin(a)]), np.array([-math.sin(a), math.cos(a)])
    corners = np.array([(x, y) for x in area.bounds[0::2] for y in area.bounds[1::2]])
    s, t = corners @ along, corners @ across
    at = apart * np.arange(math.floor(t.min() / apart), math.ceil(t.max() / apart) + 1)
    ends = at[:, None, None] * across + np.array([s.min() - 1, s.max() + 1])[None, :, None] * along
    cut = shapely.intersection(shapely.multilinestrings(shapely.linestrings(ends)), area)
    return [shapely.get_coordinates(g) for g in shapely.get_parts(cut) if g.geom_type == "LineString"]
