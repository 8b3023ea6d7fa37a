"""Reading filled shapes of an SVG drawing into a partition."""

from __future__ import annotations

import io
import math
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.colour.difference import hex_of
from cutkey.core.errors import BadInput
from cutkey.core.trace.partition import Region

#: Millimetres of one CSS pixel (CSS Values and Units: 96 px = 1 in).
MM_PER_PX = 25.4 / 96


class Drawing(NamedTuple):
    """A read drawing: regions in px, y down, and the width it states."""

    regions: list[Region]
    width_mm: float


def read_svg(data: bytes, name: str) -> Drawing:
    """Filled shapes of an SVG file as regions without gap or overlap; what is painted later covers what is under it.

    Strokes, text, gradients and clip paths are not read yet.

    Raises
    ------
    BadInput
        When it is no SVG or holds no filled shape.
    """
    import svgelements as se

    if not data.strip():
        raise BadInput(f"{name} is empty; choose another drawing.")
    try:
        svg = se.SVG.parse(io.BytesIO(data), reify=True, ppi=96)
    except Exception:
        raise BadInput(f"{name} is not an SVG drawing that can be read; save it as plain SVG and open it again.") from None
    painted: list[tuple[str, shapely.Geometry]] = []
    for element in svg.elements():
        if not isinstance(element, se.Shape) or element.fill is None or element.fill.value is None or element.fill.alpha == 0:
            continue
        area = _area(se.Path(element), str(element.values.get("fill-rule", "nonzero")))
        if not area.is_empty:
            painted.append((hex_of((element.fill.red, element.fill.green, element.fill.blue)), area))
    if not painted:
        raise BadInput(f"{name} holds no filled shape; give its shapes a fill colour, or turn lines and text into outlines.")
    regions = _visible(painted)
    bounds = shapely.total_bounds(np.array([r.geometry for r in regions], object))
    return Drawing(regions, float(bounds[2] - bounds[0]) * MM_PER_PX)


def _area(path: object, rule: str) -> shapely.Geometry:
    """Area inside a path, curves flattened to 0.01 px."""
    rings = []
    for sub in path.as_subpaths():  # type: ignore[attr-defined]
        points: list[tuple[float, float]] = []
        for segment in sub:
            kind = type(segment).__name__
            if kind == "Move" or segment.end is None:
                continue
            if not points:
                points.append((segment.start.x, segment.start.y))
            if kind in ("Line", "Close"):
                points.append((segment.end.x, segment.end.y))
            else:
                n = int(min(96, max(6, 2.5 * math.sqrt(segment.length(error=1e-2)))))
                points.extend((p.x, p.y) for p in map(segment.point, np.linspace(0, 1, n + 1)[1:].tolist()))
        if len(points) >= 3:
            rings.append(shapely.Polygon(points))
    areas = [shapely.make_valid(r) for r in rings if r.area > 1e-9]
    if not areas:
        return shapely.Polygon()
    if rule == "evenodd":
        out = areas[0]
        for a in areas[1:]:
            out = shapely.symmetric_difference(out, a)
        return out
    # Non-zero: rings that turn against the largest one are holes.
    turn = [shapely.is_ccw(r.exterior) for r in rings if r.area > 1e-9]
    outward = turn[int(np.argmax([a.area for a in areas]))]
    filled = shapely.union_all([a for a, t in zip(areas, turn, strict=True) if t == outward])
    return shapely.difference(filled, shapely.union_all([a for a, t in zip(areas, turn, strict=True) if t != outward]))


def _visible(painted: list[tuple[str, shapely.Geometry]]) -> list[Region]:
    """Partition into what is seen of each colour: all outlines are noded once, each face takes the top-most paint."""
    outlines = shapely.union_all([shapely.boundary(g) for _, g in painted], grid_size=1e-6)
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(shapely.node(outlines))))
    inside = shapely.point_on_surface(faces)
    top = np.full(len(faces), -1)
    for k, (_, g) in enumerate(painted):
        shapely.prepare(g)
        top[shapely.contains(g, inside)] = k
    colours = np.array([painted[k][0] if k >= 0 else "" for k in top])
    out = []
    for colour in dict.fromkeys(c for c in colours if c):
        joined = shapely.coverage_union_all(faces[colours == colour])
        out.append(Region(colour, shapely.multipolygons(shapely.get_parts(joined))))
    return out
