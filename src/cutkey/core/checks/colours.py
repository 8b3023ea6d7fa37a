"""Do the colours meet without gap and overlap, on the drawing and in the solids?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.areas import area_of, difference, union
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.words import placing as say


def gap_and_overlap(graphic: Graphic) -> tuple[float, float]:
    """Area, mm2, of edges that do not match between neighbouring regions (gap) and of double cover (overlap).

    Judged by shapely's coverage functions; a valid coverage has neither.
    """
    geometries = np.array([r.geometry for r in graphic.regions], object)
    if bool(shapely.coverage_is_valid(geometries)):
        return 0.0, 0.0
    whole = union(geometries)
    overlap = max(0.0, float(shapely.area(geometries).sum() - whole.area))
    closed = whole.buffer(0.01).buffer(-0.01)
    return max(0.0, float(difference(closed, whole).area)), overlap


def check_regions(graphics: Sequence[tuple[str, Graphic]]) -> list[Finding]:
    """Gap and overlap of every graphic."""
    out = []
    for name, graphic in graphics:
        gap, overlap = gap_and_overlap(graphic)
        if gap > 0 or overlap > 0:
            out.append(
                Finding(
                    "colours",
                    "stop",
                    say.colours_do_not_meet(name, gap, overlap),
                    name,
                    gap + overlap,
                    0,
                    "mm²",
                )
            )
    if graphics and not out:
        n = sum(len(g.regions) for _, g in graphics)
        out.append(Finding("colours", "sound", say.colours_meet(n), figure=0, limit=0, unit="mm²"))
    return out


#: Heights at which colours are looked at for overlap.
_LEVELS = 9


def check_solids(parts: Sequence[Part], whole: Solid) -> list[Finding]:
    """Colour bodies must not share volume, and leave none out.

    Their volumes must add up to that of the whole, which was built by itself from the tools, not from the
    parts; and in slices no two of them may cover the same area.

    Parameters
    ----------
    whole : Manifold
        The design as one solid.
    """
    total, volume = sum(float(p.solid.volume()) for p in parts), float(whole.volume())
    off = total - volume
    if abs(off) > 1e-6 * max(volume, 1e-9):
        says = say.bodies_share_volume(off) if off > 0 else say.bodies_leave_gaps(-off)
        return [Finding("bodies", "stop", says, figure=off, limit=0, unit="mm³")]
    shared, at = _shared_in_slices(parts)
    if shared > 1e-3:
        return [
            Finding("bodies", "stop", say.bodies_share_area(shared, at), figure=shared, limit=0, unit="mm²")
        ]
    return [Finding("bodies", "sound", say.bodies_apart(len(parts)), figure=off, limit=0, unit="mm³")]


def _shared_in_slices(parts: Sequence[Part]) -> tuple[float, float]:
    """The largest area that two colours share in a slice, mm2, and its height."""
    boxes = [bounds_of(p.solid) for p in parts]
    low, high = min(float(a[2]) for a, _ in boxes), max(float(b[2]) for _, b in boxes)
    worst, at = 0.0, low
    # Heights inside thin layers of colour too, not only of the whole.
    edges = sorted({round(float(z), 3) for a, b in boxes for z in (a[2], b[2])})
    middles = [(a + b) / 2 for a, b in pairwise(edges) if b - a > 1e-3]
    chosen = middles[:: max(1, len(middles) // _LEVELS)] or [(low + high) / 2]
    for z in chosen:
        areas = [
            area_of(p.solid.slice(z).to_polygons())
            for p, (a, b) in zip(parts, boxes, strict=True)
            if a[2] < z < b[2]
        ]
        if len(areas) > 1:
            shared = sum(float(a.area) for a in areas) - float(union(areas).area)
            worst, at = max((worst, at), (shared, z))
    return worst, at


@check(30)
def regions_meet(c: Context) -> list[Finding]:
    """Regions of each graphic leave no gap and do not overlap."""
    return check_regions([(o.name, o.drawn.graphic) for o in c.laid])


@check(31)
def bodies_meet(c: Context) -> list[Finding]:
    """Colour bodies share no volume and leave none out."""
    found = c.of_design("solids", lambda: check_solids(c.design.parts, c.design.whole))
    assert isinstance(found, list)
    return found


@check(32)
def pieces_hold_together(c: Context) -> Iterator[Finding]:
    """Pieces of one colour that touch at a corner only are said: nothing holds them there."""
    for o in c.laid:
        for region in o.drawn.graphic.regions:
            touching = corner_contacts(region.geometry)
            if not touching:
                continue
            place = o.site.at(np.array([touching[0]]))[0][0]
            says = say.touching_at_a_corner(o.name, plain_name(region.colour), len(touching))
            at = (float(place[0]), float(place[1]), float(place[2]))
            yield Finding(
                "corner contact", "look at", says, o.name, float(len(touching)), 0.0, "", at, "show"
            )


def corner_contacts(geometry: shapely.Geometry) -> list[tuple[float, float]]:
    """Places where pieces of a region, or a piece with itself, touch in a point.

    Parameters
    ----------
    geometry : Polygon or MultiPolygon

    Returns
    -------
    list of (float, float)
    """
    ends = [shapely.get_coordinates(r)[:-1] for r in shapely.get_rings(shapely.get_parts(geometry))]
    if not ends:
        return []
    points, count = np.unique(np.concatenate(ends), axis=0, return_counts=True)
    return [(float(x), float(y)) for x, y in points[count > 1]]
