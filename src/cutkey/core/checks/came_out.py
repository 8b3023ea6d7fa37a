"""What was placed came out.

Depth and place of every region, probed with rays on the bodies as they are afterwards.

The rays know nothing of how the bodies were made; they only ask of which colour, if any, the material is
where it should be.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.areas import grown, intersection, spread_places
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.rays import inside, material_ahead, runs_along
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding, Severity
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import Lie, placed_regions
from cutkey.core.place.site import Site
from cutkey.core.words import placing as say

#: Probes of one placed graphic, and of one piece of it at least.
_MOST, _EACH = 1500, 4
#: A region of which less than this came out is a stop; and a piece is missing when less than this of it did.
WHOLE, PIECE = 0.9, 0.25
#: Pieces of less are not probed, mm2.
LEAST_AREA = 0.01
#: A graphic or a colour of which no more than this is on the model is lost.
LOST = 0.1


class CameOut(NamedTuple):
    """What of one placed region is there."""

    colour: str
    mode: str
    asked: float  # mm3, area times depth
    found: float  # mm3, of that
    beneath: float  # share of the probes where another colour has the place
    missing: int  # pieces of which next to nothing came out
    pieces: int
    at: tuple[float, float, float]  # a place where it is missing, or its middle
    area: float = 0.0  # mm2 of the whole region, on the model or beside it
    on: float = 1.0  # share of that on the model
    copy: int = 0  # of which copy

    @property
    def kept(self) -> float:
        """Area that is there, mm2, in its own colour or under another."""
        return self.area * self.on * (self.found / self.asked + self.beneath if self.asked else 0.0)


def came_out(
    before: Solid, after: Sequence[Part], graphic: Graphic, placement: Placement, site: Site
) -> list[CameOut]:
    """Probe every region of a placed graphic.

    Parameters
    ----------
    before : Manifold
        The body before this graphic.
    after : sequence of Part
        The parts after it.
    placement : Placement
        A single one, without copies.
    """
    outline = site.facet.outline
    if placement.margin > 0:
        outline = grown(outline, -placement.margin)
    regions = placed_regions(graphic, placement, site.facet.outline)
    pieces = sum(len(shapely.get_parts(r.geometry)) for r in regions)
    each = max(_EACH, min(60, _MOST // max(1, pieces)))
    own: dict[str, list[Solid]] = {}
    for part in after:
        own.setdefault(part.colour, []).append(part.solid)
    out = []
    for region in regions:
        rule = placement.depth_of(region.colour)
        mm = site.rim + rule.mm if rule.mode == "level" else rule.mm
        if mm <= 0 and rule.mode != "through":
            continue
        there = intersection(region.geometry, outline)
        on = float(there.area / region.geometry.area) if region.geometry.area > 0 else 1.0
        found = _Probe(site, before, own, region.colour, rule.mode, mm).of(there, each)
        if found is not None:
            out.append(found._replace(area=float(region.geometry.area), on=on))
        elif region.geometry.area > LEAST_AREA and on <= LOST:
            x, y, z = (float(v) for v in site.facet.origin)
            area = float(region.geometry.area)
            out.append(CameOut(region.colour, rule.mode, 0.0, 0.0, 0.0, 0, 1, (x, y, z), area, on))
    return out


class _Probe:
    """Looks at one region: how much of its depth is there, at many places."""

    def __init__(
        self, site: Site, before: Solid, own: dict[str, list[Solid]], colour: str, mode: str, mm: float
    ) -> None:
        self.site, self.before, self.colour, self.mode, self.mm = site, before, colour, mode, mm
        self.mine = own.get(colour, [])
        self.others = [s for c, solids in own.items() if c != colour for s in solids]
        low, high = bounds_of(before)
        self.far = float(np.linalg.norm(high - low)) + 2 * mm + 1

    def of(self, area: shapely.Geometry, each: int) -> CameOut | None:
        """Probe an area, mm, in the coordinates of the place."""
        parts = [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_AREA]
        if not parts:
            return None
        asked = found = beneath = depth = 0.0
        missing, worst = 0, (2.0, np.zeros(3))
        for part in parts:
            xy = spread_places(part, each)
            places, normals = self.site.at(xy)
            if self.site.way == "straight" or self.mode == "through":
                normals = np.tile(self.site.facet.normal, (len(xy), 1))
            looked = [self._share(p, n) for p, n in zip(places, normals, strict=True)]
            looked = [(s, deep, b) for s, deep, b in looked if s == s]
            if not looked:
                continue
            share = float(np.mean([s for s, _, _ in looked]))
            deep = float(np.mean([d for _, d, _ in looked]))
            other = float(np.mean([b for _, _, b in looked]))
            asked, found = asked + part.area * deep, found + part.area * deep * share
            beneath, depth = beneath + part.area * other, depth + part.area
            missing += share + other < PIECE
            if share < worst[0]:
                worst = (share, places[int(np.argmin([s for s, _, _ in looked]))])
        if asked == 0:
            return None
        x, y, z = (float(v) for v in worst[1])
        return CameOut(self.colour, self.mode, asked, found, beneath / depth, missing, len(parts), (x, y, z))

    def _share(self, place: Float, normal: Float) -> tuple[float, float, float]:
        """Of the depth that should be there.

        The share that is, how much it is in mm, and whether another colour has the place.
        """
        if self.mode == "through":
            ray = (place + normal * 0.5 * self.far, -normal, self.far * 1.5)
            thick = sum(b - a for a, b in runs_along(self.before, *ray))
            left = sum(b - a for s in (*self.mine, *self.others) for a, b in runs_along(s, *ray))
            return (1 - min(1.0, left / thick) if thick > 1e-6 else math.nan), thick, 0.0
        if self.mode in ("raised", "level"):
            top = self.mm
            if self.site.way == "straight":
                # Laid straight its top is level, wherever the surface is.
                top = self.mm - float((place - self.site.facet.origin) @ self.site.facet.normal)
            if top <= 0.02:
                return math.nan, 0.0, 0.0
            high, deep = np.array([0.15, 0.5, 0.85]) * top, top
        else:
            deep = self.mm
            # No deeper than there is material: what lies under is told by the floor.
            behind = float(material_ahead(self.before, (place - normal * 2e-3)[None], -normal)[0])
            deep = min(deep, behind) if behind > 0 else deep
            high = -np.array([0.15, 0.5, 0.85]) * deep
        spots = place + high[:, None] * normal
        if self.mode == "recessed":
            solid = [inside(s, spots) for s in (*self.mine, *self.others)]
            return float(1 - np.any(solid, axis=0).mean()) if solid else 1.0, deep, 0.0
        mine = np.any([inside(s, spots) for s in self.mine], axis=0) if self.mine else np.zeros(3, bool)
        if mine.all():
            return 1.0, deep, 0.0
        other = np.any([inside(s, spots) for s in self.others], axis=0) if self.others else np.zeros(3, bool)
        return float(mine.mean()), deep, float((other & ~mine).mean())


def check_came_out(found: Sequence[CameOut], lies: Sequence[Lie], name: str, of: str = "") -> list[Finding]:
    """Findings on one placed graphic.

    Parameters
    ----------
    found : sequence of CameOut
        Of all copies.
    lies : sequence of Lie
        How its regions came to lie; what is told there is a reason for less.
    name : str
        What the maker calls it.
    of : str
        Its id.
    """
    lost = _lost(found, name, of)
    if lost and not lost[0].colour:
        return lost
    gone = {f.colour for f in lost}
    found = [f for f in found if f.asked > 0 and f.colour not in gone]
    told = {lie.colour for lie in lies if lie.draped.folded or lie.draped.steep > 0.01 * max(lie.area, 1e-9)}
    out = lost
    for colour in dict.fromkeys(f.colour for f in found):
        mine = [f for f in found if f.colour == colour]
        asked, came = sum(f.asked for f in mine), sum(f.found for f in mine)
        share, beneath = came / asked, sum(f.beneath * f.asked for f in mine) / asked
        missing, pieces = sum(f.missing for f in mine), sum(f.pieces for f in mine)
        at = min(mine, key=lambda f: f.found / f.asked).at
        what = name, plain_name(colour)
        if share + beneath < WHOLE or missing:
            says = say.not_all_came_out(*what, missing, pieces, came, asked, mine[0].mode)
            severity: Severity = "look at" if colour in told and not missing else "stop"
            # What was laid before may have taken its place.
            mend = "lay first" if of else "show"
            out.append(
                Finding("came out", severity, says, name, round(share, 3), WHOLE, "", at, mend, of, colour)
            )
        elif share < WHOLE:
            says = say.covered_by_another_colour(*what, came, asked)
            out.append(Finding("came out", "look at", says, name, round(share, 3), WHOLE, "", at, "show"))
    if found and not out:
        asked, came = sum(f.asked for f in found), sum(f.found for f in found)
        says = say.came_out(name, came / asked, asked)
        out.append(Finding("came out", "sound", says, name, round(came / asked, 4), WHOLE))
    return out


def _lost(found: Sequence[CameOut], name: str, of: str) -> list[Finding]:
    """What is wholly or nearly lost: the graphic, else copies of it, else colours."""

    def kept(some: Sequence[CameOut]) -> float:
        return sum(f.kept for f in some) / max(sum(f.area for f in some), 1e-12)

    measured = [f for f in found if f.area > 0]
    if not measured:
        return []
    if kept(measured) <= LOST:
        share = round(kept(measured), 3)
        says = say.beside_the_model(name, share)
        return [Finding("came out", "stop", says, name, share, LOST, "", measured[0].at, "centre", of)]
    copies = [[f for f in measured if f.copy == k] for k in sorted({f.copy for f in measured})]
    beside = [some for some in copies if kept(some) <= LOST]
    if beside:
        says = say.copies_beside_the_model(name, len(beside), len(copies), LOST)
        figures = float(len(beside)), 0.0, "copies"
        return [Finding("came out", "stop", says, name, *figures, beside[0][0].at, "show", of)]
    out = []
    for colour in dict.fromkeys(f.colour for f in measured):
        mine = [f for f in measured if f.colour == colour]
        # Of what is there but not whole the probes tell more.
        on = sum(f.on * f.area for f in mine) / sum(f.area for f in mine)
        if on <= LOST:
            says = say.colour_beside_the_model(name, plain_name(colour), on)
            figures = round(on, 3), LOST, ""
            out.append(Finding("came out", "stop", says, name, *figures, mine[0].at, "centre", of, colour))
    return out


@check(60)
def all_came_out(c: Context) -> Iterator[Finding]:
    """Whatever was placed is there."""
    found = c.of_design("came out", lambda: _by_placement(c))
    assert isinstance(found, dict)
    for o in c.laid:
        yield from check_came_out(
            found.get(o.placement.id, []), c.design.lies.get(o.placement.id, []), o.name, o.placement.id
        )


def _by_placement(c: Context) -> dict[str, list[CameOut]]:
    """By placement, what of its regions came out."""
    graphics = {o.placement.id: o.drawn.graphic for o in c.laid}
    out: dict[str, list[CameOut]] = {}
    for one, site, before, after in c.design.steps:
        mine = out.setdefault(one.id, [])
        copy = 1 + max((f.copy for f in mine), default=-1)
        mine += [f._replace(copy=copy) for f in came_out(before, after, graphics[one.id], one, site)]
    return out
