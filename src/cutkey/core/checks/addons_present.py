"""Every add-on is there: in the body, by itself, hanging on it by enough, and not cut through."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np
import shapely

from cutkey.core.checks.addons import LINES
from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.areas import area_of, difference, grown, intersection, spread_places
from cutkey.core.geometry.arrays import Bool, Float
from cutkey.core.geometry.facets import facet_at, facet_near
from cutkey.core.geometry.rays import inside, material_ahead
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.finding import Finding, Severity
from cutkey.core.place.fit_out import Spot
from cutkey.core.results import Body
from cutkey.core.split.split import Split
from cutkey.core.words import building as say

#: Places at which an add-on is looked for; of these as a share at least so many lie in what it should be in.
_PLACES, _THERE = 24, 0.1
#: A border leaves at least this share of its face.
_FIELD = 0.03
#: Outlines that share less than this area only touch, mm2.
_TOUCH = 0.01
#: A neck is told to within this, mm.
_NECK = 0.02
#: A cut passes through what reaches this far to both sides of it, mm.
_THROUGH = 0.05


@check(81)
def addons_are_there(c: Context) -> Iterator[Finding]:
    """Holes, pockets and channels are in the body, borders leave a field, loops hang on."""
    spots = c.body.spots
    yield from _missing(spots, c.bare.solid, c.body.solid)
    yield from _borders(c.job.addons, c.bare, c.body.solid)
    yield from _necks(spots, c.body.solid, c.job.printer.nozzle)
    yield from _run_together(spots)
    yield from _cut_through(spots, c.split, c.body.solid)


def _missing(spots: Sequence[Spot], bare: Solid, finished: Solid) -> Iterator[Finding]:
    """Add-ons that take nothing out of the body, or whose place is filled again."""
    by_addon: dict[str, list[tuple[Spot, bool]]] = {}
    for spot in spots:
        if not spot.taken.is_empty and not spot.addon.feature.whole_face:
            found = _is_there(spot, bare, finished)
            by_addon.setdefault(spot.addon.id, []).append((spot, found))
    for of, some in by_addon.items():
        lost = [spot for spot, there in some if not there]
        if lost:
            noun = lost[0].addon.feature.noun
            says = say.addon_beside_the_body(noun, len(lost), len(some))
            severity: Severity = "stop" if len(lost) == len(some) else "look at"
            x, y, z = (float(v) for v in lost[0].frame[:, 3])
            figures = float(len(lost)), 0.0, "places"
            yield Finding("add-on", severity, says, "", *figures, (x, y, z), "show", of)


def _is_there(spot: Spot, bare: Solid, finished: Solid) -> bool:
    """Whether there was material where it was taken, and there is none any more."""
    if spot.addon.feature.hangs:
        return True  # what hangs over the edge brings its own material; a loose one is told elsewhere
    places = np.concatenate(
        [spread_places(p, _PLACES) for p in shapely.get_parts(spot.taken) if p.geom_type == "Polygon"]
    )
    top = min(0.0, spot.top)
    deep = top - (min(1.0, top - spot.bottom) if math.isfinite(spot.bottom) else 1.0) / 2
    at = np.c_[places, np.full(len(places), deep)] @ spot.frame[:, :3].T + spot.frame[:, 3]
    # Thinner bodies than that are met a little under the face.
    was: Bool = inside(bare, at)
    if not was.any():
        at = np.c_[places, np.full(len(places), top - 0.05)] @ spot.frame[:, :3].T + spot.frame[:, 3]
        was = inside(bare, at)
    if was.mean() < _THERE and not _runs_off(spot):
        return False
    return bool(was.any()) and bool((~inside(finished, at[was])).mean() > 0.5)


def _runs_off(spot: Spot) -> bool:
    """Whether most of its outline lies beside the face by design, as the exit of a channel does."""
    x0, y0, x1, y1 = spot.taken.bounds
    return bool(max(x1 - x0, y1 - y0) > 20 * min(x1 - x0, y1 - y0))


def _borders(addons: Sequence[AddOn], bare: Body, finished: Solid) -> Iterator[Finding]:
    """Borders that cover all of their face."""
    for addon in addons:
        if addon.feature.rise <= 0:
            continue
        number = facet_near(bare.mesh, bare.facets, np.array(addon.point), np.array(addon.normal))
        facet = facet_at(bare.mesh, bare.facets, number)
        parts = [p for p in shapely.get_parts(facet.outline) if p.geom_type == "Polygon"]
        xy = np.concatenate([spread_places(p, 8 * _PLACES) for p in parts])
        at = facet.origin + xy[:, :1] * facet.right + xy[:, 1:] * facet.up + 0.02 * facet.normal
        free = float((material_ahead(finished, at, facet.normal) == 0).mean())
        if free < _FIELD:
            says = say.border_covers_the_face(addon.feature.noun)
            figures = round(free, 3), _FIELD, ""
            yield Finding("add-on", "look at", says, "", *figures, addon.point, "show", addon.id)


def _necks(spots: Sequence[Spot], finished: Solid, nozzle: float) -> Iterator[Finding]:
    """Loops that hang on the body by less than they are thick."""
    for spot in spots:
        feature = spot.addon.feature
        if not feature.hangs:
            continue
        asked = max(feature.neck_asked, LINES * nozzle)
        neck = _neck(spot, finished, asked)
        if neck < asked - _NECK:
            x, y, z = (float(v) for v in spot.frame[:, 3])
            says = say.hangs_by_a_neck(feature.noun, neck, asked)
            figures = round(neck, 3), asked, "mm"
            yield Finding("add-on", "look at", says, "", *figures, (x, y, z), "show", spot.addon.id)


def _neck(spot: Spot, finished: Solid, most: float) -> float:
    """Width of what a loop hangs on, mm: as wide as a disc that still gets from it into the body.

    Looked at in a slice half way through the loop; no wider than `most`.
    """
    turn = spot.frame[:, :3].T
    laid = finished.transform(np.c_[turn, -turn @ spot.frame[:, 3]])
    low = float(bounds_of(laid)[0][2])
    area = area_of(laid.slice(max(low / 2, -0.5)).to_polygons())
    ring = difference(grown(spot.taken, most), spot.taken)
    a, b = 0.0, most
    if _connected(area, ring, most / 2):
        return most
    while b - a > _NECK / 2:
        middle = (a + b) / 2
        a, b = (middle, b) if _connected(area, ring, middle / 2) else (a, middle)
    return a


def _connected(area: shapely.Geometry, ring: shapely.Geometry, radius: float) -> bool:
    """Whether a disc of a radius gets from all of what stands in a ring into the largest piece beside it."""
    inner = grown(area, -radius)
    parts = [p for p in shapely.get_parts(inner) if p.geom_type == "Polygon"]
    if not parts:
        return False
    rest = max(parts, key=lambda p: difference(p, ring).area)
    mine = [p for p in parts if p is not rest and intersection(p, ring).area > 0.5 * p.area]
    return not mine and bool(intersection(rest, ring).area > 0)


def _run_together(spots: Sequence[Spot]) -> Iterator[Finding]:
    """Holes and pockets that overlap in part; one inside the other is a step, and meant."""
    told = set()
    for one, other in combinations([s for s in spots if s.addon.feature.walled and not s.taken.is_empty], 2):
        if one.addon.feature.whole_face or other.addon.feature.whole_face:
            continue
        a, b = one.frame, other.frame
        if float(a[:, 2] @ b[:, 2]) < 0.999:
            continue
        turn = a[:, :3].T @ b[:, :3]
        off = a[:, :3].T @ (b[:, 3] - a[:, 3])
        there = shapely.transform(other.taken, lambda p, t=turn, o=off: p @ t[:2, :2].T + o[:2])
        shared = float(intersection(one.taken, there).area)
        smaller = min(float(one.taken.area), float(there.area))
        key = (one.addon.id, other.addon.id)
        if _TOUCH < shared < smaller - _TOUCH and key not in told:
            told.add(key)
            x, y, z = (float(v) for v in a[:, 3])
            says = say.addons_run_together(one.addon.feature.noun, other.addon.feature.noun)
            figures = round(shared, 2), 0.0, "mm²"
            yield Finding("add-on", "look at", says, "", *figures, (x, y, z), "show", one.addon.id)


def _cut_through(spots: Sequence[Spot], split: Split, finished: Solid) -> Iterator[Finding]:
    """Holes and pockets that a cut passes through."""
    low, high = bounds_of(finished)
    far = float(np.linalg.norm(high - low))
    told = set()
    for spot in spots:
        feature = spot.addon.feature
        if not feature.walled or feature.whole_face or spot.taken.is_empty:
            continue
        places = _hull_of(spot, far, finished)
        for joint in split.joints:
            flat = joint.plane.flat(places)
            if flat[:, 2].min() > -_THROUGH or flat[:, 2].max() < _THROUGH:
                continue
            # A cut that is limited to another section passes elsewhere.
            crossed = shapely.convex_hull(shapely.multipoints(flat[:, :2]))
            if not shapely.dwithin(joint.area, crossed, 1.0) or (joint.letter, spot.addon.id) in told:
                continue
            told.add((joint.letter, spot.addon.id))
            x, y, z = (float(v) for v in spot.frame[:, 3])
            says = say.cut_goes_through(joint.letter, feature.noun)
            yield Finding("add-on", "look at", says, joint.sections[0], place=(x, y, z), of=spot.addon.id)


def _hull_of(spot: Spot, far: float, finished: Solid) -> Float:
    """Corners of what a hole or a pocket takes up in the body, (N, 3) mm."""
    ring = shapely.get_coordinates(shapely.convex_hull(spot.taken))
    top = min(0.0, spot.top)
    bottom = spot.bottom
    if not math.isfinite(bottom):
        edge = shapely.get_coordinates(grown(spot.taken, 0.2))
        start = np.c_[edge, np.full(len(edge), -0.05 - spot.sunk)] @ spot.frame[:, :3].T + spot.frame[:, 3]
        bottom = -spot.sunk - max(
            0.1, float(material_ahead(finished, start, -spot.frame[:, 2]).max(initial=0.0))
        )
    flat = np.concatenate([np.c_[ring, np.full(len(ring), z)] for z in (top, max(bottom, -far))])
    return np.asarray(flat @ spot.frame[:, :3].T + spot.frame[:, 3])
