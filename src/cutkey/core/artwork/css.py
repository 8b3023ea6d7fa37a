"""The cascade of an SVG drawing: presentation attributes, style sheets and style attributes, inherited."""

from __future__ import annotations

import re
from typing import Any, NamedTuple
from xml.etree import ElementTree

import cssselect2
import tinycss2
import tinycss2.color4

Element = ElementTree.Element
Style = dict[str, str]

#: Properties read, with their initial values; those in `_INHERITED` pass from parent to child.
INITIAL = {
    "fill": "black",
    "fill-rule": "nonzero",
    "fill-opacity": "1",
    "clip-rule": "nonzero",
    "stroke": "none",
    "stroke-width": "1",
    "stroke-opacity": "1",
    "stroke-linecap": "butt",
    "stroke-linejoin": "miter",
    "stroke-miterlimit": "4",
    "stroke-dasharray": "none",
    "stroke-dashoffset": "0",
    "paint-order": "normal",
    "color": "black",
    "visibility": "visible",
    "font-family": "",
    "font-size": "16",
    "font-weight": "400",
    "font-style": "normal",
    "text-anchor": "start",
    "letter-spacing": "0",
    "word-spacing": "0",
    "dominant-baseline": "auto",
    "baseline-shift": "baseline",
    "text-decoration": "none",
    "opacity": "1",
    "display": "inline",
    "clip-path": "none",
    "mask": "none",
    "filter": "none",
    "marker-start": "none",
    "marker-mid": "none",
    "marker-end": "none",
    "stop-color": "black",
    "stop-opacity": "1",
    "transform": "",
    "transform-origin": "",
    "overflow": "",
    "mask-type": "luminance",
}
_OWN = {
    "opacity",
    "display",
    "clip-path",
    "mask",
    "filter",
    "stop-color",
    "stop-opacity",
    "transform",
    "transform-origin",
    "overflow",
}
_OWN |= {"mask-type", "baseline-shift", "text-decoration"}


class StyleSheet(NamedTuple):
    """Style declarations of each element, strongest last."""

    declared: dict[Element, list[tuple[str, str]]]

    def style(self, element: Element, parent: dict[str, str]) -> dict[str, str]:
        """Computed properties of an element under its parent's."""
        out = {k: (v if k in _OWN else parent[k]) for k, v in INITIAL.items()}
        own: dict[str, str] = {}
        for k, v in (*element.attrib.items(), *self.declared.get(element, [])):
            if k == "font":
                own.update(expanded_font(v))
            elif k in INITIAL:
                own[k] = v
        for key, value in own.items():
            value = value.strip()
            if value == "inherit":
                out[key] = parent[key]
            elif value in ("initial", "unset", "revert"):
                out[key] = INITIAL[key]
            elif key == "font-size":
                out[key] = _size_of(value, parent[key])
            elif value:
                out[key] = value
        return out


#: Words for sizes of type, px (CSS Fonts Level 4, section 2.5).
_SIZES = {
    "xx-small": 9.0,
    "x-small": 10.0,
    "small": 13.0,
    "medium": 16.0,
    "large": 18.0,
    "x-large": 24.0,
    "xx-large": 32.0,
}


def _size_of(value: str, parent: str) -> str:
    """A font size in px; em and percentages are of the parent's."""
    outer = length_of(parent, 16, default=16)
    steps = {"larger": 1.2 * outer, "smaller": outer / 1.2, **_SIZES}
    size = steps[value] if value in steps else length_of(value, outer, outer, default=outer)
    return f"{size:g}"


_FONT = re.compile(r"((?:[\w-]+\s+)*?)([\d.]+(?:[a-z]+|%))(?:\s*/\s*[\w.%]+)?\s+(.+)", re.IGNORECASE)


