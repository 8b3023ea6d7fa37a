"""Values of SVG attributes: transform lists, ratios, rectangles."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from xml.etree import ElementTree

import numpy as np
from fontTools.misc.transform import Identity, Transform
from numpy.typing import NDArray

from cutkey.core.artwork.css import length_of

NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
#: Elements that have an outline.
SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text"}
#: Language of the texts that are chosen among.
_LANGUAGE = "en"
_CALL = re.compile(r"(\w+)\s*\(([^)]*)\)")


def transform_of(text: str) -> Transform:
    """Matrix of an SVG transform list."""
    out = Identity
    for name, body in _CALL.findall(text or ""):
        v = [float(n) for n in NUMBER.findall(body)]
        if name == "matrix" and len(v) == 6:
            out = out.transform(v)
        elif name == "translate" and v:
            out = out.translate(v[0], v[1] if len(v) > 1 else 0.0)
        elif name == "scale" and v:
            out = out.scale(v[0], v[1] if len(v) > 1 else v[0])
        elif name == "rotate" and v:
            cx, cy = (v[1], v[2]) if len(v) == 3 else (0.0, 0.0)
            out = out.translate(cx, cy).rotate(math.radians(v[0])).translate(-cx, -cy)
        elif name == "skewX" and v:
            out = out.skew(math.radians(v[0]), 0)
        elif name == "skewY" and v:
            out = out.skew(0, math.radians(v[0]))
    return out


def mapping_of(t: Transform) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """A transform as a function on (N, 2) points.

    Returns
    -------
    callable
        From (N, 2) float64 to (N, 2) float64.
    """
    matrix, shift = np.array([[t[0], t[1]], [t[2], t[3]]]), np.array([t[4], t[5]])
    return lambda xy: xy @ matrix + shift


def ratio_of(text: str) -> float:
    """A number or percentage from 0 to 1; 1 when it is neither."""
    try:
        value = float(text[:-1]) / 100 if text.endswith("%") else float(text)
    except ValueError:
        return 1.0
    return min(1.0, max(0.0, value))


def rectangle_path(e: ElementTree.Element, w: float, h: float) -> str:
    """Path data of a rectangle in a viewport of a size, "" when it has none (SVG 2, section 10.2)."""
    x, y = length_of(e.get("x"), w), length_of(e.get("y"), h)
    a, b = length_of(e.get("width"), w), length_of(e.get("height"), h)
    if a <= 0 or b <= 0:
        return ""
    rx, ry = length_of(e.get("rx"), w, default=-1), length_of(e.get("ry"), h, default=-1)
    rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
    rx, ry = min(max(rx, 0), a / 2), min(max(ry, 0), b / 2)
    if min(rx, ry) <= 0:
        return f"M{x},{y}H{x + a}V{y + b}H{x}Z"
    r = f"A{rx},{ry} 0 0 1 "
    right, bottom = x + a, y + b
    upper = f"M{x + rx},{y}H{right - rx}{r}{right},{y + ry}V{bottom - ry}{r}{right - rx},{bottom}"
    return f"{upper}H{x + rx}{r}{x},{bottom - ry}V{y + ry}{r}{x + rx},{y}Z"


def tag_of(e: ElementTree.Element) -> str:
    """Name of an element without its namespace."""
    return e.tag.rpartition("}")[2]


def shifted(e: ElementTree.Element, matrix: Transform, view: tuple[float, float]) -> Transform:
    """The coordinate system moved by an element's x and y."""
    return matrix.translate(length_of(e.get("x"), view[0]), length_of(e.get("y"), view[1]))


def origin_of(text: str, view: tuple[float, float]) -> tuple[float, float]:
    """The place that a transform turns about, in a view box (CSS Transforms Level 1, section 6)."""
    words = {"left": "0", "top": "0", "center": "50%", "right": "100%", "bottom": "100%"}
    parts = text.split()
    if len(parts) > 1 and (parts[0] in ("top", "bottom") or parts[1] in ("left", "right")):
        parts = [parts[1], parts[0], *parts[2:]]
    elif len(parts) == 1:
        parts = ["50%", *parts] if parts[0] in ("top", "bottom") else [*parts, "50%"]
    x, y = (length_of(words.get(p, p), v) for p, v in zip(parts[:2] or ["0", "0"], view, strict=True))
    return x, y


def is_meant(e: ElementTree.Element) -> bool:
    """Whether the conditions of an element in a `switch` hold for this reader (SVG 2, section 5.7)."""
    languages = e.get("systemLanguage")
    if languages is not None and not any(
        part.strip().lower().split("-")[0] == _LANGUAGE for part in languages.split(",")
    ):
        return False
    return not e.get("requiredExtensions")


def path_of(e: ElementTree.Element, view: tuple[float, float]) -> str:
    """The path of a basic shape, in its own units (SVG 2, chapters 9 and 10)."""
    tag, (w, h) = tag_of(e), view
    if tag == "path":
        return str(e.get("d", ""))
    if tag == "rect":
        return rectangle_path(e, w, h)
    if tag in ("circle", "ellipse"):
        x, y = length_of(e.get("cx"), w), length_of(e.get("cy"), h)
        rx = length_of(
            e.get("rx" if tag == "ellipse" else "r"),
            w if tag == "ellipse" else math.hypot(w, h) / math.sqrt(2),
            default=-1,
        )
        ry = length_of(e.get("ry"), h, default=-1) if tag == "ellipse" else rx
        rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
        d = (
            f"M{x + rx},{y}A{rx},{ry} 0 0 1 {x - rx},{y}A{rx},{ry} 0 0 1 {x + rx},{y}Z"
            if min(rx, ry) > 0
            else ""
        )
    elif tag == "line":
        x1, y1, x2, y2 = (length_of(e.get(k), s) for k, s in (("x1", w), ("y1", h), ("x2", w), ("y2", h)))
        d = f"M{x1},{y1}L{x2},{y2}"
    else:
        n = NUMBER.findall(e.get("points", ""))
        n = n[: len(n) // 2 * 2]
        d = f"M{' '.join(n)}{'Z' if tag == 'polygon' else ''}" if len(n) >= 4 else ""
    return d
