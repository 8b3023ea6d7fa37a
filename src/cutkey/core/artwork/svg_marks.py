"""Markers at the ends and corners of lines (SVG 2, section 13.7)."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING
from xml.etree import ElementTree

import numpy as np
import shapely
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from fontTools.svgLib.path.arc import EllipticalArc

from cutkey.core.artwork.css import INITIAL, length_of
from cutkey.core.artwork.svg_clip import within
from cutkey.core.artwork.svg_values import NUMBER, mapping_of, tag_of
from cutkey.core.geometry.arrays import Float
from cutkey.core.lettering.outline import Line

if TYPE_CHECKING:
    from cutkey.core.artwork.svg_walk import Here, Walker

Element = ElementTree.Element
#: Elements that can have markers, and the properties that say which.
MARKED = ("path", "line", "polyline", "polygon")
MARKS = ("marker-start", "marker-mid", "marker-end")


def mark(w: Walker, e: Element, lines: Sequence[Line], width: float, here: Here) -> None:
    """Paint the markers of a line.

    Parameters
    ----------
    w : Walker
    e : Element
        A path or basic shape.
    lines : sequence of Line
        Its outline, in its own units.
    width : float
        Of its stroke.
    here : Here
    """
    first, last = lines[0].points, lines[-1].points
    if lines[-1].closed:
        last = np.concatenate([last, last[:1]])
    start, end = w.url(here.style["marker-start"]), w.url(here.style["marker-end"])
    if start is not None and len(first) > 1:
        turn = math.pi if start.get("orient") == "auto-start-reverse" else 0.0
        _put(w, start, first[0], _way(first[1] - first[0]) + turn, width, here)
    middle = w.url(here.style["marker-mid"])
    if middle is not None and tag_of(e) == "path":
        for at, way in _inner_nodes(e.get("d", "")):
            _put(w, middle, at, way, width, here)
    elif middle is not None:
        for line in lines:
            corners = np.concatenate([line.points, line.points[:1]]) if line.closed else line.points
            for a, b, c in zip(corners[:-2], corners[1:-1], corners[2:], strict=True):
                one, other = (b - a) / max(math.dist(a, b), 1e-12), (c - b) / max(math.dist(b, c), 1e-12)
                _put(w, middle, b, _way(one + other), width, here)
    if end is not None and len(last) > 1:
        _put(w, end, last[-1], _way(last[-1] - last[-2]), width, here)


class _Arc(EllipticalArc):  # type: ignore[misc]  # of a package without types
    """An arc that says where it begins and ends: its curves are one segment."""

    def draw(self, pen: RecordingPen) -> None:
        """Record it as one."""
        own = RecordingPen()
        super().draw(own)
        curves = [points for kind, points in own.value if kind in ("curveTo", "lineTo", "qCurveTo")]
        pen.value.append(("arc", (curves[0][0], *curves[-1][-2:]) if curves else ()))


def _inner_nodes(d: str) -> list[tuple[Float, float]]:
    """Where the segments of a path meet, and the direction there.

    Half way between theirs (SVG 2, section 13.7.4).
    """
    pen = RecordingPen()
    with contextlib.suppress(Exception):
        # A path is drawn up to its first error.
        parse_path(d, pen, arc_class=_Arc)
    out: list[tuple[Float, float]] = []
    at = begin = np.zeros(2)
    before: Float | None = None
    for kind, raw in pen.value:
        points = [np.array(p, float) for p in raw]
        if kind == "moveTo":
            at = begin = points[0]
            before = None
            continue
        if kind == "closePath":
            points = [begin]
        if kind == "endPath" or not points:
            continue
        chain = [at, *points]
        ways = [b - a for a, b in pairwise(chain) if np.hypot(*(b - a)) > 1e-12]
        if not ways:
            continue
        if before is not None:
            one, other = before / np.hypot(*before), ways[0] / np.hypot(*ways[0])
            out.append((at, _way(one + other)))
        before, at = ways[-1], points[-1]
    return out


def _way(d: Float) -> float:
    return math.atan2(float(d[1]), float(d[0]))


def _put(w: Walker, marker: Element, at: Float, way: float, width: float, here: Here) -> None:
    """A marker with its reference point at a place."""
    if tag_of(marker) != "marker" or not w.enter(marker):
        return
    style = w.sheet.style(marker, dict(INITIAL))
    size = (
        length_of(marker.get("markerWidth"), 0, default=3.0),
        length_of(marker.get("markerHeight"), 0, default=3.0),
    )
    orient = marker.get("orient", "0")
    if not orient.startswith("auto"):
        found = NUMBER.match(orient.strip())
        way = math.radians(float(found[0])) if found else 0.0
    grown = 1.0 if marker.get("markerUnits") == "userSpaceOnUse" else width
    outer = here.matrix.translate(float(at[0]), float(at[1])).rotate(way).scale(grown, grown)
    sized = ElementTree.Element("svg", {**marker.attrib, "width": str(size[0]), "height": str(size[1])})
    local, view = w.viewport(sized, type(outer)(), size)
    x, y = (length_of(marker.get(k), v) for k, v in zip(("refX", "refY"), view, strict=True))
    inner = outer.translate(*(-v for v in local.transformPoint((x, y)))).transform(local)
    clip = here.clip
    if style["overflow"] not in ("visible", "auto"):
        page = shapely.box(0, 0, *size)
        clip = within(
            clip,
            shapely.transform(page, mapping_of(outer.translate(*(-v for v in local.transformPoint((x, y)))))),
        )
    for child in marker:
        w.walk(child, here.inside(style=style, matrix=inner, view=view, clip=clip))
    w.leave(marker)
