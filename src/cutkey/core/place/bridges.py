"""Bridges across what is cut through, so that the inner parts of letters stay where they are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference, grown, intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.region import Region
from cutkey.core.model.placement import Placement

#: Ways out of an inner part that are tried.
_WAYS = 72
#: The second bridge lies at least so far round from the first, degrees, and is no longer than so many times
#: the first and a width more.
_APART, _LONGER = 120.0, 3.0
#: A part smaller than this, mm2, is a crumb; so many are joined at most.
_CRUMB, _MOST = 0.01, 200


class _Way(NamedTuple):
    """Where a bridge begins and ends."""

    begin: Float
    end: Float

    @property
    def length(self) -> float:
        return float(np.linalg.norm(self.end - self.begin))


def bridged(regions: Sequence[Region], placement: Placement, face: shapely.Geometry) -> list[Region]:
    """Regions of a placed graphic.

    Those that are cut through have bridges to every part of the face that they would cut off.

    What is cut through as one, of whatever colours, is looked at as one. Every part that would fall out gets
    two bridges where the way across is shortest, on opposite sides as far as the shape allows.

    Parameters
    ----------
    regions : sequence of Region
        In the face's coordinates, mm.
    placement : Placement
        Whose bridges are so wide, and whose depths say what is cut through.
    face : Polygon or MultiPolygon
        The face, mm.
    """
    through = [placement.depth_of(r.colour).mode == "through" for r in regions]
    if placement.bridges <= 0 or not any(through):
        return list(regions)
    # Colours that share an edge are one hole in the end; what lies beyond the face or in its margin is not
    # cut.
    gone = shapely.union_all([grown(r.geometry, 1e-6) for r, t in zip(regions, through, strict=True) if t])
    gone = intersection(gone, grown(face, -placement.margin) if placement.margin > 0 else face)
    strips = _strips(gone, face, placement.bridges)
    if not strips:
        return list(regions)
    away = shapely.union_all(strips)
    return [
        Region(r.colour, shapely.orient_polygons(difference(r.geometry, away))) if t else r
        for r, t in zip(regions, through, strict=True)
    ]


def _strips(gone: shapely.Geometry, face: shapely.Geometry, wide: float) -> list[shapely.Geometry]:
    """Bridges until the face hangs together as it did before."""
    out: list[shapely.Geometry] = []
    for whole in shapely.get_parts(face):
        rest = [
            g
            for g in shapely.get_parts(difference(whole, gone))
            if g.geom_type == "Polygon" and g.area > _CRUMB
        ]
        if len(rest) < 2 or len(rest) > _MOST:
            continue
        held, loose = [max(rest, key=lambda g: float(g.area))], []
        loose = [g for g in rest if g is not held[0]]
        while loose:
            firm = shapely.union_all(held)
            # The nearest first: what lies within another part waits for it.
            part = min(loose, key=lambda g: float(g.distance(firm)))
            out += [
                _strip(w, wide, gone)
                for w in _ways(part, firm, shapely.union_all([g for g in loose if g is not part]))
            ]
            loose.remove(part)
            held.append(part)
    return out


def _ways(part: shapely.Polygon, firm: shapely.Geometry, others: shapely.Geometry) -> list[_Way]:
    """The shortest way from a part to what holds, and the shortest on its other side.

    Straight up rather than slanted.
    """
    found = _straight(part, firm, others)
    nearest = shapely.get_coordinates(shapely.shortest_line(part, firm))
    direct = _Way(nearest[0], nearest[1])
    if not found or direct.length < 0.8 * found[0].length:
        found = [direct, *found]
    middle = shapely.get_coordinates(shapely.point_on_surface(part))[0]
    first = found[0]
    second = next((w for w in found[1:] if _turned(middle, first, w) >= _APART), None)
    if second is None or second.length > _LONGER * first.length + 1.0:
        return [first]
    return [first, second]


def _turned(middle: Float, one: _Way, other: _Way) -> float:
    """How far round a part one bridge begins from another, degrees."""
    a, b = one.begin - middle, other.begin - middle
    return abs(float(np.degrees(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))))


def _straight(part: shapely.Polygon, firm: shapely.Geometry, others: shapely.Geometry) -> list[_Way]:
    """Ways out of a part from its middle, the shortest first."""
    middle = shapely.get_coordinates(shapely.point_on_surface(part))[0]
    x0, y0, x1, y1 = shapely.union_all([part, firm]).bounds
    far = float(np.hypot(x1 - x0, y1 - y0)) + 1.0
    out: list[_Way] = []
    for a in (2 * np.pi * np.arange(_WAYS) / _WAYS + np.pi / 2).tolist():
        way = np.array([np.cos(a), np.sin(a)])
        ray = shapely.LineString([middle, middle + far * way])
        start = max(
            ((shapely.get_coordinates(intersection(ray, part.exterior)) - middle) @ way).tolist(), default=0.0
        )
        after = [
            t
            for t in ((shapely.get_coordinates(intersection(ray, firm.boundary)) - middle) @ way).tolist()
            if t > start + 1e-9
        ]
        if not after:
            continue
        found = _Way(middle + start * way, middle + min(after) * way)
        if others.is_empty or not shapely.LineString(found).intersects(others):
            out.append(found)
    return sorted(out, key=lambda w: round(w.length, 3))


def _strip(way: _Way, wide: float, gone: shapely.Geometry) -> shapely.Geometry:
    """A bridge: edges are seldom square to it, so it reaches on at both ends.

    It takes nothing that is not between them.
    """
    along = (way.end - way.begin) / max(way.length, 1e-9)
    whole = shapely.LineString([way.begin - wide * along, way.end + wide * along]).buffer(
        wide / 2, cap_style="flat"
    )
    between = shapely.LineString(way)
    return shapely.union_all(
        [g for g in shapely.get_parts(intersection(whole, gone)) if g.distance(between) < 1e-6]
    )
