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


def place_in(
    whole: Solid, cell: shapely.Geometry, heights: Sequence[float] = ()
) -> tuple[float, float, float]:
    """A place inside the material of a body over an area seen from above.

    Bodies that are linked reach into one another's boxes.

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


class Slivers:
    """Whether a cut across x (k = 0) or y leaves a piece of an outline that is too thin.

    Thinner than two printed lines.

    Parameters
    ----------
    outline : Polygon or MultiPolygon
        mm.
    k : int
        0 or 1.
    line : float
        Width of a printed line, mm.
    """

    def __init__(self, outline: shapely.Geometry, k: int, line: float) -> None:
        self._outline, self._k, self._reach = outline, k, 2 * line
        # Such a piece ends beside the cut, and so its outline turns there.
        turns = [np.empty(0)]
        for ring in shapely.get_rings(shapely.get_parts(outline)):
            c = shapely.get_coordinates(ring)[:-1, k]
            turns.append(c[(np.roll(c, 1) - c) * (np.roll(c, -1) - c) >= 0])
        self._turns = np.sort(np.concatenate(turns))

    def left(self, at: float) -> bool:
        """Whether a cut at a place, mm, does."""
        first, last = np.searchsorted(self._turns, (at - self._reach - 1e-6, at + self._reach + 1e-6))
        return first < last and any(
            self._ends(a, b, b == at) for a, b in ((at - self._reach, at), (at, at + self._reach))
        )

    def _ends(self, a: float, b: float, before: bool) -> bool:
        """Whether a piece between two places goes to the cut and no farther."""
        k = self._k
        for piece in shapely.get_parts(between(self._outline, k, a, b)):
            box = piece.bounds if not piece.is_empty else (0, 0, 0, 0)
            # A crumb of rounding is nothing.
            if (box[k] > a + 1e-6 if before else box[k + 2] < b - 1e-6) and piece.area > 1e-3:
                return True
        return False


def pieces_of(outline: shapely.Geometry) -> list[shapely.Geometry]:
    """Its separate areas that are large enough for a section."""
    return [g for g in shapely.get_parts(outline) if g.geom_type == "Polygon" and g.area > LEAST]
