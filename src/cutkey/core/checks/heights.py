"""Colour by height: is there a plan, has every layer one filament, and is every region seen in its own?"""

from __future__ import annotations

from collections.abc import Collection, Iterator

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.colouring.costs import cut_by, layer_middles
from cutkey.core.geometry.areas import difference, grown, inner_places, spread_places, union
from cutkey.core.geometry.arrays import Bool, Float
from cutkey.core.geometry.facets import facet_at
from cutkey.core.geometry.rays import runs_along
from cutkey.core.model.filament import BODY
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import Printer
from cutkey.core.place.carve import placed_regions
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.words import colouring as say

#: Places of a region that are looked at from above.
_PLACES = 24
#: A face is level when its normal is this near to straight up (cosine); smaller ones are not seen, mm2.
_LEVEL, _SEEN = 0.99999, 0.5
#: Graphics within this of a face's height lie on it; plain places keep so far off them and off edges, mm.
_LAYER, _BESIDE = 0.01, 0.1


@check(33)
def one_filament_a_layer(c: Context) -> Iterator[Finding]:
    """Every layer of every piece is of one filament, told from the meshes as they are written."""
    heights = c.heights
    if heights is None:
        return
    if heights.trouble:
        yield Finding(
            "heights",
            "stop",
            say.no_plan_by_height(heights.trouble),
            ", ".join(heights.among),
            mend="as bodies",
        )
        return
    down = c.job.colouring.face_down
    ends = [(s.name, s.bounds()[1][2] if down else -s.bounds()[0][2]) for s in c.split.sections]
    bed = float(c.design.high[2] if down else -c.design.low[2])
    raised = [name for name, end in ends if end < bed - 1e-6]
    if raised:
        says = say.cut_across_the_layers(raised[0], down)
        yield Finding("heights", "stop", says, raised[0], mend="as bodies")
        return
    looked = beside = 0
    for unit in c.kit.units:
        if unit.is_key:
            continue
        mixed, count, more = _mixed(unit, c.job.printer, heights.beside)
        looked, beside = looked + count, beside + more
        if mixed is not None:
            number, names = mixed
            says = say.two_filaments_in_a_layer(unit.name, number, names)
            yield Finding("heights", "stop", says, unit.name, float(number), 0.0)
            return
    pieces = sum(not u.is_key for u in c.kit.units)
    says = say.by_height(heights.changes, looked, pieces, beside, heights.beside)
    yield Finding("heights", "sound", says, figure=float(heights.changes))
    for note in heights.notes:
        yield Finding("heights", "look at", say.note_on_heights(note))


def _mixed(
    unit: PrintUnit, printer: Printer, beside: Collection[str]
) -> tuple[tuple[int, list[str]] | None, int, int]:
    """The first layer of a unit that more than one filament has a part of.

    Also how many layers there are, and how many have bodies too.

    Filaments that are printed as bodies beside the plan do not count.
    """
    # Half way up each layer, where no face of a design on the layers lies.
    z = layer_middles(0.0, max(float(p.mesh.vertices[:, 2].max()) for p in unit.pieces), printer)
    by_name: dict[str, Bool] = {}
    for piece in unit.pieces:
        there = cut_by(piece.mesh, z)
        by_name[piece.filament.name] = by_name.get(piece.filament.name, np.zeros(len(z), bool)) | there
    bound = [there for name, there in by_name.items() if name not in beside]
    many = np.sum(bound, axis=0) > 1 if bound else np.zeros(len(z), bool)
    with_bodies = int((np.sum(list(by_name.values()), axis=0) > 1).sum()) if beside else 0
    if not many.any():
        return None, len(z), with_bodies
    k = int(np.argmax(many))
    return (k + 1, [name for name, there in by_name.items() if there[k]]), len(z), with_bodies


