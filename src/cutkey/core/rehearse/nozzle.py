"""What a line of a nozzle's width cannot draw: walls that are lost or widened, slits that close."""

from __future__ import annotations

from typing import NamedTuple

import shapely

from cutkey.core.geometry.areas import difference
from cutkey.core.rehearse.settings import Settings

#: What grows back is a little larger, so that edges that nearly coincide give no slivers, mm.
_BACK = 0.002
#: Deeper than half a line by this it is no corner that is merely rounded, mm: corners down to 59 degrees.
_DEEP = 0.01
#: Points that lie so near to an outline, mm, are left out where a look is enough to tell that nothing is wrong.
ROUGH = 0.01
#: Less than this is rounding, mm2.
_LEAST = 0.005
#: Smaller than this, mm2, a speck is what is left of a slope in one layer.
_SPECK = 0.03
_QUARTER = 4


class Narrow(NamedTuple):
    """A place where something is narrower than a line."""

    area: shapely.Polygon
    wide: float  # mm, at its widest
    alone: bool = False  # nothing that can be drawn is beside it


def counts(n: Narrow, line: float) -> bool:
    """Whether it is more than the tip of a sharp corner: a wall larger than a dot of the nozzle, or a speck by itself."""
    return float(n.area.area) > (_SPECK if n.alone else line**2)


def narrow(area: shapely.Geometry, line: float, rough: shapely.Geometry | None = None) -> list[Narrow]:
    """Parts of an area that a line does not fit into: what an opening by a disc takes away, without the corners that it rounds.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    line : float
        Width of a line, mm.
    rough : Polygon or MultiPolygon, optional
        The area with fewer points, on which a wider line is tried first.
    """
    if area.is_empty or (rough is not None and _goes_in(rough, line / 2 + ROUGH)):
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


def _goes_in(area: shapely.Geometry, r: float) -> bool:
    """Whether a disc goes everywhere: smooth outlines lose nothing at all, which their areas tell sooner than their corners do."""
    opened = shapely.buffer(shapely.buffer(area, -r, quad_segs=_QUARTER), r + _BACK, quad_segs=_QUARTER)
    return float(area.area) - float(opened.area) + _BACK * float(opened.length) < _LEAST


def _sticks_out(area: shapely.Geometry, opened: shapely.Geometry, r: float) -> bool:
    """Whether any corner lies further out than a rounded one may."""
    shapely.prepare(opened)
    return not bool(shapely.dwithin(opened, shapely.points(shapely.get_coordinates(area)), r + _DEEP).all())


def _wide(area: shapely.Polygon) -> float:
    return 2 * float(shapely.maximum_inscribed_circle(area, tolerance=0.01).length)


def slits(area: shapely.Geometry, line: float, rough: shapely.Geometry | None = None) -> list[Narrow]:
    """Gaps between parts of an area, and holes in it, that lines on both sides close.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    line : float
        Width of a line, mm.
    rough : Polygon or MultiPolygon, optional
        The area with fewer points, on which a wider line is tried first.
    """
    if area.is_empty:
        return []
    # Something must come nearer than a line to something else; most layers have nothing that does.
    r, tried = (line / 2, area) if rough is None else (line / 2 + ROUGH, rough)
    closed = shapely.buffer(shapely.buffer(tried, r, quad_segs=_QUARTER), -r - _BACK, quad_segs=_QUARTER)
    if float(closed.area) < float(tried.area) - 0.5 * _BACK * float(tried.length):
        return []
    x0, y0, x1, y1 = area.bounds
    around = difference(shapely.box(x0 - 2, y0 - 2, x1 + 2, y1 + 2), area)
    return narrow(around, line)


def drawn(area: shapely.Geometry, settings: Settings, rough: shapely.Geometry | None = None) -> tuple[list[Narrow], list[Narrow]]:
    """What is lost of an area, and what is printed wider than it is.

    A wall that is narrower than a line is printed as one line when it is as wide as the settings' share of it, else it is lost.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    settings : Settings
    rough : Polygon or MultiPolygon, optional
        The area with fewer points.
    """
    found, least = narrow(area, settings.line, rough), settings.thin * settings.line
    return [n for n in found if n.wide < least], [n for n in found if n.wide >= least]
