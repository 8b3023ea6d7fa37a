"""Text as outlines: shaped with kerning and ligatures, on a straight line or on an arc."""

from __future__ import annotations

import io
import math
from functools import lru_cache
from typing import NamedTuple

import shapely
import uharfbuzz
from fontTools.pens.transformPen import TransformPen
from fontTools.ttLib import TTFont, TTLibError

from cutkey.core.artwork.outline import Flattener, Line, filled
from cutkey.core.errors import BadInput


class TextLook(NamedTuple):
    """How a line of text is set; lengths in the drawing's units."""

    size: float  # height of a capital letter
    spacing: float = 0.0  # added after each glyph
    radius: float = 0.0  # of the arc the base line follows, 0 straight; negative reads along the inside of the lower half
    align: str = "middle"  # start, middle, end


class _Face(NamedTuple):
    shaper: uharfbuzz.Font
    table: TTFont
    glyphs: dict
    cap: float  # height of a capital letter in font units
    em: float


@lru_cache(maxsize=16)
def _face(data: bytes) -> _Face:
    try:
        table = TTFont(io.BytesIO(data), fontNumber=0, lazy=True)
        face = uharfbuzz.Face(data)
        glyphs = table.getGlyphSet()
        em = float(table["head"].unitsPerEm)
        cap = float(getattr(table["OS/2"], "sCapHeight", 0) or 0) if "OS/2" in table else 0.0
    except (TTLibError, KeyError, ValueError, AssertionError):
        raise BadInput("The font cannot be read; choose another font.") from None
    return _Face(uharfbuzz.Font(face), table, glyphs, cap or 0.7 * em, em)


def text_lines(font: bytes, text: str, look: TextLook, tolerance: float = 0.01) -> list[Line]:
    """Outlines of one line of text, base line on y = 0 from x = 0, y up.

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
    face = _face(font)
    scale = look.size / face.cap
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    uharfbuzz.shape(face.shaper, buffer, {"kern": True, "liga": True})
    order = face.table.getGlyphOrder()
    widths = [p.x_advance * scale + look.spacing for p in buffer.glyph_positions]
    total = sum(widths) - (look.spacing if widths else 0.0)
    x = {"start": 0.0, "middle": -total / 2, "end": -total}.get(look.align, 0.0)
    pen = Flattener(tolerance)
    for info, position, width in zip(buffer.glyph_infos, buffer.glyph_positions, widths, strict=True):
        dx, dy = position.x_offset * scale, position.y_offset * scale
        if look.radius:
            # The middle of the glyph touches the arc.
            middle = x + (width - look.spacing) / 2
            angle = middle / look.radius
            c, s = math.cos(angle), math.sin(angle)
            ox, oy = look.radius * s, look.radius * (c - 1)
            left = dx - (width - look.spacing) / 2
            matrix = (scale * c, -scale * s, scale * s, scale * c, ox + c * left + s * dy, oy - s * left + c * dy)
        else:
            matrix = (scale, 0, 0, scale, x + dx, dy)
        face.glyphs[order[info.codepoint]].draw(TransformPen(pen, matrix))
        x += width
    return pen.finished()


def text_area(font: bytes, text: str, look: TextLook, tolerance: float = 0.01) -> shapely.Geometry:
    """Area of one line of text; see `text_lines`."""
    return filled(text_lines(font, text, look, tolerance))


def em_of(font: bytes) -> float:
    """Height of a capital letter as a share of the font size."""
    face = _face(font)
    return face.cap / face.em
