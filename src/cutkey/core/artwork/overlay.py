"""Painted shapes to a partition: what is painted later covers what is under it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.colour.difference import hex_of, rgb_of
from cutkey.core.geometry.areas import union
from cutkey.core.geometry.arrays import Bool
from cutkey.core.geometry.region import Region

#: From so many areas on it pays to look for what is hidden, in pieces of so many corners.
_FEW, _PIECE = 12, 6
#: Colours mix to nothing visible below this opacity.
_CLEAR = 0.02


class Paint(NamedTuple):
    """An area in one colour."""

    colour: str
    area: shapely.Geometry
    opacity: float = 1.0


def overlay(painted: Sequence[Paint], grid: float) -> list[Region]:
    """What is seen of a stack of painted areas, the first at the bottom.

    All outlines are noded once on a grid, so that the regions share their boundaries to the last bit; each
    face takes the colour that the paints over it mix to, over white where they do not cover.

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
    lines = shapely.union_all(_seen(areas, np.array([p.opacity > 1 - _CLEAR for p in shown])), grid_size=grid)
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
    return [
        Region(c, as_multi(shapely.coverage_union_all(faces[colours == c])))
        for c in sorted(first, key=lambda c: first[c])
    ]


def _seen(areas: NDArray[np.object_], opaque: Bool) -> NDArray[np.object_]:
    """The outlines of a stack of areas without most of what lies hidden under later opaque ones.

    Where colours meet an outline is seen, so nothing is lost by it; ends that are left hanging bound no face.
    """
    outlines = shapely.boundary(areas)
    if len(areas) < _FEW:
        return np.asarray(outlines)
    # In pieces of a few corners: each is hidden as a whole or not at all.
    lines, of = shapely.get_parts(outlines, return_index=True)
    points, line = shapely.get_coordinates(lines, return_index=True)
    number = np.arange(len(line))
    first, last = np.searchsorted(line, line, side="left"), np.searchsorted(line, line, side="right") - 1
    begins = np.flatnonzero(((number - first) % _PIECE == 0) & (number < last))
    ends = np.minimum(begins + _PIECE, last[begins])
    counts = ends - begins + 1
    index = np.repeat(begins - np.r_[0, np.cumsum(counts)[:-1]], counts) + np.arange(int(counts.sum()))
    pieces = shapely.linestrings(points[index], indices=np.repeat(np.arange(len(begins)), counts))
    owner = of[line[begins]]
    hidden = np.zeros(len(pieces), bool)
    tree = shapely.STRtree(pieces)
    shapely.prepare(areas)
    for n in np.flatnonzero(opaque).tolist():
        under = tree.query(areas[n], predicate="contains_properly")
        hidden[under[owner[under] < n]] = True
    return np.asarray(pieces[~hidden])


def _joined(painted: Sequence[Paint]) -> list[Paint]:
    """Opaque paints of one colour that follow one another as one.

    Outlines hidden in them need not be noded with all others.
    """
    out: list[Paint] = []
    for _, run in groupby(painted, key=lambda p: (p.colour, p.opacity)):
        some = list(run)
        together = len(some) > 1 and some[0].opacity > 1 - _CLEAR
        out += [some[0]._replace(area=union([p.area for p in some]))] if together else some
    return out


def as_multi(geometry: shapely.Geometry) -> shapely.MultiPolygon:
    """Polygons as one multipolygon."""
    return shapely.multipolygons([g for g in shapely.get_parts(geometry) if g.geom_type == "Polygon"])
