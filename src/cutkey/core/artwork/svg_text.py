"""Text of a drawing as outlines.

Spans with colours and places of their own, anchors, text along a path (SVG 2, chapter 11).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from typing import TYPE_CHECKING, NamedTuple
from xml.etree import ElementTree

import numpy as np

from cutkey.core.artwork.css import Style, length_of
from cutkey.core.artwork.svg_values import mapping_of, tag_of
from cutkey.core.geometry.arrays import Float
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.matching import matching_font
from cutkey.core.lettering.outline import Line
from cutkey.core.lettering.text import (
    Lettering,
    TextLook,
    advance,
    em_of,
    heights_of,
    stand_ins,
    text_along,
    text_lines,
)
from cutkey.core.words import reading as say

if TYPE_CHECKING:
    from cutkey.core.artwork.svg_walk import Here, Walker

Element = ElementTree.Element
_HREF = "{http://www.w3.org/1999/xlink}href"
_SPACE = "{http://www.w3.org/XML/1998/namespace}space"
_LENGTHS = re.compile(r"[\s,]+")


class _Char(NamedTuple):
    """A character, and where it is put: absolute places begin a chunk."""

    text: str
    style: int  # number of its span
    x: float | None
    y: float | None
    dx: float
    dy: float
    path: int = -1  # number of the path it runs along


class Spans(NamedTuple):
    """Outlines of a text's spans, in its own units, and the style of each."""

    spans: list[tuple[list[Line], Style]]


def set_spans(w: Walker, e: Element, here: Here) -> Spans:
    """The outlines of a text element.

    Parameters
    ----------
    w : Walker
        Takes the notes, and the words.
    e : Element
    here : Here
        Where it stands.
    """
    w.note(say.text_as_outlines())
    reading = _Reading(w, here)
    reading.take(e, here.style, [], -1, e.get(_SPACE) == "preserve")
    text = "".join(c.text for c in reading.chars).strip()
    if text:
        m = here.matrix
        w.lettering.append(Lettering(re.sub(r"\s+", " ", text), m[0] * m[3] - m[1] * m[2] < 0))
    out: list[list[Line]] = [[] for _ in reading.styles]
    x = y = 0.0
    for chunk in _chunks(reading.chars):
        first = chunk[0]
        x, y = (x if first.x is None else first.x), (y if first.y is None else first.y)
        runs = [list(run) for _, run in groupby(chunk, key=_key())]
        widths = [reading.look(run[0].style).wide("".join(c.text for c in run)) for run in runs]
        whole = sum(widths) + sum(c.dx for c in chunk)
        at = x - {"middle": whole / 2, "end": whole}.get(reading.styles[first.style]["text-anchor"], 0.0)
        for run, width in zip(runs, widths, strict=True):
            at, y = at + run[0].dx, y + run[0].dy
            set_ = reading.look(run[0].style)
            words = "".join(c.text for c in run)
            if run[0].path >= 0:
                out[run[0].style] += set_.along(words, reading.paths[run[0].path], at, y)
            else:
                out[run[0].style] += set_.at(words, at, y)
            at += width
        x = at
    return Spans([(lines, style) for lines, style in zip(out, reading.styles, strict=True) if lines])


def _key() -> Callable[[_Char], tuple[int, int, int]]:
    """Characters that are shaped together: of one span, with no shift between them."""
    count = 0

    def key(c: _Char) -> tuple[int, int, int]:
        nonlocal count
        if c.dx or c.dy:
            count += 1
        return c.style, c.path, count

    return key


def _chunks(chars: Sequence[_Char]) -> Iterator[list[_Char]]:
    chunk: list[_Char] = []
    for c in chars:
        if chunk and (c.x is not None or c.y is not None or c.path != chunk[0].path):
            yield chunk
            chunk = []
        chunk.append(c)
    if chunk:
        yield chunk


