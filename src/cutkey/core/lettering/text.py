"""Text as outlines: shaped with kerning and ligatures, on a straight line or on an arc."""

from __future__ import annotations

import io
import math
import unicodedata
from collections.abc import Callable
from functools import lru_cache
from itertools import groupby
from typing import Any, NamedTuple

import numpy as np
import shapely
import uharfbuzz
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont, TTLibError

from cutkey.core.errors import BadInput
from cutkey.core.geometry.arrays import Float
from cutkey.core.lettering.fonts import font_bytes, fonts_with
from cutkey.core.lettering.outline import Flattener, Line, filled
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words


class TextLook(NamedTuple):
    """How a line of text is set; lengths in the drawing's units."""

    size: float  # height of a capital letter
    spacing: float = 0.0  # added after each glyph
    # of the arc the base line follows, 0 straight; negative reads along the inside of the lower half
    radius: float = 0.0
    align: str = "middle"  # start, middle, end


class Lettering(NamedTuple):
    """Text that a drawing holds, and whether it stands mirrored in it."""

    text: str
    reversed: bool = False


class _Face(NamedTuple):
    shaper: uharfbuzz.Font
    table: TTFont
    glyphs: dict[str, Any]
    cmap: dict[int, str]
    cap: float  # height of a capital letter in font units
    em: float


@lru_cache(maxsize=16)
def _face(data: bytes) -> _Face:
    try:
        table = TTFont(io.BytesIO(data), fontNumber=0, lazy=True)
        face = uharfbuzz.Face(data)
        glyphs, cmap = table.getGlyphSet(), table.getBestCmap() or {}
        em = float(table["head"].unitsPerEm)
        cap = float(getattr(table["OS/2"], "sCapHeight", 0) or 0) if "OS/2" in table else 0.0
    except (TTLibError, KeyError, ValueError, AssertionError):
        raise BadInput("The font cannot be read; choose another font.") from None
    return _Face(uharfbuzz.Font(face), table, glyphs, cmap, cap or 0.7 * em, em)


def text_lines(font: bytes, text: str, look: TextLook, tolerance: float = 0.01) -> list[Line]:
    """Outlines of one line of text, base line on y = 0 from x = 0, y up.

    Characters that the font lacks come from another (`stand_ins`).

    Parameters
    ----------
    font : bytes
        An OpenType or TrueType font file.
    text : str
    look : TextLook
    tolerance : float
        Largest distance between a curve and its straight pieces, in the units of `look`.

    Raises
    ------
    BadInput
        When the font cannot be read.
    """
    set_ = [glyph for data, run in runs_of(font, text) for glyph in _shaped(_face(data), run, look)]
    total = sum(g.width for g in set_) - (look.spacing if set_ else 0.0)
    x = {"start": 0.0, "middle": -total / 2, "end": -total}.get(look.align, 0.0)
    lines: list[Line] = []
    for draw, (dx, dy), scale, width in set_:
        if look.radius:
            # The middle of the glyph touches the arc.
            middle = x + (width - look.spacing) / 2
            angle = middle / look.radius
            c, s = math.cos(angle), math.sin(angle)
            ox, oy = look.radius * s, look.radius * (c - 1)
            left = dx - (width - look.spacing) / 2
            matrix = (
                scale * c,
                -scale * s,
                scale * s,
                scale * c,
                ox + c * left + s * dy,
                oy - s * left + c * dy,
            )
        else:
            matrix = (scale, 0, 0, scale, x + dx, dy)
        lines += draw(matrix, tolerance)
        x += width
    return lines


def text_along(
    font: bytes, text: str, look: TextLook, path: Float, start: float, tolerance: float, above: float = 0.0
) -> list[Line]:
    """Outlines of text along a path, each glyph turned as the path is at its middle.

    What does not fit on it is left out.

    Parameters
    ----------
    font : bytes
        The font file.
    text : str
    look : TextLook
    path : ndarray, (N, 2), float64
        In the units of `look`, y up.
    start : float
        Where on the path the text begins.
    tolerance : float
        Between curves and their chords.
    above : float
        How far the base line lies to the left of the path.

    Returns
    -------
    list of Line
    """
    run = np.r_[0.0, np.cumsum(np.hypot(*np.diff(path, axis=0).T))]
    lines: list[Line] = []
    at = start
    for data, words in runs_of(font, text):
        for draw, (dx, dy), scale, width in _shaped(_face(data), words, look):
            own = width - look.spacing
            middle = at + own / 2
            at += width
            if not 0 <= middle <= run[-1]:
                continue
            k = int(np.clip(np.searchsorted(run, middle, side="right") - 1, 0, len(path) - 2))
            way = path[k + 1] - path[k]
            size = float(np.hypot(*way)) or 1.0
            (c, s), (px, py) = way / size, path[k] + way / size * (middle - run[k])
            left, up = dx - own / 2, dy + above
            lines += draw(
                (scale * c, scale * s, -scale * s, scale * c, px + c * left - s * up, py + s * left + c * up),
                tolerance,
            )
    return lines


