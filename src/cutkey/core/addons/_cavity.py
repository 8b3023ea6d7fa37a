"""Emptying a body from one of its faces.

As much as leaves the walls and the floor asked for, however the walls lean.
"""

from __future__ import annotations

import math
from itertools import pairwise

import manifold3d as m3
import shapely

from cutkey.core.geometry.areas import area_of, grown, intersection, union
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import Solid, bounds_of

#: Height of the steps in which a cavity follows leaning walls, mm: one usual layer; and the most of them.
STEP, MOST = 0.2, 120
#: Slices nearer than this to one another are the same, mm2.
_SAME = 1e-4


def cavity(laid: Solid, opening: shapely.Geometry, wall: float, floor: float, past: float) -> Solid:
    """What is taken out of a body that lies with the face at z = 0 and its inside below.

    Seen from above nothing of it is nearer to the outside than `wall`, and nothing than `floor` to the
    underside: the body is eroded by an ellipsoid of these half measures. From the opening downwards it widens
    by no more than 45 degrees, so that it prints.

    Parameters
    ----------
    laid : Manifold
        The body in the face's coordinates.
    opening : Polygon or MultiPolygon
        Outline of the face.
    past : float
        How far the tool goes on above the face, mm.

    References
    ----------
    J. Serra: Image Analysis and Mathematical Morphology (1982), chapter 2: erosion by a body is the
    intersection of its shifts.
    """
    mouth = grown(opening, -wall, join_style="mitre")
    depth = -float(bounds_of(laid)[0][2])
    if mouth.is_empty or depth <= floor:
        return m3.Manifold()
    step = max(STEP, depth / MOST)
    count = math.ceil(depth / step)
    # Slices in the middle of each step; the opening goes on upwards as if it were filled, as it is no wall.
    middles = [-(k + 0.5) * step for k in range(-math.ceil(wall / step), count)]
    slices = _slices(laid, middles)
    first = math.ceil(wall / step)
    # by a hair over its edge, so that no crack is left along a rim
    filled = grown(opening, 0.01, join_style="mitre")
    slices = [union([s, filled]) if k < first else s for k, s in enumerate(slices)]
    known: dict[tuple[int, float], shapely.Geometry] = {}
    kinds = _kinds(slices)
    reach_up, reach_down = math.ceil(wall / step), math.ceil(floor / step)
    levels: list[shapely.Geometry] = []
    before = mouth
    for k in range(first, len(slices)):
        area = before if k == first else grown(before, step, join_style="mitre")
        for j in range(max(0, k - reach_up), min(len(slices), k + reach_down + 1)):
            height = abs(j - k) * step / (wall if j < k else floor)
            if height >= 1:
                continue
            need = round(wall * math.sqrt(1 - height**2), 4)
            key = (kinds[j], need)
            if key not in known:
                known[key] = grown(slices[j], -need, join_style="mitre")
            area = intersection(area, known[key])
            if area.is_empty:
                break
        # Below the floor's height over the very underside there is nothing to take.
        if -(k - first + 1) * step < -(depth - floor) - 1e-9:
            area = shapely.Polygon() if -(k - first) * step <= -(depth - floor) + 1e-9 else area
        if area.is_empty:
            break
        levels.append(area)
        before = area
    return _stacked(levels, step, depth - floor, past)


def _slices(laid: Solid, heights: list[float]) -> list[shapely.Geometry]:
    return [area_of(laid.slice(z).to_polygons()) for z in heights]


def _kinds(slices: list[shapely.Geometry]) -> list[int]:
    """A number for each slice, the same for neighbours that are alike."""
    out = [0]
    for a, b in pairwise(slices):
        alike = abs(a.area - b.area) < _SAME and shapely.symmetric_difference(a, b).area < _SAME
        out.append(out[-1] if alike else out[-1] + 1)
    return out


def _stacked(levels: list[shapely.Geometry], step: float, deepest: float, past: float) -> Solid:
    """Prisms over each other, those that are alike in one.

    They overlap by a hair so that all are one solid.
    """
    solids: list[Solid] = []
    begin = 0
    for k in range(1, len(levels) + 1):
        if k < len(levels) and abs(levels[k].area - levels[begin].area) < _SAME:
            continue
        top = past if begin == 0 else -begin * step + 1e-3
        solids.append(prism(levels[begin], -min(k * step, deepest), top))
        begin = k
    return m3.Manifold.batch_boolean(solids, m3.OpType.Add) if solids else m3.Manifold()


def depth_of(tool: Solid) -> float:
    """How deep a cavity goes below the face, mm."""
    return float(-bounds_of(tool)[0][2]) if not tool.is_empty() else 0.0
