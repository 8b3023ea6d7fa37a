"""Text set in lines, turned, round a circle, and its strokes made thick enough to be printed."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import shapely
from shapely import affinity

from cutkey.core.geometry.areas import difference, grown, sound, union
from cutkey.core.lettering.outline import Line, filled
from cutkey.core.lettering.text import TextLook, advance, text_lines

#: Thin strokes are grown in so many steps at most.
_STEPS = 16


class Setting(NamedTuple):
    """How some lines of text stand; lengths in mm, angles in degrees."""

    size: float  # height of a capital letter
    spacing: float = 0.0  # more between letters
    leading: float = 1.6  # from base line to base line, in heights of a capital
    align: str = "middle"  # start, middle, end
    angle: float = 0.0  # turned clockwise
    radius: float = 0.0  # of an arc that the text stands on, below 0 hangs from; 0 straight
    around: bool = False  # the arc is a circle about the place, which the middle of the capitals follows
    spread: float = 0.0  # round a circle: the angle that the letters are spread over; 0 as they come
    least_stroke: float = 0.0  # thinner strokes are made so thick


def set_text(font: bytes, text: str, how: Setting, tolerance: float = 0.005) -> shapely.Geometry:
    """Area of some lines of text about their place.

    The middle of the lines, where an arc touches, or the middle of a circle.

    Parameters
    ----------
    font : bytes
        The font file.
    text : str
        Lines apart by newlines.
    how : Setting
    tolerance : float
        Between curves and their chords, mm.

    Returns
    -------
    Polygon or MultiPolygon
        mm, y up; empty when there is nothing to draw.

    Raises
    ------
    BadInput
        When the font cannot be read.
    """
    rows = text.split("\n")
    step = how.leading * how.size
    outlines: list[Line] = []
    for n, row in enumerate(rows):
        if how.around and how.radius:
            outlines += _round(font, row, how, n * step, tolerance)
        elif how.radius:
            # Each further line stands on a smaller circle, or hangs from a larger one, about the same middle.
            radius = how.radius - n * step
            if radius * how.radius > 0:
                look = TextLook(how.size, how.spacing, radius, how.align)
                outlines += _moved(text_lines(font, row, look, tolerance), 0.0, -n * step)
        else:
            look = TextLook(how.size, how.spacing, 0.0, how.align)
            top = (how.size + (len(rows) - 1) * step) / 2
            outlines += _moved(text_lines(font, row, look, tolerance), 0.0, top - how.size - n * step)
    area = filled(outlines)
    if how.align != "middle" and not how.radius and not area.is_empty:
        x0, _, x1, _ = area.bounds
        area = affinity.translate(area, -(x0 + x1) / 2)
    if how.angle:
        area = affinity.rotate(area, -how.angle, origin=(0, 0))
    return thickened(area, how.least_stroke) if how.least_stroke > 0 else area


def _round(font: bytes, row: str, how: Setting, inwards: float, tolerance: float) -> list[Line]:
    """A line of text round a circle, in its upper half, or (radius below 0) in its lower half."""
    # The middle of the capitals runs along the circle, so that text above and below lies in the same ring.
    middle = abs(how.radius) - inwards
    base = middle - how.size / 2 if how.radius > 0 else middle + how.size / 2
    if base <= 0 or middle <= 0:
        return []
    spacing = how.spacing
    if how.spread > 0 and len(row) > 1:
        natural = advance(font, row, TextLook(how.size))
        gaps = len(row) if how.spread >= 360 else len(row) - 1
        spacing = (math.radians(min(how.spread, 360.0)) * base - natural) / gaps
    radius = math.copysign(base, how.radius)
    return _moved(text_lines(font, row, TextLook(how.size, spacing, radius), tolerance), 0.0, radius)


def _moved(lines: list[Line], x: float, y: float) -> list[Line]:
    return [line._replace(points=line.points + np.array([x, y])) for line in lines]


def thickened(area: shapely.Geometry, least: float) -> shapely.Geometry:
    """An area whose strokes are nowhere thinner than so many mm; what is thick enough stays as it is.

    What an opening with a disc of that width takes away is too thin (J. Serra: Image Analysis and
    Mathematical Morphology, 1982); such places are grown, step by step, until they are no more. Bits of
    corners, which are shorter than wide, are left.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    least : float
        mm.

    Returns
    -------
    Polygon or MultiPolygon
    """
    r, fine = least / 2, least / 200
    for _ in range(_STEPS):
        # Arcs are chords: what lies beside them by less than that is not thin.
        opened = grown(grown(area, -r, quad_segs=6), r + fine, quad_segs=6)
        gone = shapely.get_parts(sound(difference(area, opened)))
        thin = [g for g in gone if g.length / 2 > least and 2 * g.area > 0.05 * least * g.length]
        if not thin:
            break
        area = sound(
            shapely.simplify(union([area, *(grown(g, least / _STEPS, quad_segs=4) for g in thin)]), fine)
        )
    return area