def heights_of(font: bytes) -> tuple[float, float, float]:
    """How far a font reaches above and below its base line, as shares of the font size.

    And half the height of its small x.
    """
    face = _face(font)
    up, down = (abs(float(getattr(face.table["hhea"], n))) for n in ("ascent", "descent"))
    small = float(getattr(face.table["OS/2"], "sxHeight", 0) or 0) if "OS/2" in face.table else 0.0
    return up / face.em, down / face.em, (small or 0.5 * face.em) / face.em / 2


def advance(font: bytes, text: str, look: TextLook) -> float:
    """Width of a line of text, from where it begins to where the next letter would.

    Parameters
    ----------
    font : bytes
        The font file.
    text : str
    look : TextLook

    Returns
    -------
    float
        In the units of `look`.
    """
    return sum(glyph.width for data, run in runs_of(font, text) for glyph in _shaped(_face(data), run, look))


class _Glyph(NamedTuple):
    draw: Callable[[tuple[float, ...], float], list[Line]]  # its outline under a matrix, within a tolerance
    offset: tuple[float, float]
    scale: float  # of font units
    width: float  # to the next one


def _shaped(face: _Face, text: str, look: TextLook) -> list[_Glyph]:
    scale = look.size / face.cap
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    uharfbuzz.shape(face.shaper, buffer, {"kern": True, "liga": True})
    order = face.table.getGlyphOrder()

    def drawing(name: str) -> Callable[[tuple[float, ...], float], list[Line]]:
        def draw(matrix: tuple[float, ...], tolerance: float) -> list[Line]:
            pen = Flattener(tolerance, face.glyphs)
            face.glyphs[name].draw(TransformPen(pen, matrix))
            return pen.finished()

        return draw

    return [
        _Glyph(
            drawing(order[i.codepoint]),
            (p.x_offset * scale, p.y_offset * scale),
            scale,
            p.x_advance * scale + look.spacing,
        )
        for i, p in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True)
    ]


def _has(font: bytes, character: str) -> bool:
    """Whether a font draws a character, or there is nothing to draw."""
    # A letter with its accent may also be put together, which shaping does by itself.
    own = all(ord(c) in _face(font).cmap for c in unicodedata.normalize("NFD", character))
    return (
        own
        or ord(character) in _face(font).cmap
        or unicodedata.category(character) in ("Zs", "Cc", "Cf", "Mn")
    )


@lru_cache(maxsize=1024)
def _stand_in(font: bytes, character: str) -> str | None:
    """Name of the font that a character is taken from.

    "" for the font itself, None when no font here has it.
    """
    if _has(font, character):
        return ""
    return next((name for name in fonts_with(ord(character)) if _has(font_bytes(name), character)), None)


def runs_of(font: bytes, text: str) -> list[tuple[bytes, str]]:
    """The text in stretches of one font; what no font here has is left out."""
    found = [(c, _stand_in(font, c)) for c in text]
    runs = groupby(((c, name) for c, name in found if name is not None), key=lambda f: f[1])
    return [(font_bytes(name) if name else font, "".join(c for c, _ in run)) for name, run in runs]


def stand_ins(font: bytes, name: str, text: str) -> list[Words]:
    """What is to be said of characters of a text that its font, called `name`, does not have."""
    notes: dict[str | None, list[str]] = {}
    for c in dict.fromkeys(text):
        other = _stand_in(font, c)
        if other != "":
            notes.setdefault(other, []).append(c)
    found = [(other, "".join(c)) for other, c in notes.items()]
    return [say.taken_from_another_font(c, name, other) if other else say.in_no_font(c) for other, c in found]


def text_area(font: bytes, text: str, look: TextLook, tolerance: float = 0.01) -> shapely.Geometry:
    """Area of one line of text; see `text_lines`.

    Parameters
    ----------
    font : bytes
        The font file.
    text : str
    look : TextLook
        Size, spacing and the like.
    tolerance : float
        Between curves and their chords, mm.

    Returns
    -------
    Polygon or MultiPolygon
        mm about the middle.
    """
    return filled(text_lines(font, text, look, tolerance))


def em_of(font: bytes) -> float:
    """Height of a capital letter as a share of the font size."""
    face = _face(font)
    return face.cap / face.em
