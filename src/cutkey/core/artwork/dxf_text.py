"""Text of DXF drawings as outlines: single lines, paragraphs and attributes, where the drawing puts them."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
import shapely

from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.matching import matching_font
from cutkey.core.lettering.outline import Line
from cutkey.core.lettering.text import Lettering, TextLook, stand_ins, text_area
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Kinds of entities that hold text.
TEXTS = {"TEXT", "MTEXT", "ATTRIB"}
#: From one base line to the next, in heights of a capital letter (DXF reference, MTEXT group code 44: five
#: thirds).
LEADING = 5 / 3


class SetText(NamedTuple):
    """Text of one entity, in the drawing's units, y up."""

    outlines: list[Line]
    lettering: tuple[Lettering, ...]
    notes: list[Words]


def set_text(entity: Any, document: Any, tolerance: float) -> SetText:
    """Outlines of a text entity, in the drawing's font where it is here, else in a shipped one.

    Parameters
    ----------
    entity, document
        Of ezdxf.
    tolerance : float
        Largest distance between a curve and its straight pieces, in the drawing's units.
    """
    name, notes = _font_of(entity, document)
    if entity.dxftype() != "MTEXT" and entity.dxf.get("halign", 0) in (3, 5):
        notes.append(say.fitted_text())
    font = font_bytes(name)
    lines, height, across, down, matrix, place = (_paragraph if entity.dxftype() == "MTEXT" else _single)(
        entity
    )
    reversed_ = bool(np.linalg.det(matrix) < 0)
    outlines: list[Line] = []
    lettering = []
    for k, text in enumerate(lines):
        if not text.strip():
            continue
        notes += [n for n in stand_ins(font, name, text) if n not in notes]
        lettering.append(Lettering(text.strip(), reversed_))
        area = text_area(font, text, TextLook(height, align=across), tolerance)
        base = -down - k * LEADING * height
        for polygon in shapely.get_parts(area):
            for ring in (polygon.exterior, *polygon.interiors):
                points = shapely.get_coordinates(ring)[:-1] + np.array([0.0, base])
                outlines.append(Line(points @ matrix.T + place, True))
    return SetText(outlines, tuple(lettering), notes)


def _font_of(entity: Any, document: Any) -> tuple[str, list[Words]]:
    """The font of an entity's style, and that another is taken where it is not here."""
    style = entity.dxf.get("style", "Standard")
    wanted = document.styles.get(style).dxf.get("font", "") if style in document.styles else ""
    stem = wanted.rpartition(".")[0] or wanted
    name, said = matching_font(stem)
    return name, [] if not said else [say.no_outline_font(wanted, name)]


def _single(entity: Any) -> tuple[list[str], float, str, float, np.ndarray, np.ndarray]:
    """A line of text (DXF reference, TEXT: group codes 40, 41, 50, 51, 71, 72, 73)."""
    d = entity.dxf
    height = float(d.get("height", 1.0))
    across, upright = int(d.get("halign", 0)), int(d.get("valign", 0))
    anchored = (across or upright) and d.hasattr("align_point")
    place = np.array(tuple(d.align_point if anchored and across not in (3, 5) else d.insert)[:2], float)
    turn, slant = (
        math.radians(float(d.get("rotation", 0.0))),
        math.tan(math.radians(float(d.get("oblique", 0.0)))),
    )
    flags = int(d.get("text_generation_flag", 0))
    flip = np.diag([-1.0 if flags & 2 else 1.0, -1.0 if flags & 4 else 1.0])
    c, s = math.cos(turn), math.sin(turn)
    matrix = np.array([[c, -s], [s, c]]) @ flip @ np.array([[float(d.get("width", 1.0)), slant], [0.0, 1.0]])
    if tuple(d.get("extrusion", (0, 0, 1)))[2] < 0:
        # Seen from behind: the entity's x runs the other way.
        matrix, place = np.diag([-1.0, 1.0]) @ matrix, place * (-1.0, 1.0)
    down = {1: -0.25 * height, 2: 0.5 * height, 3: height}.get(upright, 0.5 * height if across == 4 else 0.0)
    return (
        [entity.plain_text()],
        height,
        {1: "middle", 2: "end", 4: "middle"}.get(across, "start"),
        down,
        matrix,
        place,
    )


def _paragraph(entity: Any) -> tuple[list[str], float, str, float, np.ndarray, np.ndarray]:
    """Lines of text (DXF reference, MTEXT: group codes 40, 44, 50, 71); breaks by width are not made anew."""
    d = entity.dxf
    height = float(d.get("char_height", 1.0))
    lines = entity.plain_text(split=True)
    point = int(d.get("attachment_point", 1))
    row, side = divmod(point - 1, 3)
    whole = height + (len(lines) - 1) * LEADING * height
    down = height - (0.0, whole / 2, whole)[min(row, 2)]
    turn = math.radians(float(entity.get_rotation()))
    c, s = math.cos(turn), math.sin(turn)
    place = np.array(tuple(d.insert)[:2], float)
    return lines, height, ("start", "middle", "end")[side], down, np.array([[c, -s], [s, c]]), place
