"""What a layer rests on: islands over nothing, walls that lean out too far, bridges and their span."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference
from cutkey.core.rehearse.layers import coarser
from cutkey.core.rehearse.nozzle import ROUGH
from cutkey.core.rehearse.settings import Settings

#: Less than this hangs, mm2, and it is rounding.
_LEAST = 0.01
#: Places along the edge of what hangs, mm from one another.
_STEP = 0.5
#: Of an island at least so much is not carried: the rest lies within reach of something beside it.
_MOST = 0.05


class Hanging(NamedTuple):
    """A part of a layer with nothing under it."""

    kind: Literal["island", "bridge", "overhang"]
    area: shapely.Polygon
    far: float  # mm: span of a bridge, how far an overhang reaches out, the size of an island


def hanging(
    area: shapely.Geometry, below: shapely.Geometry, thick: float, settings: Settings
) -> list[Hanging]:
    """Parts of a layer that the layer below does not carry.

    An island touches nothing of the layer below. A bridge is held on several sides: its span is twice the way
    from its middle to what holds it. What is held on one side leans out.

    Parameters
    ----------
    area, below : Polygon or MultiPolygon
        The layer, and the one below it, mm; with few points, as each of them is looked at.
    thick : float
        Of the layer, mm.
    settings : Settings
    """
    reach = thick * math.tan(math.radians(settings.angle))
    carried = shapely.buffer(below, reach, quad_segs=4)
    rest = difference(area, carried)
    if rest.area < _LEAST:
        return []
    out: list[Hanging] = []
    parts = np.array([g for g in shapely.get_parts(area) if g.area > _LEAST], object)
    shapely.prepare(below)
    for part, touches in zip(parts, shapely.intersects(parts, below), strict=True):
        # Touching is no support: there must be area in common, as there is where most of it rests.
        if not touches or (rest.area > _MOST * part.area and shapely.intersection(part, below).area < 1e-6):
            out.append(Hanging("island", part, math.sqrt(float(part.area))))
    islands = [h.area for h in out]
    edge = None
    for g in shapely.get_parts(rest):
        if g.geom_type != "Polygon" or g.area < _LEAST or any(i.intersects(g) for i in islands):
            continue
        places = shapely.points(shapely.get_coordinates(shapely.segmentize(coarser(g, ROUGH), _STEP)))
        # A narrow band all of which is near to what carries it: a slope.
        if (
            2 * g.area < settings.line * g.length
            and shapely.dwithin(below, places, reach + settings.line / 2).all()
        ):
            continue
        far = float(shapely.distance(places, below).max())
        edge = shapely.buffer(carried, 1e-4, quad_segs=4) if edge is None else edge
        held = shapely.intersection(shapely.boundary(g), edge)
        sides = (
            [s for s in shapely.get_parts(shapely.line_merge(held)) if s.length > settings.line]
            if not held.is_empty
            else []
        )
        if len(sides) > 1 or held.length > 0.6 * g.length:
            # What is farthest from all that holds it lies inside.
            fine = max(0.05, 0.1 * float(g.area) / float(g.length))
            middle = shapely.get_point(shapely.maximum_inscribed_circle(g, tolerance=fine), 0)
            out.append(Hanging("bridge", g, 2 * max(far, float(shapely.distance(middle, below)))))
        elif far > reach + settings.line / 2:
            out.append(Hanging("overhang", g, far))
    return out
