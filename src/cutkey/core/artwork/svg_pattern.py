"""Pattern fills: the tile painted over the area it fills (SVG 2, section 14.3)."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING
from xml.etree import ElementTree

import numpy as np
import shapely

from cutkey.core.artwork.css import INITIAL, length_of
from cutkey.core.artwork.overlay import Paint
from cutkey.core.artwork.svg_values import NUMBER, mapping_of, tag_of, transform_of
from cutkey.core.geometry.areas import intersection, sound
from cutkey.core.words import reading as say

if TYPE_CHECKING:
    from cutkey.core.artwork.svg_walk import Here, Walker

Element = ElementTree.Element
_HREF = "{http://www.w3.org/1999/xlink}href"
#: More tiles than this are a tint, not a pattern that anybody could print.
_MOST = 2500


def tiled(
    w: Walker, pattern: Element, box: tuple[float, float, float, float], area: shapely.Geometry, here: Here
) -> list[Paint] | None:
    """What a pattern paints within an area; None when it has no tile or too many.

    Parameters
    ----------
    w : Walker
    pattern : Element
    box : tuple
        Of the filled shape in its own units: left, top, right, bottom.
    area : Polygon or MultiPolygon
        That is filled, px.
    here : Here
        Where the shape stands.
    """
    if not w.enter(pattern):
        return None
    try:
        return _tiled(w, pattern, box, area, here)
    finally:
        w.leave(pattern)


def _tiled(
    w: Walker, pattern: Element, box: tuple[float, float, float, float], area: shapely.Geometry, here: Here
) -> list[Paint] | None:
    attributes, content = _inherited(w, pattern)
    x0, y0, wide, high = box[0], box[1], box[2] - box[0], box[3] - box[1]
    by_box = attributes.get("patternUnits", "objectBoundingBox") == "objectBoundingBox"
    sizes = []
    for key, whole in (
        ("x", here.view[0]),
        ("y", here.view[1]),
        ("width", here.view[0]),
        ("height", here.view[1]),
    ):
        value = length_of(attributes.get(key), 1.0 if by_box else whole)
        sizes.append(value * (wide if key in ("x", "width") else high) if by_box else value)
    x, y, tile_w, tile_h = sizes[0] + x0 * by_box, sizes[1] + y0 * by_box, sizes[2], sizes[3]
    if tile_w <= 0 or tile_h <= 0 or not content:
        return None
    matrix = here.matrix.transform(transform_of(attributes.get("patternTransform", "")))
    # Tiles that the area meets, in the pattern's own coordinates.
    inverse = matrix.inverse()
    left, top, right, bottom = shapely.transform(area, mapping_of(inverse)).bounds
    columns = range(math.floor((left - x) / tile_w), math.ceil((right - x) / tile_w))
    rows = range(math.floor((top - y) / tile_h), math.ceil((bottom - y) / tile_h))
    if len(columns) * len(rows) > _MOST:
        w.note(say.large_patterns_left_out())
        return None
    numbers = [float(v) for v in NUMBER.findall(attributes.get("viewBox", ""))]
    inner, view = matrix.translate(x, y), here.view
    if len(numbers) == 4 and numbers[2] > 0 and numbers[3] > 0:
        scale = min(tile_w / numbers[2], tile_h / numbers[3])
        inner = inner.translate((tile_w - scale * numbers[2]) / 2, (tile_h - scale * numbers[3]) / 2)
        inner, view = inner.scale(scale, scale).translate(-numbers[0], -numbers[1]), (numbers[2], numbers[3])
    elif attributes.get("patternContentUnits") == "objectBoundingBox":
        inner = inner.scale(wide, high)
    tile = shapely.transform(shapely.box(x, y, x + tile_w, y + tile_h), mapping_of(matrix))
    style = w.sheet.style(pattern, dict(INITIAL))
    there = here._replace(style=style, matrix=inner, view=view, clip=tile, opacity=1.0, depth=here.depth + 1)
    painted = w.painted_by(content, there)
    out = []
    for paint in painted:
        for row in rows:
            for column in columns:
                shift = np.array([column * tile_w, row * tile_h]) @ np.array(
                    [[matrix[0], matrix[1]], [matrix[2], matrix[3]]]
                )
                own = sound(
                    intersection(shapely.transform(paint.area, lambda p, shift=shift: p + shift), area)
                )
                if not own.is_empty:
                    out.append(paint._replace(area=own))
    return out


def _inherited(w: Walker, pattern: Element) -> tuple[dict[str, str], list[Element]]:
    """Attributes of a pattern with those of the patterns it refers to.

    And the first content that is found.
    """
    attributes: dict[str, str] = {}
    element: Element | None = pattern
    for _ in range(10):
        if element is None or tag_of(element) != "pattern":
            break
        attributes = {**element.attrib, **attributes}
        content = [c for c in element if isinstance(c.tag, str)]
        if content:
            return attributes, content
        element = w.target(element.get("href") or element.get(_HREF))
    return attributes, []
