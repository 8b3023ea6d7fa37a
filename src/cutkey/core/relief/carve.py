"""Putting graphics into a body: raised, recessed, flush and through."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.artwork.graphic import Graphic
from cutkey.core.relief.frame import face_to_model, flat_transform
from cutkey.core.relief.placement import Depth, Placement
from cutkey.core.solids.facets import Facet
from cutkey.core.solids.primitives import prism
from cutkey.core.solids.solid import Solid, bounds_of, without
from cutkey.core.trace.partition import Region

#: Tools reach this far past a surface, mm, so that no two faces merely touch.
PAST = 0.5
#: A raised part reaches this far into the body before the body is taken out of it, so that both meet exactly.
SINK = 0.01
#: Colour of the model itself.
BODY = "body"


class Part(NamedTuple):
    """A solid of one colour; `BODY` is the model's own."""

    colour: str
    solid: Solid


def placed_regions(graphic: Graphic, placement: Placement) -> list[Region]:
    """Regions of a graphic in face coordinates, mm; shared points stay shared."""
    matrix = flat_transform(placement)

    def move(xy: np.ndarray) -> np.ndarray:
        return xy @ matrix[:, :2].T + matrix[:, 2]

    out = []
    for region in graphic.regions:
        moved = shapely.transform(region.geometry, move)
        out.append(Region(region.colour, shapely.orient_polygons(moved) if placement.mirror else moved))
    return out


def carve(parts: Sequence[Part], graphic: Graphic, placement: Placement, facet: Facet) -> list[Part]:
    """Parts of a body after one placed graphic.

    A raised region stands on the face as a part of its own; a flush one replaces the material exactly; a recessed one leaves a
    pocket; a through one a hole. What runs over the edge of the face is trimmed to it.

    Returns
    -------
    list of Part
        The parts given, changed, and one more for each colour that was added.
    """
    matrix = face_to_model(facet)
    span = _span(parts, facet)
    shapely.prepare(facet.outline)
    tools: list[tuple[Region, Depth, Solid]] = []
    for region in placed_regions(graphic, placement):
        rule = placement.depth_of(region.colour)
        if rule.mm <= 0 and rule.mode != "through":
            continue
        if not region.geometry.intersects(facet.outline):
            continue
        low = {"raised": -SINK, "recessed": -rule.mm, "flush": -rule.mm, "through": -span}[rule.mode]
        high = rule.mm if rule.mode == "raised" else PAST
        tool = prism(region.geometry, low, high)
        if not facet.outline.contains(region.geometry):
            tool = tool ^ prism(facet.outline, low - 1, high + 1)
        tools.append((region, rule, tool.transform(matrix)))
    whole = m3.Manifold.batch_boolean([p.solid for p in parts], m3.OpType.Add) if len(parts) > 1 else parts[0].solid
    added: list[Part] = []
    for region, rule, tool in tools:
        if rule.mode == "raised":
            added.append(Part(region.colour, tool - whole))
        elif rule.mode == "flush":
            added.append(Part(region.colour, tool ^ whole))
    away = [tool for _, rule, tool in tools if rule.mode != "raised"]
    kept = [Part(p.colour, without(p.solid, away)) for p in parts]
    return [p for p in [*kept, *added] if not p.solid.is_empty()]


def joined_by_colour(parts: Sequence[Part]) -> list[Part]:
    """One part a colour, in the order in which the colours appear."""
    grouped: dict[str, list[Solid]] = {}
    for part in parts:
        grouped.setdefault(part.colour, []).append(part.solid)
    return [Part(c, s[0] if len(s) == 1 else m3.Manifold.batch_boolean(s, m3.OpType.Add)) for c, s in grouped.items()]


def _span(parts: Sequence[Part], facet: Facet) -> float:
    """How far material reaches behind the face, and a little more."""
    corners = np.array([bounds_of(p.solid) for p in parts])
    low, high = corners[:, 0].min(0), corners[:, 1].max(0)
    box = np.array([[(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
    return float(((facet.origin - box) @ facet.normal).max()) + PAST
