"""Walking the elements of an SVG drawing.

Transforms, references, clip paths, and what each element paints.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from typing import Any, NamedTuple
from xml.etree import ElementTree

import shapely
from fontTools.misc.transform import Identity, Transform
from fontTools.svgLib.path import parse_path

from cutkey.core.artwork.css import INITIAL, Style, colour_of, length_of, read_sheet
from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.artwork.svg_clip import clipped, masked, within
from cutkey.core.artwork.svg_marks import MARKED, MARKS, mark
from cutkey.core.artwork.svg_paint import mean_colour, pen_of
from cutkey.core.artwork.svg_pattern import tiled
from cutkey.core.artwork.svg_text import set_spans
from cutkey.core.artwork.svg_values import (
    NUMBER,
    SHAPES,
    is_meant,
    mapping_of,
    origin_of,
    path_of,
    ratio_of,
    shifted,
    tag_of,
    transform_of,
)
from cutkey.core.geometry.areas import intersection, sound
from cutkey.core.lettering.outline import Flattener, Line, filled, stroked, too_fine
from cutkey.core.lettering.text import Lettering
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

Element = ElementTree.Element

_XLINK = "{http://www.w3.org/1999/xlink}href"
_GROUPS = {"g", "a", "switch"}
_SILENT = {
    "defs",
    "style",
    "title",
    "desc",
    "metadata",
    "symbol",
    "clipPath",
    "linearGradient",
    "radialGradient",
}
_SILENT |= {"marker", "mask", "filter", "pattern", "script", "font", "view", "cursor", "set", "solidColor"}
_SILENT |= {"animate", "animateTransform"}
#: Largest distance, as a share of the drawing's size, between a curve and its straight pieces.
FLATNESS = 5e-5
#: References may follow one another this far.
_DEEPEST = 40


class Here(NamedTuple):
    """What an element inherits from where it stands."""

    style: Style
    matrix: Transform
    view: tuple[float, float]
    clip: shapely.Geometry | None = None
    opacity: float = 1.0
    depth: int = 0

    def inside(self, **changes: Any) -> Here:
        """The same, one element further in."""
        return self._replace(depth=self.depth + 1, **changes)


class Walker:
    """Collects what a drawing paints, in CSS px, y down."""

    def __init__(self, root: Element, flatness: float = FLATNESS) -> None:
        self._root, self._flatness = root, flatness
        self.sheet = read_sheet(root)
        self._ids = {e.get("id"): e for e in root.iter() if e.get("id")}
        self.notes: list[Words] = []
        # of elements that were measured
        self.boxes: dict[Element, tuple[float, float, float, float] | None] = {}
        self._inside: set[Element] = set()  # masks and markers whose content is being painted
        self.lettering: list[Lettering] = []
        self.open_lines: list[shapely.LineString] = []
        self._paints: list[Paint] = []
        self._matrix, self._view = self.viewport(root, Identity, (300.0, 150.0))
        self.size = max(self._view)

    def painted(self) -> list[Paint]:
        """Everything painted, the first at the bottom."""
        style = self.sheet.style(self._root, dict(INITIAL))
        for child in self._root:
            self.walk(child, Here(style, self._matrix, self._view))
        return self._on_page() if style["overflow"] not in ("visible", "auto") else self._paints

    def _on_page(self) -> list[Paint]:
        """What lies on the page; all of it where nothing does."""
        box = [float(v) for v in NUMBER.findall(self._root.get("viewBox", ""))]
        if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
            return self._paints
        page = shapely.transform(
            shapely.box(box[0], box[1], box[0] + box[2], box[1] + box[3]), mapping_of(self._matrix)
        )
        whole = sum(p.area.area for p in self._paints)
        cut = [
            p if page.covers(p.area) else p._replace(area=sound(intersection(p.area, page)))
            for p in self._paints
        ]
        cut = [p for p in cut if not p.area.is_empty]
        left = whole - sum(p.area.area for p in cut)
        if not cut or left <= 1e-6 * max(whole, 1e-12):
            return self._paints
        self.note(say.beyond_the_page(100 * left / whole))
        return cut

    def painted_by(self, elements: Iterable[Element], here: Here) -> list[Paint]:
        """What some elements paint by themselves, as the content of a mask or the box of a group."""
        kept = self._paints, self.open_lines, self.lettering
        self._paints, self.open_lines, self.lettering = [], [], []
        for child in elements:
            self.walk(child, here.inside())
        own = self._paints
        self._paints, self.open_lines, self.lettering = kept
        return own

    def enter(self, element: Element) -> bool:
        """Begin with the content of a mask or marker; False where that is in itself, which SVG forbids."""
        if element in self._inside:
            self.note(say.holds_itself(tag_of(element)))
            return False
        self._inside.add(element)
        return True

    def leave(self, element: Element) -> None:
        """End with it."""
        self._inside.discard(element)

    def note(self, says: Words) -> None:
        """Remember once what was not read as it stands."""
        if says not in self.notes:
            self.notes.append(says)

    # -- coordinate systems
    def viewport(
        self, element: Element, outer: Transform, whole: tuple[float, float]
    ) -> tuple[Transform, tuple[float, float]]:
        """Transform and size of the coordinate system inside an `svg` or `symbol` (SVG 2, section 8.2)."""
        box = [float(v) for v in NUMBER.findall(element.get("viewBox", ""))]
        has_box = len(box) == 4 and box[2] > 0 and box[3] > 0
        if element is self._root and has_box:
            whole = (box[2], box[3])
        w, h = (
            length_of(element.get("width", "100%"), whole[0], default=whole[0]),
            length_of(element.get("height", "100%"), whole[1], default=whole[1]),
        )
        if element is self._root and has_box:
            # One stated side gives the other by the box's proportion.
            if element.get("width") and not element.get("height"):
                h = w * box[3] / box[2]
            elif element.get("height") and not element.get("width"):
                w = h * box[2] / box[3]
        if not has_box or w <= 0 or h <= 0:
            return outer, (max(w, 1e-6), max(h, 1e-6))
        sx, sy = w / box[2], h / box[3]
        align, _, how = element.get("preserveAspectRatio", "xMidYMid meet").strip().partition(" ")
        if align != "none":
            sx = sy = max(sx, sy) if how.strip() == "slice" else min(sx, sy)
        share = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}
        fx, fy = (share.get(align[1:4], 0.5), share.get(align[5:8], 0.5)) if align != "none" else (0.0, 0.0)
        inner = (
            outer.translate((w - box[2] * sx) * fx, (h - box[3] * sy) * fy)
            .scale(sx, sy)
            .translate(-box[0], -box[1])
        )
        return inner, (box[2], box[3])

    # -- elements
    def walk(self, e: Element, here: Here) -> None:
        """Paint an element and what is in it."""
        if not isinstance(e.tag, str):
            return
        tag = tag_of(e)
        if tag in _SILENT or (e.tag.startswith("{") and not e.tag.startswith("{http://www.w3.org/2000/svg}")):
            return
        style = self.sheet.style(e, here.style)
        if style["display"] == "none" or here.depth > _DEEPEST:
            return
        if style["filter"] != "none":
            self.note(say.filters_left_out())
        x, y = origin_of(style["transform-origin"], here.view)
        matrix = here.matrix.translate(x, y).transform(transform_of(style["transform"])).translate(-x, -y)
        own = ratio_of(style["opacity"])
        if 0 < own < 0.98 and tag not in SHAPES:
            # What is in a group covers one another first, then the whole of it is seen through.
            self._together(e, here._replace(depth=here.depth + 1), own)
            return
        here = here._replace(style=style, matrix=matrix, opacity=here.opacity * own)
        here = here._replace(clip=clipped(self, style["clip-path"], e, here))
        here = here._replace(clip=masked(self, style["mask"], e, here))
        if tag in SHAPES:
            self._paint(e, here)
        elif tag in _GROUPS:
            children = [c for c in e if isinstance(c.tag, str)]
            if tag == "switch":
                children = [c for c in children if is_meant(c)][:1]
            for child in children:
                self.walk(child, here.inside())
        elif tag == "use":
            self._use(e, here)
        elif tag == "svg":
            self._walk_viewport(
                e, e, here.inside(matrix=shifted(e, here.matrix, here.view)), style["overflow"]
            )
        else:
            self.note(say.elements_left_out(tag) if tag != "image" else say.pictures_left_out())

    def _together(self, e: Element, here: Here, opacity: float) -> None:
        """A group painted as one, half-transparent."""
        plain = ElementTree.Element(e.tag, {k: v for k, v in e.attrib.items() if k != "opacity"})
        plain.extend(e)
        self.sheet.declared[plain] = [
            *((k, v) for k, v in self.sheet.declared.get(e, []) if k != "opacity"),
            ("opacity", "1"),
        ]
        kept, self._paints = self._paints, []
        self.walk(plain, here._replace(opacity=1.0))
        painted, self._paints = self._paints, kept
        self.note(say.half_transparent())
        for region in overlay(painted, 2e-7 * max(self.size, 1e-3)) if painted else []:
            self._paints.append(Paint(region.colour, region.geometry, opacity * here.opacity))

    def _walk_viewport(self, sized: Element, e: Element, here: Here, overflow: str) -> None:
        """The children of an element that has a coordinate system of its own; another may give its size."""
        inner, size = self.viewport(sized, here.matrix, here.view)
        if overflow not in ("visible", "auto"):
            w, h = (
                length_of(sized.get(k, "100%"), v, default=v)
                for k, v in zip(("width", "height"), here.view, strict=True)
            )
            page = shapely.transform(shapely.box(0, 0, max(w, 0.0), max(h, 0.0)), mapping_of(here.matrix))
            here = here._replace(clip=within(here.clip, page))
        for child in e:
            self.walk(child, here._replace(matrix=inner, view=size))

    def _use(self, e: Element, here: Here) -> None:
        target = self.target(e.get("href") or e.get(_XLINK))
        if target is None:
            self.note(say.reference_left_out())
            return
        here = here.inside(matrix=shifted(e, here.matrix, here.view))
        if tag_of(target) in ("symbol", "svg"):
            sized = ElementTree.Element(
                "svg", {**target.attrib, **{k: e.attrib[k] for k in ("width", "height") if k in e.attrib}}
            )
            style = self.sheet.style(target, here.style)
            self._walk_viewport(sized, target, here._replace(style=style), style["overflow"])
        else:
            self.walk(target, here)

    def target(self, reference: str | None) -> Element | None:
        """The element that a reference within the drawing names."""
        return (
            self._ids.get(reference.strip()[1:]) if reference and reference.strip().startswith("#") else None
        )

    def url(self, value: str) -> Element | None:
        """The element that a `url(#...)` names."""
        match = re.match(r"url\(\s*['\"]?(#[^'\")]+)['\"]?\s*\)", value)
        return self.target(match[1]) if match else None

    # -- painting
    def _paint(self, e: Element, here: Here) -> None:
        if here.style["visibility"] != "visible":
            return
        if tag_of(e) == "text":
            for lines, style in set_spans(self, e, here).spans:
                if style["visibility"] == "visible":
                    self._paint_lines(e, lines, here._replace(style=style))
            return
        lines = self.outline(e, here)
        if lines:
            self._paint_lines(e, lines, here)

    def _paint_lines(self, e: Element, lines: list[Line], here: Here) -> None:
        """Fill and stroke of an outline."""
        style, matrix, view, clip, opacity, _ = here
        layers = []
        tile = self.url(style["fill"]) if style["fill"].startswith("url(") else None
        if (
            tile is not None
            and tag_of(tile) == "pattern"
            and tag_of(e) != "line"
            and self._tile(tile, lines, here)
        ):
            style = {**style, "fill": "none"}
        fill = self._colour(style["fill"], style) if tag_of(e) != "line" else None
        if fill is not None:
            layers.append(("fill", fill, ratio_of(style["fill-opacity"])))
        stroke = self._colour(style["stroke"], style)
        width = length_of(style["stroke-width"], math.hypot(*view) / math.sqrt(2), default=1.0)
        if stroke is not None and width > 0:
            layers.append(("stroke", stroke, ratio_of(style["stroke-opacity"])))
        elif fill is None:
            return
        if style["paint-order"].startswith("stroke"):
            layers.reverse()
        for what, (colour, alpha), share in layers:
            area = filled(lines, style["fill-rule"]) if what == "fill" else self._stroked(lines, here, width)
            if area.is_empty or alpha * share * opacity <= 0:
                continue
            area = sound(shapely.transform(area, mapping_of(matrix)))
            if clip is not None:
                area = sound(intersection(area, clip))
            if alpha * share * opacity < 0.98:
                self.note(say.half_transparent())
            self._paints.append(Paint(colour, area, alpha * share * opacity))
        if tag_of(e) in MARKED and any(style[m] != "none" for m in MARKS):
            mark(self, e, lines, width, here)

    def _tile(self, pattern: Element, lines: list[Line], here: Here) -> bool:
        """Fill an outline with a pattern, if that has any shape."""
        own = filled(lines, here.style["fill-rule"])
        if own.is_empty:
            return True
        area = within(here.clip, sound(shapely.transform(own, mapping_of(here.matrix))))
        found = tiled(self, pattern, own.bounds, area, here)
        alpha = ratio_of(here.style["fill-opacity"]) * here.opacity
        self._paints += [p._replace(opacity=p.opacity * alpha) for p in found or ()]
        return found is not None

    def _stroked(self, lines: list[Line], here: Here, width: float) -> shapely.Geometry:
        """The area of a stroke; its open lines are kept, so that they can be closed."""
        pen = pen_of(here.style, width, here.view)
        if too_fine(lines, pen):
            pen = pen._replace(dashes=())
            self.note(say.dashes_too_fine())
        move = mapping_of(here.matrix)
        self.open_lines += [
            shapely.transform(shapely.LineString(line.points), move)
            for line in lines
            if not line.closed and len(line.points) > 1
        ]
        return stroked(lines, pen, self._tolerance(here.matrix))

    def _colour(self, value: str, style: Style) -> tuple[str, float] | None:
        if value == "none" or not value:
            return None
        if value.startswith("url("):
            element = self.url(value)
            if element is not None:
                mean = mean_colour(element, self.sheet, self.target)
                if mean is not None:
                    self.note(say.gradients_reduced())
                    return mean
                if tag_of(element) == "pattern":
                    self.note(say.patterns_left_out())
            fallback = value.rpartition(")")[2].strip()
            return colour_of(fallback, style["color"]) if fallback and fallback != "none" else None
        return colour_of(value, style["color"])

    @property
    def fineness(self) -> float:
        """Flatness of text, in px."""
        return self.size * self._flatness

    def own_transform(self, e: Element) -> Transform:
        """The transform that an element has by itself."""
        return transform_of(self.sheet.style(e, dict(INITIAL))["transform"])

    def _tolerance(self, matrix: Transform) -> float:
        """Flatness in user units at a place in the drawing."""
        grows = math.sqrt(max(abs(matrix[0] * matrix[3] - matrix[1] * matrix[2]), 1e-18))
        return self.size * self._flatness / grows

    def outline(self, e: Element, here: Here) -> list[Line]:
        """Outline of a basic shape, in its own units (SVG 2, chapters 9 and 10)."""
        pen = Flattener(self._tolerance(here.matrix))
        if tag_of(e) == "text":
            return [line for lines, _ in set_spans(self, e, here).spans for line in lines]
        d = path_of(e, here.view)
        try:
            parse_path(d, pen)
        except Exception:
            # SVG 2, section 9.5.4: a path is drawn up to its first error.
            self.note(say.path_with_an_error())
        return pen.finished()