def expanded_font(value: str) -> Style:
    """The longhands that a `font` shorthand sets, none when it cannot be read.

    CSS Fonts Level 4, section 2.7.
    """
    match = _FONT.fullmatch(value.strip())
    if not match:
        return {}
    out = {"font-style": "normal", "font-weight": "400", "font-size": match[2], "font-family": match[3]}
    for word in match[1].lower().split():
        if word in ("italic", "oblique"):
            out["font-style"] = word
        elif word in ("bold", "bolder", "lighter") or word.isdigit():
            out["font-weight"] = word
    return out


def read_sheet(root: Element) -> StyleSheet:
    """Declarations of all style sheets and style attributes of a drawing."""
    matcher = cssselect2.Matcher()
    for style in root.iter("{http://www.w3.org/2000/svg}style"):
        rules = tinycss2.parse_stylesheet("".join(style.itertext()), skip_comments=True, skip_whitespace=True)
        for rule in rules:
            if rule.type != "qualified-rule":
                continue
            try:
                selectors = cssselect2.compile_selector_list(rule.prelude)
            except cssselect2.SelectorError:
                continue
            found = _declarations(tinycss2.parse_blocks_contents(rule.content))
            for selector in selectors:
                matcher.add_selector(selector, found)
    declared: dict[Element, list[tuple[str, str]]] = {}
    for wrapped in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree():
        plain: list[tuple[str, str]] = []
        important: list[tuple[str, str]] = []
        matched = [payload for _, _, _, payload in sorted(matcher.match(wrapped), key=lambda m: m[:2])]
        attribute = wrapped.etree_element.get("style")
        if attribute:
            matched.append(_declarations(tinycss2.parse_blocks_contents(attribute)))
        for declarations in matched:
            for name, value, strong in declarations:
                (important if strong else plain).append((name, value))
        if plain or important:
            declared[wrapped.etree_element] = plain + important
    return StyleSheet(declared)


def _declarations(nodes: list[Any]) -> list[tuple[str, str, bool]]:
    return [
        (n.lower_name, tinycss2.serialize(n.value).strip(), n.important)
        for n in nodes
        if n.type == "declaration"
    ]


def colour_of(text: str, current: str = "black") -> tuple[str, float] | None:
    """Hexadecimal colour and opacity of a CSS colour, None when it is none or unknown."""
    if text.lower() == "currentcolor":
        text = current
    parsed = tinycss2.color4.parse_color(text)
    if parsed is None or isinstance(parsed, str):
        return None
    try:
        r, g, b, a = parsed.to("srgb")
    except (NotImplementedError, ValueError):
        return None
    levels = [round(255 * min(1.0, max(0.0, v))) for v in (r, g, b)]
    return f"#{levels[0]:02x}{levels[1]:02x}{levels[2]:02x}", float(a)


_LENGTH = re.compile(r"\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*([a-zA-Z%]*)\s*$")
#: CSS pixels of one unit (CSS Values and Units Level 4, section 6.2: 96 px = 1 in).
PX_OF = {
    "": 1.0,
    "px": 1.0,
    "in": 96.0,
    "cm": 96 / 2.54,
    "mm": 96 / 25.4,
    "q": 96 / 101.6,
    "pt": 96 / 72,
    "pc": 16.0,
}


def length_of(text: str | None, whole: float = 0.0, font: float = 16.0, default: float = 0.0) -> float:
    """A CSS length in px; percentages are of `whole`, em and ex of the font size.

    Parameters
    ----------
    text : str or None
        As written, with or without a unit.
    whole : float
        What 100 % are, px.
    font : float
        What 1 em is, px.
    default : float
        For what is missing or cannot be read.

    Returns
    -------
    float
        px.
    """
    match = _LENGTH.match(text or "")
    if not match:
        return default
    value, unit = float(match[1]), match[2].lower()
    if unit == "%":
        return value * whole / 100
    if unit in ("em", "rem", "ex", "ch"):
        return value * font * (0.5 if unit in ("ex", "ch") else 1.0)
    return value * PX_OF[unit] if unit in PX_OF else default
