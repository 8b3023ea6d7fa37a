"""What a line of a nozzle's width cannot draw: walls that are lost or widened, slits that close."""

from __future__ import annotations

from typing import NamedTuple

import shapely

from cutkey.core.geometry.areas import difference, sound
from cutkey.core.rehearse.settings import Settings

#: What grows back is a little larger, so that edges that nearly coincide give no slivers, mm.
_BACK = 0.002
#: Deeper than half a line by this it is no corner that is merely rounded, mm: corners down to 59 degrees.
_DEEP = 0.01
#: Less than this is rounding, mm2.
_LEAST = 0.005
_QUARTER = 4


class Narrow(NamedTuple):
    """A place where something is narrower than a line."""

    area: shapely.Polygon
    wide: float  # mm, at its widest
    alone: bool = False  # nothing that can be drawn is beside it


def narrow(area: shapely.Geometry, line: float) -> list[Narrow]:
    """Parts of an area that a line does not fit into: what an opening by a disc takes away, without the corners that it rounds.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    line : float
        Width of a line, mm.
    """
    if area.is_empty:
        return []
    r = line / 2
    opened = shapely.buffer(shapely.buffer(area, -r, quad_segs=_QUARTER), r + _BACK, quad_segs=_QUARTER)
    if opened.is_empty:
        return [Narrow(g, _wide(g), True) for g in shapely.get_parts(area) if g.area > _LEAST]
    if not _sticks_out(area, opened, r):
        return []
    rest = difference(area, opened)
    out = []
    for g in shapely.get_parts(rest):
        if g.geom_type != "Polygon" or g.area < _LEAST:
            continue
        if _sticks_out(g, opened, r):
            out.append(Narrow(g, _wide(g), not shapely.dwithin(g, opened, 2 * _BACK)))
    return out


def _sticks_out(area: shapely.Geometry, opened: shapely.Geometry, r: float) -> bool:
    """Whether any corner lies further out than a rounded one may."""
    shapely.prepare(opened)
    return not bool(shapely.dwithin(opened, shapely.points(shapely.get_coordinates(area)), r + _DEEP).all())


def _wide(area: shapely.Polygon) -> float:
    return 2 * float(shapely.maximum_inscribed_circle(area, tolerance=0.01).length)


def slits(area: shapely.Geometry, line: float) -> list[Narrow]:
    """Gaps between parts of an area, and holes in it, that lines on both sides close.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    line : float
        Width of a line, mm.
    """
    if area.is_empty:
        return []
    r = line / 2
    # Something must come nearer than a line to something else; most layers have nothing that does.
    closed = shapely.buffer(shapely.buffer(area, r, quad_segs=_QUARTER), -r - _BACK, quad_segs=_QUARTER)
    if float(closed.area) < float(area.area) - 0.5 * _BACK * float(area.length):
        return []
    x0, y0, x1, y1 = area.bounds
    around = difference(shapely.box(x0 - 2, y0 - 2, x1 + 2, y1 + 2), area)
    return narrow(around, line)


def drawn(area: shapely.Geometry, settings: Settings) -> tuple[list[Narrow], list[Narrow], shapely.Geometry]:
    """What is lost of an area, what is printed wider than it is, and what comes out.

    A wall that is narrower than a line is printed as one line when it is as wide as the settings' share of it, else it is lost.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    settings : Settings
    """
    found = narrow(area, settings.line)
    lost = [n for n in found if n.wide < settings.thin * settings.line]
    widened = [n for n in found if n.wide >= settings.thin * settings.line]
    out = difference(area, shapely.union_all([n.area for n in lost])) if lost else area
    return lost, widened, sound(out)