@check(34)
def seen_in_their_colours(c: Context) -> Iterator[Finding]:
    """Looked at from above, every region shows the filament of its colour."""
    if c.heights is None or c.heights.trouble:
        return
    wanted = {(t.placement, t.colour): t.filament for t in c.heights.tops if t.placement}
    wrong, count = [], 0
    for o in c.laid:
        for one in o.copies:
            for region in placed_regions(o.drawn.graphic, one):
                filament = wanted.get((o.placement.id, region.colour))
                if filament is None:
                    continue
                # Kept clear by the margin, as measured here.
                area = shapely.intersection(region.geometry, grown(o.site.facet.outline, -o.placement.margin))
                seen = (
                    [_filament_above(c, p) for p in o.site.at(inner_places(area, _PLACES))[0]]
                    if area.area > 0.05
                    else []
                )
                count += len(seen)
                if seen and sum(name != filament for name in seen) > 0.1 * len(seen):
                    wrong.append(f"{o.name}, {plain_name(region.colour)}")
    covered, plain = _plain_faces(c)
    count += plain
    if covered:
        name, filament, height = covered
        says = say.face_under_a_film(name, filament, height)
        yield Finding("heights", "stop", says, "", round(height, 3), 0.0, "mm", mend="as bodies")
    if wrong:
        says = say.seen_in_another_colour(list(dict.fromkeys(wrong)))
        yield Finding("heights", "stop", says, wrong[0], float(len(wrong)), 0.0, mend="as bodies")
    elif count and not covered:
        yield Finding("heights", "sound", say.seen_in_their_colours(count), figure=float(count))


def _plain_faces(c: Context) -> tuple[tuple[str, str, float] | None, int]:
    """Look from above at the body's own level faces, beside the graphics.

    Gives the filament of the body, the one that is seen in its place and the height of the face, mm, of the
    first that is covered; and how many places were looked at.
    """
    body = c.filaments.get(BODY)
    if body is None:
        return None, 0
    laid = [
        (o.site.facet, r.geometry)
        for o in c.laid
        if o.site.surface is None and o.site.facet.normal[2] > _LEVEL
        for one in o.copies
        for r in placed_regions(o.drawn.graphic, one)
    ]
    count = 0
    mesh, facets = c.body.mesh, c.body.facets
    for number in np.flatnonzero((facets.normal[:, 2] > _LEVEL) & (facets.area > _SEEN)).tolist():
        facet = facet_at(mesh, facets, number)
        over = [
            shapely.transform(g, lambda p, off=f.origin - facet.origin: p + off[:2])
            for f, g in laid
            if abs(float(f.origin[2] - facet.origin[2])) < _LAYER
        ]
        free = grown(difference(facet.outline, union(over)) if over else facet.outline, -_BESIDE)
        for part in (p for p in shapely.get_parts(free) if p.geom_type == "Polygon" and p.area > _SEEN):
            for x, y in spread_places(part, _PLACES):
                place = facet.origin + x * facet.right + y * facet.up
                seen, top = _seen_above(c, place)
                # What stands higher is another part of the model, or a graphic on one.
                if abs(top - float(place[2])) > c.job.printer.layer:
                    continue
                count += 1
                if seen != body:
                    return (body, seen, float(place[2] - c.design.low[2])), count
    return None, count


def _filament_above(c: Context, place: Float) -> str:
    """The filament that is seen at a place from above."""
    return _seen_above(c, place)[0]


def _seen_above(c: Context, place: Float) -> tuple[str, float]:
    """The filament that is seen at a place from above, and its height, mm."""
    high = float(c.design.high[2]) + 1
    start = np.array([place[0], place[1], high])
    best, name = -np.inf, ""
    for part in c.design.parts:
        runs = runs_along(part.solid, start, np.array([0.0, 0.0, -1.0]), high - float(c.design.low[2]) + 1)
        top = -min((a for a, _ in runs), default=np.inf)
        if top > best:
            best, name = top, c.filaments[part.colour]
    return name, high + best
