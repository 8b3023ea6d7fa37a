"""Putting graphics into a body: raised, recessed, flush and through."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.apart import all_as_one, each_with
from cutkey.core.geometry.facets import Facet
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import PAST
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import Solid, bounds_of, without
from cutkey.core.model.placement import DepthMode, Placement
from cutkey.core.place.bridges import bridged
from cutkey.core.place.drape import Draped
from cutkey.core.place.frame import flat_transform
from cutkey.core.place.site import Site

#: A raised part reaches this far into the body before the body is taken out of it, so that both meet exactly.
SINK = 0.01
#: The same on a curved surface, whose triangles the tool's own do not match, mm.
DRAPED_SINK = 0.1
_UP: tuple[DepthMode, ...] = ("raised", "level")
OUT: tuple[DepthMode, ...] = ("recessed", "through")


def placed_regions(
    graphic: Graphic, placement: Placement, face: shapely.Geometry | None = None
) -> list[Region]:
    """Regions of a graphic in face coordinates, mm; shared points stay shared.

    Parameters
    ----------
    graphic : Graphic
    placement : Placement
    face : Polygon or MultiPolygon, optional
        What it is laid on, mm; what would be cut off of it is held by the placement's bridges then.
    """
    matrix = flat_transform(placement)

    def move(xy: np.ndarray) -> np.ndarray:
        return xy @ matrix[:, :2].T + matrix[:, 2]

    out = []
    for region in graphic.regions:
        moved = shapely.transform(region.geometry, move)
        out.append(Region(region.colour, shapely.orient_polygons(moved) if placement.mirror else moved))
    return bridged(out, placement, face) if face is not None else out


def room_on(site: Site, placement: Placement) -> shapely.Geometry:
    """Where on its face a graphic may lie: clear of edges and holes by its margin, mm on the face."""
    outline = site.facet.outline
    return shapely.buffer(outline, -placement.margin) if placement.margin > 0 else outline


class Carved(NamedTuple):
    """Parts after a graphic was placed, and how it came to lie."""

    parts: list[Part]
    lies: list[Lie]
    whole: Solid  # all parts as one


class Lie(NamedTuple):
    """How a region of a placed graphic lies on the surface."""

    colour: str
    area: float  # mm2 of the region
    draped: Draped
    span: tuple[float, float]  # mm from the surface that the tool reaches, low and high
    # lowest and highest place of a curved surface under it, from the place's plane
    reach: tuple[float, float]
    up: bool  # whether it stands on the surface


class _Laid(NamedTuple):
    region: Region
    mode: DepthMode
    span: tuple[float, float]
    reach: tuple[float, float]


def carve(
    parts: Sequence[Part],
    graphic: Graphic,
    placement: Placement,
    site: Site,
    whole: Solid | None = None,
    above: float = 0.0,
) -> Carved:
    """Parts of a body after one placed graphic.

    A raised region stands on the surface as a part of its own; a flush one replaces the material exactly; a
    recessed one leaves a pocket; a through one a hole. What runs over the edge of the face, or too near to
    it, is trimmed. On a curved surface top and floor follow it, except for what is laid straight.

    Parameters
    ----------
    whole : Manifold, optional
        All parts as one, when that is known.
    above : float
        How high other graphics stand on this surface, mm; what is taken out is taken out of them too.

    Returns
    -------
    Carved
        The parts given, changed, and one more for each colour that was added; and all of them as one, which
        is built from the tools rather than from the parts: bodies that share whole faces are the worst case
        of a union.
    """
    span, face = _span(parts, site.facet), site.facet.outline
    kept_clear = room_on(site, placement)
    if placement.margin > 0:
        surface = site.surface._replace(outline=kept_clear) if site.surface is not None else None
        site = site._replace(facet=site.facet._replace(outline=kept_clear), surface=surface)
    shapely.prepare(kept_clear)
    lies: list[Lie] = []
    laid: dict[bool, list[_Laid]] = {True: [], False: []}  # straight or not
    for region in placed_regions(graphic, placement, face):
        one_laid = _laid(region, placement, site, span, above)
        if one_laid is None:
            continue
        if region.geometry.intersects(kept_clear):
            laid[one_laid[0]].append(one_laid[1])
        else:
            nowhere = Draped(m3.Manifold(), 0, region.geometry.area, 0, None)
            lies.append(Lie(region.colour, region.geometry.area, nowhere, (0, 0), (0, 0), False))
    tools: list[tuple[str, DepthMode, Solid]] = []
    standing: list[Solid] = []  # what stands on the body, and what is taken out of it, all colours together
    gone: list[Solid] = []
    for straight, some in laid.items():
        where = site.straight() if straight else site
        found = where.tools([o.region.geometry for o in some], [o.span for o in some])
        for one, draped in zip(some, found, strict=True):
            tools.append((one.region.colour, one.mode, draped.solid))
            lies.append(
                Lie(one.region.colour, one.region.geometry.area, draped, one.span, one.reach, one.mode in _UP)
            )
        for kind, into in ((_UP, standing), (OUT, gone)):
            mine = [k for k, o in enumerate(some) if o.mode in kind]
            into += where.together(
                [found[k] for k in mine],
                [some[k].region.geometry for k in mine],
                [some[k].span for k in mine],
            )
    if whole is None:
        whole = all_as_one([p.solid for p in parts])
    added: list[Part] = []
    for modes, keep in ((_UP, False), (("flush",), True)):
        chosen = [(colour, tool) for colour, mode, tool in tools if mode in modes]
        made = each_with([tool for _, tool in chosen], whole, keep)
        added += [Part(colour, solid) for (colour, _), solid in zip(chosen, made, strict=True)]
    away = [tool for _, mode, tool in tools if mode not in _UP]
    kept = [Part(p.colour, without(p.solid, away)) for p in parts]
    if standing:
        whole = m3.Manifold.batch_boolean([whole, *standing], m3.OpType.Add)
    return Carved([p for p in [*kept, *added] if not p.solid.is_empty()], lies, without(whole, gone))


def _laid(
    region: Region, placement: Placement, site: Site, span: float, above: float
) -> tuple[bool, _Laid] | None:
    """Whether a region is laid straight, and from where to where its tool reaches.

    None when its depth is nothing.
    """
    rule = placement.depth_of(region.colour)
    mm = site.rim + rule.mm if rule.mode == "level" else rule.mm
    if mm <= 0 and rule.mode != "through":
        return None
    up = rule.mode in _UP
    straight = site.way == "straight" or (rule.mode == "through" and site.surface is not None)
    reach = site.heights(region.geometry) if straight else (0.0, 0.0)
    sink = SINK if site.surface is None else DRAPED_SINK
    low, high = (-sink, mm) if up else (-span if rule.mode == "through" else -mm, PAST)
    if rule.mode in OUT:
        high += above
    if straight:
        # Long enough to bite everywhere, however the surface falls away.
        deep = low if rule.mode == "through" else min(reach[0], 0.0) + low
        low, high = (min(reach[0], mm) - PAST, mm) if up else (deep, max(high, reach[1] + PAST + above))
    return straight, _Laid(region, rule.mode, (low, high), reach)


def height_of(lies: Sequence[Lie]) -> float:
    """How high what was laid stands, mm above its surface."""
    return max((o.span[1] for o in lies if o.up), default=0.0)


def _span(parts: Sequence[Part], facet: Facet) -> float:
    """How far material reaches behind the face, and a little more."""
    corners = np.array([bounds_of(p.solid) for p in parts])
    low, high = corners[:, 0].min(0), corners[:, 1].max(0)
    box = np.array(
        [
            [(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
            for i in (0, 1)
            for j in (0, 1)
            for k in (0, 1)
        ]
    )
    return float(((facet.origin - box) @ facet.normal).max()) + PAST
