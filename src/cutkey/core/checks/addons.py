"""What add-ons leave of the body: walls, floors and lids, measured with rays on the finished body."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.checks.floor import LAYERS
from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.areas import grown
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.rays import crossings, material_ahead
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.place.fit_out import Spot
from cutkey.core.words import building as say
from cutkey.core.words.kind import Words

#: Lines side by side that a wall should have at least (common practice, no source).
LINES = 2
#: Walls within this of what was asked are as asked, mm; and how much thicker they may be without a word.
_NEAR, _THICKER = 0.05, 0.5
#: Rays start this far off the surface they measure from, mm.
_OFF = 2e-3


class _Measured(NamedTuple):
    """Of one spot, mm: NaN where there is nothing to measure."""

    floor: float
    floor_at: Float
    lid: float  # thickest material left over the opening
    lid_at: Float
    walls: Float  # thicknesses all round
    wall_at: Float


def check_addons(
    spots: Sequence[Spot], finished: Solid, bare: Solid, layer: float, nozzle: float
) -> list[Finding]:
    """Findings on add-ons.

    Parameters
    ----------
    spots : sequence of Spot
        Every place of every add-on.
    finished, bare : Manifold
        The body with add-ons and before them.
    layer, nozzle : float
        Layer height and width of the nozzle, mm.
    """
    out = _loose(spots, finished, bare)
    said: set[tuple[str, str]] = set()
    for spot in spots:
        for finding in _of_spot(spot, finished, bare, layer, nozzle):
            # Copies that are alike are told once.
            if (spot.addon.id, finding.text) not in said:
                said.add((spot.addon.id, finding.text))
                out.append(finding)
    if spots and not out:
        out.append(Finding("floor", "sound", say.addons_as_asked(len(spots)), figure=float(len(spots))))
    return out


def _loose(spots: Sequence[Spot], finished: Solid, bare: Solid) -> list[Finding]:
    before, after = (sum(s.volume() > 0 for s in solid.decompose()) for solid in (bare, finished))
    if after <= before or not spots:
        return []
    smallest = min((s for s in finished.decompose() if s.volume() > 0), key=lambda s: s.volume())
    low, high = bounds_of(smallest)
    x, y, z = ((low + high) / 2).tolist()
    says = say.loose_piece(after, before, list(dict.fromkeys(s.addon.feature.noun for s in spots)))
    return [Finding("floor", "stop", says, "", float(after), float(before), "pieces", (x, y, z), "show")]


def _of_spot(spot: Spot, finished: Solid, bare: Solid, layer: float, nozzle: float) -> list[Finding]:
    feature, out = spot.addon.feature, []
    name = feature.noun
    if spot.taken.is_empty:
        return []
    m = _measured(spot, finished, bare)
    least = LAYERS * layer

    def tell(says: Words, figure: float, limit: float, at: Float) -> None:
        place = (float(at[0]), float(at[1]), float(at[2]))
        out.append(
            Finding("floor", "look at", says, "", round(figure, 3), round(limit, 3), "mm", place, "show")
        )

    asked = feature.floor_asked or least
    if math.isfinite(spot.bottom) and m.floor < max(asked, least) - _NEAR / 10:
        wanted = asked if asked > least else 0.0
        says = say.addon_leaves_little_floor(name, m.floor, m.floor <= _OFF * 2, wanted, LAYERS)
        tell(says, m.floor, asked, m.floor_at)
    if feature.closed:
        out.append(Finding("floor", "look at", feature.closed, place=spot.addon.point))
    elif m.lid > _OFF * 2:
        tell(say.covered_opening(name, feature.covered, m.lid), m.lid, 0.0, m.lid_at)
    walls = m.walls
    if feature.wall_asked and len(walls):
        thin, usual, of = float(walls.min()), float(np.median(walls)), feature.wall_asked
        if thin < of - _NEAR:
            tell(say.addon_wall_below(name, thin, of), thin, of, m.wall_at)
        elif usual > of + _THICKER:
            tell(say.addon_wall_above(name, usual, of), usual, of, m.wall_at)
    elif len(walls) and float(walls.min()) < LINES * nozzle:
        thin = float(walls.min())
        says = say.addon_wall_thin(name, thin, thin <= _OFF * 2, LINES, LINES * nozzle)
        tell(says, thin, LINES * nozzle, m.wall_at)
    if spot.sunk:
        middle = spot.frame[:, 3]
        behind = _left_round(spot, finished)
        if behind < least:
            tell(say.deep_countersink(spot.sunk, max(behind, 0.0)), behind, least, middle)
    return out


def _left_round(spot: Spot, finished: Solid) -> float:
    """Material under a countersink, beside the hole, mm."""
    x0, _, x1, _ = spot.taken.bounds
    radius = (x1 - x0) / 2 + 0.05
    t = np.arange(12) * np.pi / 6
    starts = _lifted(spot, np.c_[radius * np.cos(t), radius * np.sin(t)], -spot.sunk + 0.05 - 2 * _OFF)
    return float(material_ahead(finished, starts, -spot.frame[:, 2]).min())


def _measured(spot: Spot, finished: Solid, bare: Solid) -> _Measured:
    out_way, far = spot.frame[:, 2], _through(finished)
    mouth = min(0.0, spot.top)
    deep = max(spot.bottom, -far)
    nothing, nowhere = np.zeros(0), spot.frame[:, 3]
    probe = _lifted(spot, _inside(spot.taken), mouth - 0.4 * min(mouth - deep, 1.0))
    # A place beside the body, or in the half that was mirrored away, shows nothing.
    probe = probe[material_ahead(finished, probe, out_way) == 0]
    within = probe[material_ahead(bare, probe, -out_way) > 0] if len(probe) else probe
    if len(probe) == 0:
        return _Measured(math.inf, nowhere, 0.0, nowhere, nothing, nowhere)
    floor, floor_at = math.inf, nowhere
    if math.isfinite(spot.bottom):
        for start in within:
            found = crossings(finished, start, -out_way, far)
            left = found[1][0] - found[0][0] if len(found) > 1 and not found[0][1] else 0.0
            if left < floor:
                floor, floor_at = left, start + spot.bottom * out_way
    lid, lid_at = 0.0, nowhere
    if spot.top > 0:
        for start in within if len(within) else probe:
            thick = sum(
                b - a
                for (a, leaves), (b, _) in pairwise(crossings(finished, start, out_way, far))
                if not leaves
            )
            if thick > lid:
                lid, lid_at = thick, start
    if not math.isfinite(spot.bottom):
        deep = -float(material_ahead(bare, within, -out_way).max()) if len(within) else -1.0
    return _Measured(floor, floor_at, lid, lid_at, *_walls(spot, finished, bare, deep))


def _walls(spot: Spot, finished: Solid, bare: Solid, deep: float) -> tuple[Float, Float]:
    """Thickness of the walls all round what was taken, at several depths, and the place of the thinnest."""
    walls, places = [0.0][:0], [spot.frame[:, 3]]
    ring = shapely.get_parts(shapely.segmentize(spot.taken, 2.0))[0].exterior
    xy, far = shapely.get_coordinates(ring), _through(finished)
    middle, along = (xy[:-1] + xy[1:]) / 2, np.diff(xy, axis=0)
    turn = 1 if shapely.is_ccw(ring) else -1
    normal = turn * np.c_[along[:, 1], -along[:, 0]] / np.maximum(np.hypot(*along.T), 1e-12)[:, None]
    ways = normal @ spot.frame[:, :2].T
    mouth = min(0.0, spot.top)
    for share in (0.15, 0.5, 0.85) if spot.addon.feature.walled else ():
        for start, way in zip(_lifted(spot, middle, mouth + (deep - mouth) * share), ways, strict=True):
            # A cavity need not be as wide as its mouth: the ray starts where it is empty within the body.
            for back in (0.02, 1.0, 2.0, 4.0, 8.0, 16.0):
                at = start - back * way
                found = crossings(finished, at, way, far)
                empty = not found or not found[0][1]
                if empty and (
                    material_ahead(bare, at[None], way)[0] > 0
                    or (len(found) > 1 and spot.addon.feature.hangs)
                ):
                    walls.append(found[1][0] - found[0][0] if len(found) > 1 else 0.0)
                    places.append(at)
                    break
    return np.array(walls), places[1 + int(np.argmin(walls))] if walls else places[0]


def _inside(area: shapely.Geometry) -> Float:
    """Places in an area: some near its edge all round, and a grid."""
    inner = grown(area, -0.05)
    if inner.is_empty:
        inner = area
    edge = shapely.get_coordinates(shapely.segmentize(shapely.get_parts(inner)[0].exterior, 3.0))
    x0, y0, x1, y1 = inner.bounds
    n = 9
    gx, gy = np.meshgrid(np.linspace(x0, x1, n), np.linspace(y0, y1, n))
    grid = np.c_[gx.ravel(), gy.ravel()]
    return np.concatenate([edge, grid[shapely.contains_xy(inner, grid[:, 0], grid[:, 1])]])


def _lifted(spot: Spot, xy: Float, z: float) -> Float:
    """Places (N, 2) about the spot at a height, in the model, (N, 3)."""
    return np.asarray(np.c_[xy, np.full(len(xy), z)] @ spot.frame[:, :3].T + spot.frame[:, 3])


def _through(solid: Solid) -> float:
    low, high = bounds_of(solid)
    return float(np.linalg.norm(high - low)) + 1.0


@check(80)
def addons_hold(c: Context) -> list[Finding]:
    """What add-ons leave of the body."""
    if not c.body.spots:
        return []
    return check_addons(c.body.spots, c.body.solid, c.bare.solid, c.job.printer.layer, c.job.printer.nozzle)
