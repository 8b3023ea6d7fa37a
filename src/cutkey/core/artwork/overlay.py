"""Painted shapes to a partition: what is painted later covers what is under it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.colour.difference import hex_of, rgb_of
from cutkey.core.geometry.areas import union
from cutkey.core.geometry.region import Region

#: Colours mix to nothing visible below this opacity.
_CLEAR = 0.02


class Paint(NamedTuple):
    """An area in one colour."""

    colour: str
    area: shapely.Geometry
    opacity: float = 1.0


def overlay(painted: Sequence[Paint], grid: float) -> list[Region]:
    """What is seen of a stack of painted areas, the first at the bottom.

    All outlines are noded once on a grid, so that the regions share their boundaries to the last bit; each face takes the
    colour that the paints over it mix to, over white where they do not cover.

    Parameters
    ----------
    painted : sequence of Paint
    grid : float
        Spacing of the grid on which outlines are noded; narrower slivers vanish.
    """
    shown = [p for p in painted if not p.area.is_empty and p.opacity > _CLEAR]
    if not shown:
        return []
    if len(shown) == 1 and shown[0].opacity > 1 - _CLEAR and shapely.is_valid(shown[0].area):
        return [Region(shown[0].colour, as_multi(shown[0].area))]
    shown = _joined(shown)
    areas = np.array([p.area for p in shown], object)
    lines = shapely.union_all(shapely.boundary(areas), grid_size=grid)
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(lines)))
    if len(faces) == 0:
        return []
    inside = shapely.point_on_surface(faces)
    shapely.prepare(areas)
    tree = shapely.STRtree(inside)
    rgb, alpha = np.zeros((len(faces), 3)), np.zeros(len(faces))
    for paint, area in zip(shown, areas, strict=True):
        hit = tree.query(area, predicate="contains")
        opacity = 1.0 if paint.opacity > 1 - _CLEAR else paint.opacity
        rgb[hit] = rgb[hit] * (1 - opacity) + np.array(rgb_of(paint.colour), float) * opacity
        alpha[hit] = alpha[hit] * (1 - opacity) + opacity
    seen = alpha > _CLEAR
    mixed, of = np.unique(np.round(rgb + 255 * (1 - alpha[:, None]), 6), axis=0, return_inverse=True)
    colours = np.where(seen, np.array([hex_of(c) for c in mixed], object)[of.ravel()], "")
    first = {c: k for k, c in reversed(list(enumerate(colours.tolist()))) if c}
    return [Region(c, as_multi(shapely.coverage_union_all(faces[colours == c]))) for c in sorted(first, key=lambda c: first[c])]


def _joined(painted: Sequence[Paint]) -> list[Paint]:
    """Opaque paints of one colour that follow one another as one: outlines hidden in them need not be noded with all others."""
    out: list[Paint] = []
    for _, run in groupby(painted, key=lambda p: (p.colour, p.opacity)):
        some = list(run)
        together = len(some) > 1 and some[0].opacity > 1 - _CLEAR
        out += [some[0]._replace(area=union([p.area for p in some]))] if together else some
    return out


def as_multi(geometry: shapely.Geometry) -> shapely.MultiPolygon:
    """Polygons as one multipolygon."""
    return shapely.multipolygons([g for g in shapely.get_parts(geometry) if g.geom_type == "Polygon"])
