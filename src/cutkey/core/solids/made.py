"""Bodies made from numbers or from a graphic's outline: plates, coins, rings, polygons, backings and figures."""

from __future__ import annotations

import math
from collections.abc import Callable

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.areas import union
from cutkey.core.errors import BadInput
from cutkey.core.solids.bases import BackingBase, CoinBase, Edge, MadeBase, PlateBase, PolygonBase, RingBase
from cutkey.core.solids.primitives import prism, rounded_rectangle
from cutkey.core.solids.solid import Solid

#: Largest distance of a made curve from its straight sides, mm.
_FLATNESS = 0.01


def made_solid(base: MadeBase, figure: shapely.Geometry | None = None) -> Solid:
    """The body on z = 0, its middle at x = y = 0.

    Parameters
    ----------
    base : one of the bases
    figure : Polygon or MultiPolygon, optional
        All regions of the graphic that a backing or figure is made from, mm.

    Raises
    ------
    BadInput
        When a length leaves no volume.
    """
    if min(base.height, getattr(base, "width", 1), getattr(base, "depth", 1), getattr(base, "diameter", 1)) <= 0:
        raise BadInput("The body has no volume; give it a size and a height above 0.")
    if isinstance(base, PlateBase):
        # Corners keep their number of points whatever the inset, so that layers match point by point.
        corner = min(base.corner, base.width / 2, base.depth / 2)
        return _edged(lambda d: _inset_rectangle(base.width, base.depth, corner, d), base.height, base.edge, base.edge_mm)
    if isinstance(base, CoinBase):
        return _coin(base)
    if isinstance(base, RingBase):
        if not 0 < base.inner < base.diameter:
            raise BadInput("The ring's hole must be smaller than the ring.")
        return prism(shapely.Polygon(_circle(base.diameter / 2), [_circle(base.inner / 2)]), 0.0, base.height)
    if isinstance(base, PolygonBase):
        if base.sides < 3:
            raise BadInput("A polygon has three sides or more.")
        return _edged(lambda d: _regular(base.sides, base.width / 2 - d), base.height, base.edge, base.edge_mm)
    if figure is None or figure.is_empty:
        raise BadInput("The graphic is empty, so no body can be made from it.")
    outline = figure
    if isinstance(base, BackingBase):
        grown = shapely.buffer(figure, max(base.margin, 0.01), quad_segs=24)
        outline = union([shapely.Polygon(p.exterior) for p in shapely.get_parts(grown)])
    return prism(outline, 0.0, base.height)


def _circle(radius: float) -> np.ndarray:
    sides = max(48, math.ceil(math.pi / math.acos(1 - min(0.5, _FLATNESS / radius))))
    t = np.arange(sides) * 2 * np.pi / sides
    return np.c_[radius * np.cos(t), radius * np.sin(t)]


def _regular(sides: int, inner: float) -> np.ndarray:
    t = (np.arange(sides) + 0.5) * 2 * np.pi / sides - np.pi / 2
    return np.c_[np.cos(t), np.sin(t)] * inner / math.cos(math.pi / sides)


def _inset_rectangle(width: float, depth: float, corner: float, inset: float) -> np.ndarray:
    if inset == 0:
        return np.asarray(rounded_rectangle(width, depth, corner).exterior.coords)[:-1]
    per_quarter = len(rounded_rectangle(width, depth, corner).exterior.coords) // 4
    r = max(corner - inset, 0.01)
    t = np.linspace(0, np.pi / 2, max(2, per_quarter))
    x, y = width / 2 - inset - r, depth / 2 - inset - r
    quarters = [
        np.c_[sx * x + r * np.cos(t + k * np.pi / 2), sy * y + r * np.sin(t + k * np.pi / 2)]
        for k, (sx, sy) in enumerate(((1, 1), (-1, 1), (-1, -1), (1, -1)))
    ]
    return np.concatenate(quarters)


def _edged(outline: Callable[[float], np.ndarray], height: float, edge: Edge, mm: float) -> Solid:
    """A straight body whose upper edge is finished; `outline` gives its outline at an inset, always as many points."""
    mm = min(mm, _most_edge(height, outline(0.0)))
    if edge == "sharp" or mm <= 0:
        return prism(shapely.Polygon(outline(0.0)), 0.0, height)
    # Insets above 0 from the start, so that every layer has the same points.
    tiny = 1e-9
    if edge == "chamfer":
        layers = [(0.0, tiny), (height - mm, tiny), (height, mm)]
    else:
        t = np.linspace(0, np.pi / 2, max(6, math.ceil(math.pi / 4 / math.acos(1 - min(0.5, _FLATNESS / mm))) + 1))
        layers = [(0.0, tiny), *((height - mm + mm * math.sin(a), tiny + mm * (1 - math.cos(a))) for a in t.tolist())]
    return lofted([outline(d) for _, d in layers], [z for z, _ in layers])


def _most_edge(height: float, outline: np.ndarray) -> float:
    """The largest fillet or chamfer that a body takes, mm."""
    return min(0.9 * height, 0.45 * float(np.ptp(outline, axis=0).min()))


def edge_taken(base: object) -> tuple[float, float, str] | None:
    """How large an edge was asked for and is made, mm, and of which kind; None for a body without one."""
    if not isinstance(base, PlateBase | CoinBase | PolygonBase) or base.edge == "sharp" or base.edge_mm <= 0:
        return None
    if isinstance(base, PlateBase):
        outline = np.array([(0.0, 0.0), (base.width, base.depth)])
    else:
        outline = _circle(base.diameter / 2) if isinstance(base, CoinBase) else _regular(base.sides, base.width / 2)
    return base.edge_mm, min(base.edge_mm, _most_edge(base.height, outline)), base.edge


def lofted(rings: list[np.ndarray], heights: list[float]) -> Solid:
    """Body between rings (N, 2) at rising heights, joined point by point."""
    n = len(rings[0])
    vertices = np.concatenate([np.c_[r, np.full(n, z)] for r, z in zip(rings, heights, strict=True)])
    i = np.arange(n)
    j = np.roll(i, -1)
    faces = [np.asarray(m3.triangulate([rings[0]], 0.0, True), np.int64).reshape(-1, 3)[:, ::-1]]
    for k in range(len(rings) - 1):
        low, high = k * n, (k + 1) * n
        faces += [np.stack([i + low, j + low, j + high], 1), np.stack([i + low, j + high, i + high], 1)]
    faces.append(np.asarray(m3.triangulate([rings[-1]], 0.0, True), np.int64).reshape(-1, 3) + (len(rings) - 1) * n)
    return m3.Manifold(m3.Mesh64(np.ascontiguousarray(vertices), np.concatenate(faces).astype(np.uint64)))


def _coin(base: CoinBase) -> Solid:
    radius = base.diameter / 2
    body = _edged(lambda d: _circle(radius) * (1 - d / radius), base.height, base.edge, base.edge_mm)
    if base.rim <= 0 or base.rim_height <= 0:
        return body
    if base.rim >= radius or base.rim_height * (2 if base.both else 1) >= base.height:
        raise BadInput("The coin's rim leaves no field; make it narrower and lower.")
    field = shapely.Polygon(_circle(radius - base.rim))
    fields = [prism(field, base.height - base.rim_height, base.height + 1)]
    if base.both:
        fields.append(prism(field, -1.0, base.rim_height))
    return m3.Manifold.batch_boolean([body, *fields], m3.OpType.Subtract)
