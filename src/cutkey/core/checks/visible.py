"""Every region can be seen: by its filament or by its height.

Looked at from outside along both sides of its edge, on the finished bodies.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, Laid, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.areas import grown
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.rays import runs_along
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import OUT, placed_regions
from cutkey.core.words import placing as say
from cutkey.core.words.kind import Words

#: Places along the edge of a region, of many copies at least so many of each, and how far off it on either
#: side they lie, mm.
_PLACES, _OF_COPY, _BESIDE = 24, 8, 0.08
#: Regions of less are not looked at, mm2.
_LEAST = 0.01
#: A step of less is not seen, mm; and of an edge at least this share is to be.
_STEP, _SHARE = 0.05, 0.1
#: How far over the surface the eye is, mm, when nothing of the model is in its way before.
_EYE = 30.0


class Look(NamedTuple):
    """One place of an edge, seen from outside."""

    colour: str
    beside: str  # colour of the region on the other side, "" for the model
    seen: bool
    filament: str
    printed: bool  # the colour is printed, not only taken out
    place: tuple[float, float, float]
    copy: int = 0  # of which copy


@check(62)
def can_be_seen(c: Context) -> Iterator[Finding]:
    """No region has the filament and the height of all that surrounds it, and no two of them merge."""
    count = 0
    told = False
    every = c.of_design(f"seen {_assigned(c)}", lambda: {o.placement.id: _looks(c, o) for o in c.laid})
    assert isinstance(every, dict)
    for o in c.laid:
        looks = every[o.placement.id]
        count += len(looks)
        for finding in unseen(looks, o.name, o.placement.id):
            told = True
            yield finding
    if count and not told:
        yield Finding("visible", "sound", say.all_can_be_seen(count), figure=float(count))


def unseen(looks: Sequence[Look], name: str, of: str) -> Iterator[Finding]:
    """Findings on one placed graphic.

    Parameters
    ----------
    looks : sequence of Look
        Along the edges of all its regions.
    name, of : str
        What the maker calls it, and the id of its placement.
    """
    hidden = set()
    for colour in dict.fromkeys(k.colour for k in looks):
        mine = [k for k in looks if k.colour == colour]
        # What is only taken out and lies in what another colour takes out merges with that one.
        alone = mine[0].printed or not any(k.beside for k in mine)
        lost = _unseen_copy(mine) if alone else []
        if lost:
            hidden.add(colour)
            says = say.cannot_be_seen(name, plain_name(colour), lost[0].filament)
            yield _finding(says, name, of, colour, lost)
    for a, b in dict.fromkeys((min(k.colour, k.beside), max(k.colour, k.beside)) for k in looks if k.beside):
        edge = _unseen_copy([k for k in looks if {k.colour, k.beside} == {a, b}])
        if a != b and not hidden & {a, b} and edge:
            says = say.colours_merge(name, plain_name(a), plain_name(b), edge[0].filament, edge[0].printed)
            yield _finding(says, name, of, a, edge)


def _finding(says: Words, name: str, of: str, colour: str, looks: Sequence[Look]) -> Finding:
    figures = round(_share(looks), 3), _SHARE, ""
    mends = ("another filament", "raise", "recess") if looks[0].printed else ("raise", "recess")
    at = looks[0].place
    return Finding("visible", "look at", says, name, *figures, at, mends[0], of, colour, more_mends=mends[1:])


def _unseen_copy(looks: Sequence[Look]) -> list[Look]:
    """The looks at the first copy of which hardly anything is seen; none where every copy is seen."""
    copies = [[k for k in looks if k.copy == n] for n in dict.fromkeys(k.copy for k in looks)]
    return next((some for some in copies if _share(some) < _SHARE), [])


def _share(looks: Sequence[Look]) -> float:
    return sum(k.seen for k in looks) / len(looks)


def _assigned(c: Context) -> str:
    return ",".join(f"{colour}={name}" for colour, name in sorted(c.filaments.items()))


def _looks(c: Context, o: Laid) -> list[Look]:
    """Look along the edges of all regions of a graphic, all its copies."""
    each = max(_OF_COPY, _PLACES // len(o.copies))
    return [look._replace(copy=n) for n, one in enumerate(o.copies) for look in _looks_at(c, o, one, each)]


def _looks_at(c: Context, o: Laid, one: Placement, each: int) -> list[Look]:
    """Look along the edges of all regions of one copy, at so many places of each."""
    room = grown(o.site.facet.outline, -one.margin - _BESIDE)
    regions = placed_regions(o.drawn.graphic, one, o.site.facet.outline)
    solids = [(c.filaments.get(p.colour, p.colour), p.solid) for p in c.design.parts]
    tree = shapely.STRtree([r.geometry for r in regions])
    out = []
    for region in regions:
        rule, way = one.depth_of(region.colour), c.job.colouring.way_of(region.colour)
        # A depth of nothing is the maker's own, but for one that a plan by height has made; an inlay shows
        # its seam.
        nothing = rule.mm <= 0 and rule.mode not in ("through", "level") and way != "heights"
        if nothing or way == "inlays" or region.geometry.area < _LEAST:
            continue
        within, without = _beside(region.geometry, each)
        keep = shapely.contains_xy(room, without[:, 0], without[:, 1])
        within, without = within[keep], without[keep]
        if not len(within):
            continue
        across = np.full(len(without), -1)
        point, number = tree.query(shapely.points(without), predicate="within")
        across[point] = number
        (here, ways), (there, other_ways) = o.site.at(within), o.site.at(without)
        for k in range(len(within)):
            inner, at = _seen(solids, here[k], ways[k])
            outer, beside = _seen(solids, there[k], other_ways[k])
            neighbour = regions[across[k]].colour if across[k] >= 0 else ""
            if neighbour == region.colour or (neighbour and c.job.colouring.way_of(neighbour) == "inlays"):
                continue
            if not inner and not outer and (rule.mode not in OUT or not neighbour):
                # Nothing is there to be seen; what came out tells that.
                continue
            x, y, z = (float(v) for v in here[k])
            seen = inner != outer or abs(at - beside) > _STEP
            out.append(Look(region.colour, neighbour, seen, inner, rule.mode not in OUT, (x, y, z)))
    return out


def _beside(geometry: shapely.Geometry, each: int) -> tuple[Float, Float]:
    """Places (N, 2) just inside and just outside the edge of a region, about so many."""
    rings = shapely.get_rings(shapely.get_parts(shapely.orient_polygons(geometry)))
    long = sum(float(r.length) for r in rings)
    within, without = [], []
    for ring in sorted(rings, key=lambda r: -r.length)[:each]:
        count = max(1, round(each * float(ring.length) / long))
        at = (np.arange(count) + 0.37) * float(ring.length) / count
        on = shapely.get_coordinates(shapely.line_interpolate_point(ring, at))
        ahead = shapely.get_coordinates(
            shapely.line_interpolate_point(ring, np.minimum(at + 1e-4, ring.length))
        )
        way = (ahead - on) / np.maximum(np.hypot(*(ahead - on).T), 1e-12)[:, None]
        # With the region on the left of its ring.
        left = np.c_[-way[:, 1], way[:, 0]] * _BESIDE
        within.append(on + left)
        without.append(on - left)
    inner, outer = np.concatenate(within), np.concatenate(without)
    there = shapely.contains_xy(geometry, inner[:, 0], inner[:, 1])
    return inner[there], outer[there]


def _seen(solids: Sequence[tuple[str, Solid]], place: Float, normal: Float) -> tuple[str, float]:
    """The filament that is met first over a place, and how high over the surface, mm."""
    best, name = -np.inf, ""
    start = place + _EYE * normal
    for filament, solid in solids:
        low, high = bounds_of(solid)
        far = _EYE + float(np.linalg.norm(high - low)) + 1
        runs = runs_along(solid, start, -normal, far)
        # What begins above the eye is another part of the model.
        first = next((_EYE - a for a, _ in runs if a > 0), -np.inf)
        if first > best:
            best, name = first, filament
    return name, float(best)
