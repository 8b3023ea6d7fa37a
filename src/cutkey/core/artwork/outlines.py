"""Lines of a drawing chained to outlines, and outlines nested to areas.

Nothing is left out without being counted.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference, sound, union
from cutkey.core.geometry.arrays import Float
from cutkey.core.lettering.outline import Line, filled

#: Of the smaller of two outlines, what may lie outside the other and still be rounding.
_ROUNDING = 1e-4


class Chains(NamedTuple):
    """Lines of a drawing, chained."""

    closed: list[Line]
    open: list[Line]
    twice: int  # lines that were drawn more than once
    gaps: int  # that were closed
    widest: float  # of these


class Areas(NamedTuple):
    """Area of some outlines."""

    area: shapely.Geometry
    twice: int  # outlines that were drawn more than once
    overlapping: int  # outlines that lie partly over another


def chained(lines: Sequence[Line], snap: float, reach: float) -> Chains:
    """Lines chained end to end.

    Parameters
    ----------
    lines : sequence of Line
    snap : float
        Ends that lie so near one another are one; above the drawing's own rounding.
    reach : float
        Gaps no wider than this between what then stays open are closed, and counted.
    """
    closed = [line for line in lines if line.closed]
    loose, twice = _once([line.points for line in lines if not line.closed], snap)
    rings, loose = _merged(loose, snap)
    gaps, widest = 0, 0.0
    if loose and reach > snap:
        more, rest, gaps, widest = _bridged(loose, reach)
        rings, loose = [*rings, *more], rest
    return Chains(
        [*closed, *(Line(r, True) for r in rings)], [Line(p, False) for p in loose], twice, gaps, widest
    )


def _once(loose: list[Float], snap: float) -> tuple[list[Float], int]:
    """Open lines, each once, whichever way it was drawn."""
    seen: dict[tuple[int, ...], Float] = {}
    grain = max(snap, 1e-9)
    for p in loose:
        ends = sorted([tuple(np.round(p[0] / grain).astype(int)), tuple(np.round(p[-1] / grain).astype(int))])
        middle = shapely.line_interpolate_point(shapely.LineString(p), 0.5, normalized=True)
        key = (*ends[0], *ends[1], round(middle.x / grain / 4), round(middle.y / grain / 4))
        seen.setdefault(key, p)
    return list(seen.values()), len(loose) - len(seen)


def _merged(loose: list[Float], snap: float) -> tuple[list[Float], list[Float]]:
    """Rings and open lines of lines whose ends are near one another.

    Ends within reach are moved to one place; rings are without their closing point.
    """
    if not loose:
        return [], []
    ends = np.array([[p[0], p[-1]] for p in loose]).reshape(-1, 2)
    tree = shapely.STRtree(shapely.points(ends))
    pairs = tree.query(shapely.points(ends), predicate="dwithin", distance=snap)
    group = np.arange(len(ends))
    for a, b in pairs.T.tolist():
        group[a] = min(group[a], group[b])
    for k in range(len(group)):
        group[k] = group[group[k]]
    moved = [
        np.concatenate([ends[group[2 * k]][None], p[1:-1], ends[group[2 * k + 1]][None]])
        for k, p in enumerate(loose)
    ]
    lines = [shapely.LineString(p) for p in moved]
    whole = shapely.get_parts(
        shapely.line_merge(shapely.multilinestrings([g for g in lines if g.length > 0]))
    )
    rings = [shapely.get_coordinates(g)[:-1] for g in whole if g.is_closed]
    return rings, [shapely.get_coordinates(g) for g in whole if not g.is_closed]


def _bridged(loose: list[Float], reach: float) -> tuple[list[Float], list[Float], int, float]:
    """Open lines whose ends are each other's nearest within reach become one.

    Rings, what stays open, gaps closed and the widest.
    """
    ends = np.array([[p[0], p[-1]] for p in loose]).reshape(-1, 2)
    one, other = shapely.STRtree(shapely.points(ends)).query(
        shapely.points(ends), predicate="dwithin", distance=reach
    )
    off = np.hypot(*(ends[one] - ends[other]).T)
    taken: set[int] = set()
    bridges = []
    for k in np.argsort(off, kind="stable"):
        a, b = int(one[k]), int(other[k])
        if a < b and a not in taken and b not in taken:
            taken |= {a, b}
            bridges.append((a, b, float(off[k])))
    if not bridges:
        return [], loose, 0, 0.0
    lines = [p.copy() for p in loose]
    for a, b, _ in bridges:
        middle = (ends[a] + ends[b]) / 2
        for k in (a, b):
            lines[k // 2][0 if k % 2 == 0 else -1] = middle
    rings, rest = _merged(lines, 0.0)
    return rings, rest, len(bridges), max(d for *_, d in bridges)


def nested(rings: Sequence[Line], same: float) -> Areas:
    """Area of outlines: one inside another is a hole, one inside a hole an island.

    Those that overlap belong together.

    Parameters
    ----------
    rings : sequence of Line
        Closed.
    same : float
        Outlines that nowhere lie further from one another are one.
    """
    shapes = [a for a in (filled([r], "evenodd") for r in rings) if not a.is_empty]
    kept, twice = _different(shapes, same)
    if len(kept) < 2:
        return Areas(union(kept) if kept else shapely.Polygon(), twice, 0)
    inner, outer = shapely.STRtree(kept).query(kept, predicate="intersects")
    other = inner != outer
    inner, outer = inner[other], outer[other]
    shape = np.array(kept, object)
    area = shapely.area(shape)
    smaller = (area[inner] < area[outer]) | ((area[inner] == area[outer]) & (inner < outer))
    inner, outer = inner[smaller], outer[smaller]
    shared = np.array([_shared(shape[a], shape[b]) for a, b in zip(inner, outer, strict=True)])
    inside = shared > (1 - _ROUNDING) * area[inner]
    across = ~inside & (shared > _ROUNDING * area[inner])
    depth = np.bincount(inner[inside], minlength=len(kept))
    whole: shapely.Geometry = shapely.Polygon()
    for level in range(int(depth.max()) + 1):
        of_level = union(list(shape[depth == level]))
        whole = difference(whole, of_level) if level % 2 else union([whole, of_level])
    return Areas(sound(whole), twice, len(np.unique(np.concatenate([inner[across], outer[across]]))))


def _shared(inner: shapely.Geometry, outer: shapely.Geometry) -> float:
    # Most pairs lie wholly in one another, which is told sooner than an intersection is made.
    if shapely.covers(outer, inner):
        return float(inner.area)
    return float(inner.area - difference(inner, outer).area)


def _different(shapes: list[shapely.Geometry], same: float) -> tuple[list[shapely.Geometry], int]:
    """Shapes, each once however it was drawn, and how many went."""
    if not shapes:
        return [], 0
    corners = shapely.bounds(np.array(shapes, object))
    low = shapely.points(corners[:, :2])
    one, other = shapely.STRtree(low).query(low, predicate="dwithin", distance=2 * same)
    alike = (one < other) & (np.abs(corners[one] - corners[other]).max(1) <= same)
    gone: set[int] = set()
    for a, b in zip(one[alike].tolist(), other[alike].tolist(), strict=True):
        if (
            a not in gone
            and b not in gone
            and shapely.hausdorff_distance(shapes[a].boundary, shapes[b].boundary) <= 2 * same
        ):
            gone.add(b)
    return [g for k, g in enumerate(shapes) if k not in gone], len(gone)
