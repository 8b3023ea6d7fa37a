"""Clip paths and masks: what they leave of an element, as an area (CSS Masking Level 1)."""

from __future__ import annotations

from typing import TYPE_CHECKING
from xml.etree import ElementTree

import numpy as np
import shapely
from fontTools.misc.transform import Transform

from cutkey.core.artwork.css import INITIAL, length_of
from cutkey.core.artwork.svg_values import SHAPES, mapping_of, shifted, tag_of, transform_of
from cutkey.core.colour.difference import rgb_of
from cutkey.core.geometry.areas import difference, intersection, sound, union
from cutkey.core.lettering.outline import filled
from cutkey.core.words import reading as say

if TYPE_CHECKING:
    from cutkey.core.artwork.svg_walk import Here, Walker

Element = ElementTree.Element
#: Shares of red, green and blue in the brightness of a mask (CSS Masking Level 1, section 7.10.1).
_BRIGHT = (0.2125, 0.7154, 0.0721)
#: Where a mask is neither opaque nor clear it is cut at half; between these it is said.
_CLEAR, _OPAQUE = 0.05, 0.95
_HREF = "{http://www.w3.org/1999/xlink}href"


def within(clip: shapely.Geometry | None, area: shapely.Geometry) -> shapely.Geometry:
    """What is left where something is clipped already."""
    return area if clip is None else sound(intersection(clip, area))


def clipped(w: Walker, value: str, e: Element, here: Here) -> shapely.Geometry | None:
    """The area that a clip path leaves, in the drawing; None for all.

    Parameters
    ----------
    w : Walker
    value : str
        Of the property.
    e : Element
        That is clipped.
    here : Here
        Where it stands.
    """
    element = w.url(value) if value != "none" else None
    if element is None or tag_of(element) != "clipPath":
        return here.clip
    inner = here.matrix
    if element.get("clipPathUnits") == "objectBoundingBox":
        box = _box_of(w, e, here)
        if box is None:
            return here.clip
        inner = _in_box(inner, box)
    own = w.sheet.style(element, dict(INITIAL))
    inner = inner.transform(transform_of(own["transform"]))
    areas = []
    for child in (c for c in element if isinstance(c.tag, str)):
        there = here._replace(style=w.sheet.style(child, own), matrix=inner)
        shape = child
        if tag_of(child) == "use":
            there = there._replace(matrix=inner.transform(transform_of(there.style["transform"])))
            there = there._replace(matrix=shifted(child, there.matrix, there.view))
            target = w.target(child.get("href") or child.get(_HREF))
            if target is None:
                continue
            shape, there = target, there._replace(style=w.sheet.style(target, there.style))
        if tag_of(shape) in SHAPES and there.style["display"] != "none":
            there = there._replace(matrix=there.matrix.transform(transform_of(there.style["transform"])))
            area = filled(w.outline(shape, there), there.style["clip-rule"])
            areas.append(sound(shapely.transform(area, mapping_of(there.matrix))))
    found = union(areas) if areas else shapely.Polygon()
    further = own["clip-path"]
    if further not in ("none", value):
        found = clipped(w, further, element, here._replace(style=own, matrix=inner, clip=found)) or found
    return within(here.clip, found)


def masked(w: Walker, value: str, e: Element, here: Here) -> shapely.Geometry | None:
    """The area where a mask shows at least half of an element, in the drawing; None for all.

    Parameters
    ----------
    w : Walker
    value : str
        Of the property.
    e : Element
        That is masked.
    here : Here
        Where it stands.
    """
    element = w.url(value) if value != "none" else None
    if element is None or tag_of(element) != "mask" or not w.enter(element):
        return here.clip
    own = w.sheet.style(element, dict(INITIAL))
    inner = here.matrix
    if element.get("maskContentUnits") == "objectBoundingBox":
        box = _box_of(w, e, here)
        inner = inner if box is None else _in_box(inner, box)
    by_alpha = own["mask-type"] == "alpha"
    shown: shapely.Geometry = shapely.Polygon()
    for paint in w.painted_by(element, here._replace(style=own, matrix=inner, clip=None, opacity=1.0)):
        bright = 1.0 if by_alpha else float(np.dot(rgb_of(paint.colour), _BRIGHT)) / 255
        lets = bright * paint.opacity
        if _CLEAR < lets < _OPAQUE:
            w.note(say.soft_masks())
        if lets >= 0.5:
            shown = union([shown, paint.area])
        elif paint.opacity >= 0.5:
            shown = difference(shown, paint.area)
    w.leave(element)
    if element.get("maskUnits") == "userSpaceOnUse":
        size = [length_of(element.get(k), v, default=d) for k, v, d in _sides(here.view)]
        page = shapely.box(size[0], size[1], size[0] + size[2], size[1] + size[3])
        shown = within(shown, shapely.transform(page, mapping_of(here.matrix)))
    return within(here.clip, sound(shown))


def _sides(view: tuple[float, float]) -> list[tuple[str, float, float]]:
    w, h = view
    return [("x", w, -0.1 * w), ("y", h, -0.1 * h), ("width", w, 1.2 * w), ("height", h, 1.2 * h)]


def _in_box(matrix: Transform, box: tuple[float, float, float, float]) -> Transform:
    return matrix.translate(box[0], box[1]).scale(max(box[2] - box[0], 1e-9), max(box[3] - box[1], 1e-9))


def _box_of(w: Walker, e: Element, here: Here) -> tuple[float, float, float, float] | None:
    """Left, top, right and bottom of what an element paints, in its own units.

    None when it paints nothing.
    """
    if e not in w.boxes:
        w.boxes[e] = _measured(w, e, here)
    return w.boxes[e]


def _measured(w: Walker, e: Element, here: Here) -> tuple[float, float, float, float] | None:
    if tag_of(e) in SHAPES:
        points = [line.points for line in w.outline(e, here)]
        low_high = np.concatenate(points) if points else np.zeros((0, 2))
    else:
        bare = here._replace(matrix=Transform(), clip=None)
        inside: list[Element] = list(e)
        if tag_of(e) == "use":
            target = w.target(e.get("href") or e.get(_HREF))
            inside, bare = (
                [target] if target is not None else [],
                bare._replace(matrix=shifted(e, bare.matrix, bare.view)),
            )
        low_high = np.concatenate(
            [np.reshape(p.area.bounds, (2, 2)) for p in w.painted_by(inside, bare)] or [np.zeros((0, 2))]
        )
    if not len(low_high):
        return None
    (x0, y0), (x1, y1) = low_high.min(0).tolist(), low_high.max(0).tolist()
    return x0, y0, x1, y1
