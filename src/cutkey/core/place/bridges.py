"""Bridges across what is cut through, so that the inner parts of letters stay where they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference, grown, intersection
from cutkey.core.geometry.region import Region
from cutkey.core.model.placement import Placement

#: Ways out of an inner part that are tried.
_WAYS = 72
#: The second bridge lies at least so far round from the first, degrees.
_APART = 120.0


def bridged(regions: Sequence[Region], placement: Placement) -> list[Region]:
    """Regions of a placed graphic, those that are cut through with bridges to every part that would fall out.

    What is cut through as one, of whatever colours, is looked at as one. From every inner part two bridges go where the way across is
    shortest, on opposite sides as far as the shape allows.

    Parameters
    ----------
    regions : sequence of Region
        In the face's coordinates, mm.
    placement : Placement
        Whose bridges are so wide, and whose depths say what is cut through.
    """
    through = [placement.depth_of(r.colour).mode == "through" for r in regions]
    if placement.bridges <= 0 or not any(through):
        return list(regions)
    # Colours that share an edge are one hole in the end.
    gone = shapely.union_all([grown(r.geometry, 1e-6) for r, t in zip(regions, through, strict=True) if t])
    strips = [s for p in shapely.get_parts(gone) for s in _strips(p, placement.bridges)]
    if not strips:
        return list(regions)
    away = shapely.union_all(strips)
    return [
        Region(r.colour, shapely.orient_polygons(difference(r.geometry, away))) if t else r for r, t in zip(regions, through, strict=True)
    ]


def _strips(piece: shapely.Polygon, wide: float) -> list[shapely.Geometry]:
    """Bridges over one piece of what is cut through; none where it has no inner parts."""
    out: list[shapely.Geometry] = []
    outside = shapely.Polygon(piece.exterior)
    inner = [shapely.Polygon(r) for r in piece.interiors]
    held = [False] * len(inner)
    # From the outermost on: a part that only another one's bridges can reach waits for it.
    for _ in range(len(inner)):
        waiting = [k for k, h in enumerate(held) if not h]
        if not waiting:
            break
        done = False
        for k in waiting:
            found = _ways(
                inner[k], outside, [inner[j] for j in range(len(inner)) if j != k], [held[j] for j in range(len(inner)) if j != k]
            )
            if found:
                out += [_strip(a, b, wide, piece) for a, b in found]
                held[k] = done = True
        if not done:
            break
    return out


def _ways(
    island: shapely.Polygon, outside: shapely.Polygon, others: Sequence[shapely.Polygon], held: Sequence[bool]
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Where the bridges of an inner part begin and end: the shortest, and the shortest on the other side of it."""
    middle = shapely.get_coordinates(shapely.point_on_surface(island))[0]
    x0, y0, x1, y1 = outside.bounds
    far = float(np.hypot(x1 - x0, y1 - y0)) + 1.0
    angles = 2 * np.pi * np.arange(_WAYS) / _WAYS + np.pi / 2
    good = shapely.union_all([o for o, h in zip(others, held, strict=True) if h]) if any(held) else shapely.Polygon()
    bad = shapely.union_all([o for o, h in zip(others, held, strict=True) if not h]) if not all(held) else shapely.Polygon()
    found: list[tuple[float, float, np.ndarray, np.ndarray]] = []
    for a in angles.tolist():
        way = np.array([np.cos(a), np.sin(a)])
        ray = shapely.LineString([middle, middle + far * way])
        start = max(
            (float(np.dot(p - middle, way)) for p in shapely.get_coordinates(shapely.intersection(ray, island.exterior))), default=0.0
        )
        # It ends where it leaves the outline, or at a part that is held already.
        ends = shapely.union_all([outside.exterior, good.boundary] if not good.is_empty else [outside.exterior])
        after = [t for t in ((shapely.get_coordinates(shapely.intersection(ray, ends)) - middle) @ way).tolist() if t > start + 1e-9]
        if not after:
            continue
        line = shapely.LineString([middle + start * way, middle + min(after) * way])
        if not bad.is_empty and line.intersects(bad):
            continue
        found.append((float(line.length), float(np.degrees(a)), middle + start * way, middle + min(after) * way))
    if not found:
        return []
    found.sort(key=lambda f: round(f[0], 3))
    first = found[0]
    second = next((f for f in found if abs((f[1] - first[1] + 180) % 360 - 180) >= _APART), None)
    return [f[2:] for f in (first, second) if f is not None]


def _strip(a: np.ndarray, b: np.ndarray, wide: float, piece: shapely.Polygon) -> shapely.Geometry:
    """A bridge: edges are seldom square to it, so it reaches on at both ends, and takes nothing that is not between them."""
    way = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    whole = shapely.LineString([a - wide * way, b + wide * way]).buffer(wide / 2, cap_style="flat")
    between = shapely.LineString([a, b])
    return shapely.union_all([g for g in shapely.get_parts(intersection(whole, piece)) if g.intersects(between)])
