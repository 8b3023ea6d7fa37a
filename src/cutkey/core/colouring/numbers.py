"""Numbers of inlays: under each piece, and in the floor of its pocket.

So it is known what goes where.
"""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.areas import grown
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.lettering.room import EDGE, FLOOR, least_height, writing_in
from cutkey.core.model.colouring import Engraving

#: Numbers are so deep and at most so high, mm; a piece that is thinner than depth and floor together gets
#: none.
DEEP, HIGH = 0.4, 5.0
#: Cuts begin this much outside of what they cut, mm.
_OUT = 0.01


def number_in(number: int, outline: shapely.Polygon, lead: float, nozzle: float) -> shapely.Geometry | None:
    """The number of an inlay as it is read in the floor of its pocket; None where there is no room.

    Parameters
    ----------
    number : int
    outline : Polygon
        Of the piece, mm on the face.
    lead : float
        What is taken off its lower edge, mm.
    nozzle : float
        mm.
    """
    free = grown(outline, -(lead + EDGE))
    found = writing_in(str(number), free, -1, HIGH, least_height(nozzle), outline.representative_point())
    return found[2] if found is not None else None


def underneath(solid: Solid, number: shapely.Geometry) -> Solid:
    """A piece as it lies on the bed with its number under it, read once it is turned over."""
    x0, _, x1, _ = number.bounds
    mirrored = shapely.orient_polygons(shapely.transform(number, lambda p: p * (-1, 1) + (x0 + x1, 0)))
    return solid - prism(mirrored, -_OUT, DEEP)


def engraved(
    parts: Sequence[Part], whole: Solid, floors: Sequence[Engraving]
) -> tuple[list[Part], Solid, tuple[int, ...]]:
    """A design with numbers in the floors of its pockets, and which were engraved.

    Those under which enough of it is left.

    Parameters
    ----------
    parts : sequence of Part
    whole : Manifold
        All parts as one.
    floors : sequence of Engraving
    """
    tools, done = [], []
    for floor in floors:
        area = shapely.from_wkb(floor.area)
        matrix = np.array(floor.to_model).reshape(3, 4)
        below = prism(shapely.box(*area.bounds), -floor.deep - DEEP - FLOOR, -floor.deep - _OUT).transform(
            matrix
        )
        if abs(float((below ^ whole).volume()) - float(below.volume())) < 1e-3 * float(below.volume()):
            tools.append(prism(area, -floor.deep - DEEP, -floor.deep + _OUT).transform(matrix))
            done.append(floor.number)
    if not tools:
        return list(parts), whole, ()
    tool = m3.Manifold.compose(tools)
    low, high = bounds_of(tool)
    out = []
    for part in parts:
        a, b = bounds_of(part.solid)
        out.append(Part(part.colour, part.solid - tool) if (a < high).all() and (b > low).all() else part)
    return out, whole - tool, tuple(done)