class _Reading:
    """The characters of a text element, with spaces as SVG has them."""

    def __init__(self, w: Walker, here: Here) -> None:
        self._w, self._here = w, here
        self.styles: list[Style] = []
        self._looks: list[_Look | None] = []
        self.chars: list[_Char] = []
        self.paths: list[Float] = []
        self._space = True  # what was last taken ends in a space, or nothing was

    def take(self, e: Element, style: Style, outer: list[_Places], path: int, preserve: bool) -> None:
        """Take an element's characters, and those in it."""
        w, view = self._w, self._here.view
        if style["display"] == "none":
            return
        own = _Places(
            {
                k: _list(e.get(k), size, style)
                for k, size in (("x", view[0]), ("y", view[1]), ("dx", view[0]), ("dy", view[1]))
            }
        )
        if e.get("rotate"):
            w.note(say.turned_letters())
        if style["text-decoration"] not in ("none", ""):
            w.note(say.lines_at_text())
        if tag_of(e) == "textPath":
            points = self._path_of(e)
            if points is None:
                w.note(say.no_path_for_text())
                return
            self.paths.append(points)
            path = len(self.paths) - 1
            length = float(np.hypot(*np.diff(points, axis=0).T).sum())
            own.values["x"] = [length_of(e.get("startOffset"), length)]
            own.values["y"] = [0.0]
            self._space = True
        if e.get("textLength"):
            w.note(say.text_with_a_length())
        places = [own, *outer]
        number = len(self.styles)
        self.styles.append(style)
        self._looks.append(None)
        self._put(e.text or "", number, places, path, preserve)
        for child in e:
            if isinstance(child.tag, str) and tag_of(child) in ("tspan", "textPath", "a", "tref"):
                inner = child.get(_SPACE)
                self.take(
                    child,
                    w.sheet.style(child, style),
                    places,
                    path,
                    preserve if inner is None else inner == "preserve",
                )
            self._put(child.tail or "", number, places, path, preserve)

    def _put(self, text: str, style: int, places: list[_Places], path: int, preserve: bool) -> None:
        text = re.sub(r"[\r\n\t]", " ", text) if preserve else re.sub(r"\s+", " ", text)
        for c in text:
            if c == " " and self._space and not preserve:
                continue
            self._space = c == " "
            found = dict.fromkeys(("x", "y", "dx", "dy")) | {
                k: v for p in reversed(places) for k, v in p.next().items()
            }
            self.chars.append(
                _Char(c, style, found["x"], found["y"], found["dx"] or 0.0, found["dy"] or 0.0, path)
            )

    def look(self, style: int) -> _Look:
        """How a span is set."""
        known = self._looks[style]
        if known is None:
            known = self._looks[style] = _Look(
                self._w, self.styles[style], "".join(c.text for c in self.chars if c.style == style)
            )
        return known

    def _path_of(self, e: Element) -> Float | None:
        target = self._w.target(e.get("href") or e.get(_HREF))
        if target is None or tag_of(target) == "text":
            return None
        lines = self._w.outline(target, self._here)
        if not lines:
            return None
        line = lines[0]
        points = np.concatenate([line.points, line.points[:1]]) if line.closed else line.points
        move = self._w.own_transform(target)
        return mapping_of(move)(points)


class _Places:
    """Lists of places that an element gives its characters, one after the other."""

    def __init__(self, values: dict[str, list[float]]) -> None:
        self.values = values

    def next(self) -> dict[str, float]:
        """What the next character gets."""
        return {k: v.pop(0) for k, v in self.values.items() if v}


def _list(text: str | None, whole: float, style: Style) -> list[float]:
    size = length_of(style["font-size"], 16, default=16)
    return (
        [length_of(v, whole, size) for v in _LENGTHS.split(text.strip()) if v]
        if text and text.strip()
        else []
    )


class _Look:
    """A font at a size, with what is between the letters."""

    def __init__(self, w: Walker, style: Style, words: str) -> None:
        size = length_of(style["font-size"], 16, default=16)
        name, said = matching_font(style["font-family"], style["font-weight"], style["font-style"])
        self._font = font_bytes(name)
        for note in filter(None, (said, *stand_ins(self._font, name, words))):
            w.note(note)
        self._spacing = length_of(style["letter-spacing"], size, size)
        self._between = length_of(style["word-spacing"], size, size)
        self._look = TextLook(size * em_of(self._font), self._spacing, 0.0, "start")
        self._fine = w.fineness
        up, down, middle = (h * size for h in heights_of(self._font))
        base = style["dominant-baseline"]
        self._lower = {
            "middle": middle,
            "central": (up - down) / 2,
            "hanging": 0.8 * up,
            "text-before-edge": up,
            "text-after-edge": -down,
        }.get(base, 0.0)
        shift = style["baseline-shift"]
        self._lower -= {"sub": -0.2 * size, "super": 0.4 * size, "baseline": 0.0}.get(
            shift, length_of(shift, size, size)
        )

    def wide(self, words: str) -> float:
        return advance(self._font, words, self._look) + self._between * words.count(" ")

    def at(self, words: str, x: float, y: float) -> list[Line]:
        """Outlines of words that begin at a place."""
        out: list[Line] = []
        # Spaces that are made wider part the words.
        for part in re.findall(r"[^ ]* *", words) if self._between else [words]:
            lines = text_lines(self._font, part, self._look, self._fine)
            out += [Line(line.points * (1, -1) + (x, y + self._lower), line.closed) for line in lines]
            x += self.wide(part)
        return out

    def along(self, words: str, path: Float, start: float, off: float) -> list[Line]:
        """Outlines of words along a path, from a distance on.

        Each letter stands on the middle of its foot.
        """
        lines = text_along(
            self._font, words, self._look, path * (1, -1), start, self._fine, -off - self._lower
        )
        return [Line(line.points * (1, -1), line.closed) for line in lines]
