"""Paint: the one colour that stands for a gradient, and the pen of a stroke."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from xml.etree import ElementTree

import numpy as np

from cutkey.core.artwork.css import INITIAL, Style, StyleSheet, colour_of, length_of
from cutkey.core.artwork.svg_values import NUMBER
from cutkey.core.colour.difference import hex_of, rgb_of
from cutkey.core.lettering.outline import Stroke

Element = ElementTree.Element


def mean_colour(
    element: Element, sheet: StyleSheet, target: Callable[[str | None], Element | None]
) -> tuple[str, float] | None:
    """Mean colour and opacity of a gradient along its stops.

    None when the element is no gradient with stops.
    """
    if element.tag.rpartition("}")[2] not in ("linearGradient", "radialGradient"):
        return None
    stops = [c for c in element if isinstance(c.tag, str) and c.tag.endswith("stop")]
    for _ in range(10):
        if stops:
            break
        further = target(element.get("href") or element.get("{http://www.w3.org/1999/xlink}href"))
        if further is None:
            return None
        element = further
        stops = [c for c in element if isinstance(c.tag, str) and c.tag.endswith("stop")]
    places: list[float] = []
    values: list[list[float]] = []
    for stop in stops:
        style = sheet.style(stop, dict(INITIAL))
        colour = colour_of(style["stop-color"], style["color"]) or ("#000000", 1.0)
        text = stop.get("offset", "0").strip()
        try:
            place = float(text[:-1]) / 100 if text.endswith("%") else float(text)
            alpha = colour[1] * float(style["stop-opacity"])
        except ValueError:
            place, alpha = 0.0, colour[1]
        places.append(min(1.0, max(places[-1] if places else 0.0, place)))
        values.append([*rgb_of(colour[0]), alpha])
    if not values:
        return None
    x, y = np.r_[0.0, places, 1.0], np.array([values[0], *values, values[-1]], float)
    mean = ((y[1:] + y[:-1]) / 2 * np.diff(x)[:, None]).sum(0)
    return hex_of(mean[:3]), float(mean[3])


def pen_of(style: Style, width: float, view: tuple[float, float]) -> Stroke:
    """The stroke that a style asks for, in user units."""
    diagonal = math.hypot(*view) / math.sqrt(2)
    dashes = (
        ()
        if style["stroke-dasharray"] == "none"
        else tuple(length_of(d, diagonal) for d in re.split(r"[\s,]+", style["stroke-dasharray"].strip()))
    )
    return Stroke(
        width,
        style["stroke-linecap"],
        "miter" if style["stroke-linejoin"] in ("miter-clip", "arcs") else style["stroke-linejoin"],
        float(style["stroke-miterlimit"]) if NUMBER.fullmatch(style["stroke-miterlimit"]) else 4.0,
        dashes,
        length_of(style["stroke-dashoffset"], diagonal),
    )
