"""Outlines of a design seen from above, and of the cells that cuts make of it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of, intersection, union
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, bounds_of

#: An outline smaller than this is no section, mm2.
LEAST = 0.5


def outline_of(parts: Sequence[Part]) -> shapely.Geometry:
    """All colours seen from above."""
    # Outlines of neighbouring colours meet in the same points to the last digit but one; a hair closes them.
    areas = [area_of(p.solid.project().to_polygons()).buffer(0.005, join_style="mitre") for p in parts]
    return union(areas).buffer(-0.005, join_style="mitre")


def place_in(whole: Solid, cell: shapely.Geometry, heights: Sequence[float] = ()) -> tuple[float, float, float]:
    """A place inside the material of a body over an area seen from above: bodies that are linked reach into one another's boxes.

    Parameters
    ----------
    heights : sequence of float, optional
        Where to look, mm; all over the body when not given.
    """
    low, high = bounds_of(whole)
    best, at = 0.0, (*cell.representative_point().coords[0], float(low[2] + high[2]) / 2)
    for z in heights or np.linspace(float(low[2]), float(high[2]), 9)[1:-1].tolist():
        for part in shapely.get_parts(intersection(area_of(whole.slice(z).to_polygons()), cell)):
            if part.area > best and part.geom_type == "Polygon":
                best, at = part.area, (*part.representative_point().coords[0], z)
    x, y, z = (round(float(v), 2) for v in at)
    return x, y, z


def between(outline: shapely.Geometry, k: int, a: float, b: float) -> shapely.Geometry:
    """The part of an outline between two places along x (k = 0) or y.

    Parameters
    ----------
    outline : Polygon or MultiPolygon
        mm.
    k : int
        0 or 1.
    a, b : float
        mm.
    """
    if outline.is_empty:
        return outline
    box = [*outline.bounds]
    box[k], box[k + 2] = max(a, box[k] - 1), min(b, box[k + 2] + 1)
    return shapely.clip_by_rect(outline, *box) if box[k] < box[k + 2] else shapely.Polygon()


def leaves_sliver(outline: shapely.Geometry, k: int, at: float, line: float) -> bool:
    """Whether a cut across x (k = 0) or y leaves a piece of an outline that is thinner than two printed lines.

    Parameters
    ----------
    outline : Polygon or MultiPolygon
        mm.
    k : int
        0 or 1.
    at : float
        mm.
    line : float
        Width of a printed line, mm.
    """
    for a, b in ((at - 2 * line, at), (at, at + 2 * line)):
        for piece in shapely.get_parts(between(outline, k, a, b)):
            box = piece.bounds if not piece.is_empty else (0, 0, 0, 0)
            # What ends within the strip goes no farther; a crumb of rounding is nothing.
            ends = box[k] > a + 1e-6 if b == at else box[k + 2] < b - 1e-6
            if ends and piece.area > 1e-3:
                return True
    return False


def pieces_of(outline: shapely.Geometry) -> list[shapely.Geometry]:
    """Its separate areas that are large enough for a section."""
    return [g for g in shapely.get_parts(outline) if g.geom_type == "Polygon" and g.area > LEAST]
