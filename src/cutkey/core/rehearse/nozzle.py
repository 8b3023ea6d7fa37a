"""What a line of a nozzle's width cannot draw: walls that are lost or widened, slits that close."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference
from cutkey.core.geometry.arrays import Float
from cutkey.core.rehearse.settings import Settings

#: What grows back is a little larger, so that edges that nearly coincide give no slivers, mm.
_BACK = 0.002
#: Deeper than half a line by this it is no corner that is merely rounded, mm: corners down to 59 degrees.
_DEEP = 0.01
#: How far a corner that is merely rounded may turn, radians.
_SHARPEST = math.radians(120)
#: Points that lie so near to an outline, mm, are left out where a look is enough to tell that nothing is
#: wrong.
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
    """Whether it is more than the tip of a sharp corner.

    A wall larger than a dot of the nozzle, or a speck by itself.
    """
    return float(n.area.area) > (_SPECK if n.alone else line**2)


def narrow(area: shapely.Geometry, line: float, rough: shapely.Geometry | None = None) -> list[Narrow]:
    """Parts of an area that a line does not fit into.

    What an opening by a disc takes away, without the corners that it rounds.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    line : float
        Width of a line, mm.
    rough : Polygon or MultiPolygon, optional
        The area with fewer points, on which a wider line is tried first.
    """
    if area.is_empty or (rough is not None and _lost(rough, line / 2 + ROUGH) < _LEAST):
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


def _lost(area: shapely.Geometry, r: float) -> float:
    """mm2 by which a moved area differs from what it is without narrow places.

    Moved inwards by `r`, or outwards where `r` is less than 0.

    Where no two sides come nearer to each other than twice that, the area within (or around) is A -+ r L + pi
    r^2 chi, chi the number of parts less that of holes, and a corner that turns by t towards it makes r^2
    (tan(t/2) - t/2) more; elsewhere what is left is more than that, or what comes of it less. By what
    vanishes altogether it may be the other way round, but only where that is no longer around than a disc of
    the radius (Bonnesen): then nothing is said, and infinity is given.

    References
    ----------
    J. Steiner, Ueber parallele Flaechen, 1840; T. Bonnesen, Les problemes des isoperimetres et des
    isepiphanes, 1929.
    """
    parts = shapely.get_parts(area)
    holes = int(shapely.get_num_interior_rings(parts).sum())
    rings = shapely.get_exterior_ring(parts) if r > 0 else shapely.get_rings(parts)
    if (r > 0 or holes) and float(shapely.length(rings).min()) < 2 * math.pi * abs(r):
        return math.inf
    smooth = float(area.area) - r * float(area.length) + math.pi * r * r * (len(parts) - holes)
    moved = float(shapely.buffer(area, -r, quad_segs=2 * _QUARTER).area)
    off = moved - smooth if r > 0 else smooth - moved
    if off < _LEAST:
        return off
    return off - sum(
        _corners(shapely.get_coordinates(ring)[:-1], r)
        for ring in shapely.get_rings(shapely.orient_polygons(parts))
    )


def _corners(points: Float, r: float) -> float:
    """What the corners of a ring make, mm2.

    Those that are no sharper than is merely rounded, and that stand by themselves.
    """
    edges = np.roll(points, -1, axis=0) - points
    before = np.roll(edges, 1, axis=0)
    turn = np.arctan2(
        before[:, 0] * edges[:, 1] - before[:, 1] * edges[:, 0], np.einsum("ij,ij->i", before, edges)
    )
    # With the inside on the left, a corner to the left points outwards.
    half = np.clip(turn if r > 0 else -turn, 0.0, _SHARPEST) / 2
    tangent = abs(r) * np.tan(half)
    room = np.hypot(edges[:, 0], edges[:, 1]) - tangent - np.roll(tangent, -1)
    alone = (room >= 0) & (np.roll(room, 1) >= 0) & (2 * half < _SHARPEST)
    return float(((np.tan(half) - half) * alone).sum()) * r * r


def _sticks_out(area: shapely.Geometry, opened: shapely.Geometry, r: float) -> bool:
    """Whether any place of the outline lies further out than a rounded corner may.

    Places between the corners too: a thin wall between two wide parts has its corners at both.
    """
    shapely.prepare(opened)
    places = shapely.get_coordinates(shapely.segmentize(area, r))
    return not bool(shapely.dwithin(opened, shapely.points(places), r + _DEEP).all())


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
    if _lost(tried, -r) < _LEAST:
        return []
    x0, y0, x1, y1 = area.bounds
    around = difference(shapely.box(x0 - 2, y0 - 2, x1 + 2, y1 + 2), area)
    return narrow(around, line)


def drawn(
    area: shapely.Geometry, settings: Settings, rough: shapely.Geometry | None = None
) -> tuple[list[Narrow], list[Narrow]]:
    """What is lost of an area, and what is printed wider than it is.

    A wall that is narrower than a line is printed as one line when it is as wide as the settings' share of
    it, else it is lost.

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
