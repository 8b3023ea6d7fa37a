"""Colour by height: from a job's regions to bands of filament.

Every region's top lies in the band of its colour.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np
import shapely
from msgspec.structs import replace

from cutkey.core.colour.bands import Bands, Wish, front, planned
from cutkey.core.colour.conflict import in_the_way
from cutkey.core.colour.names import plain_name
from cutkey.core.colouring.helps import as_bodies, comes_back, covers, differs, holds
from cutkey.core.colouring.print_layers import Layers, face_down, face_up
from cutkey.core.colouring.wishes import pins_of, wishes_of
from cutkey.core.geometry.areas import difference, union
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.model.colouring import Choice, Colouring, Heights, Help, Stripe, Top
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.printer import Printer
from cutkey.core.place.carve import placed_regions
from cutkey.core.place.copies import instances
from cutkey.core.place.site import Site
from cutkey.core.words import colouring as say
from cutkey.core.words.kind import Words

#: A face is level when its normal is this near to straight up (cosine).
_LEVEL = 0.99999
#: Of a face of which less is left between graphics nobody sees its colour, mm2.
_SEEN = 0.5
#: More layers than this are not planned.
_MOST = 20_000
#: Face down, what a plan lets sink lowers what lies on the bed: so often is it planned anew.
_AGAIN = 6
#: Wider than this a ceiling over nothing hangs through, mm (common practice, no source).
_BRIDGE = 10.0


class Laying(NamedTuple):
    """A placed graphic with what the plan has to know of it."""

    placement: Placement
    name: str
    site: Site
    graphic: Graphic

    @property
    def colours(self) -> list[str]:
        """Of the graphic, each once."""
        return list(dict.fromkeys(self.graphic.colours()))


class Ground(NamedTuple):
    """The body under the graphics, mm."""

    low: float  # its underside
    faces: Sequence[float]  # heights of its level faces
    filament: str


def plan_heights(
    laid: Sequence[Laying],
    ground: Ground,
    filament_of: Callable[[str], str],
    printer: Printer,
    colouring: Colouring,
) -> Heights:
    """The plan of changes for a design.

    Parameters
    ----------
    laid : sequence of Laying
        The placed graphics.
    ground : Ground
    filament_of : callable
        Name of the filament that a colour is printed with.
    printer : Printer
    colouring : Colouring

    Returns
    -------
    Heights
    """
    trouble = _not_level(laid, colouring)
    if trouble:
        return _none(trouble)
    tops = _asked(laid, ground, filament_of, colouring)
    beside = tuple(
        dict.fromkeys(
            filament_of(c)
            for one in laid
            for c in one.colours
            if colouring.way_of(c) == "bodies" and _has_top(one, c)
        )
    )
    if not colouring.face_down:
        spare = 2 + sum(colouring.cover_of(f) for f in {t.filament for t in tops})
        layers = face_up(printer, max(t.asked for t in tops) + colouring.travel + printer.layer * spare)
        if layers.count > _MOST:
            return _too_many(layers, printer)
        return _planned(laid, ground, tops, layers, colouring)._replace(beside=beside)
    bed = max(t.asked for t in tops)
    for _ in range(_AGAIN):
        layers = face_down(printer, bed)
        if layers.count > _MOST:
            return _too_many(layers, printer)
        found = _planned(laid, ground, tops, layers, colouring)
        highest = max((t.gets for t in found.tops), default=bed)
        if not found.stripes or highest > bed - 1e-6:
            return found._replace(beside=beside, notes=(*found.notes, *_bridged(found.tops, laid, highest)))
        # What was to lie on the bed has sunk: what is highest now lies there, and the first layer begins
        # there.
        bed = highest
    return _none(say.no_plan_face_down())


def _planned(
    laid: Sequence[Laying], ground: Ground, tops: Sequence[Top], layers: Layers, colouring: Colouring
) -> Heights:
    """The plan on given layers."""
    names = list(dict.fromkeys(t.filament for t in tops))
    wishes, lost = wishes_of(tops, names, layers, colouring)
    if lost:
        return _none(say.no_layer_left(lost[0]), lost)
    least = {k: colouring.cover_of(f) for k, f in enumerate(names)}
    pins = pins_of(colouring.rungs, names, layers)
    plan = planned(wishes, least, layers.table, colouring.returns, pins)
    notes: tuple[Words, ...] = ()
    if plan is None and pins:
        # What was set by hand cannot be held: without it there may be a plan.
        plan = planned(wishes, least, layers.table, colouring.returns)
        notes = (say.set_by_hand_left_aside(),)
    if plan is None:
        return _stuck(tops, names, layers, colouring, wishes)
    return _read(
        plan,
        tops,
        layers,
        names,
        laid,
        ground,
        notes,
        _choices(wishes, least, layers.table, colouring, pins, plan),
    )


def _none(trouble: Words, among: Sequence[str] = (), helps: Sequence[Help] = ()) -> Heights:
    return Heights((), (), (), (), trouble, tuple(among), helps=tuple(helps))


def _too_many(layers: Layers, printer: Printer) -> Heights:
    return _none(say.too_many_layers(layers.count, printer.layer))


def _not_level(laid: Sequence[Laying], colouring: Colouring) -> Words | None:
    for one in laid:
        by_height = any(colouring.way_of(c) == "heights" for c in one.colours)
        if by_height and (one.site.surface is not None or float(one.site.facet.normal[2]) < _LEVEL):
            return say.not_on_a_level_face(one.name)
    return None


def _has_top(one: Laying, colour: str) -> bool:
    return relief_of(one.placement.depth_of(colour), one.site) is not None


def _asked(
    laid: Sequence[Laying], ground: Ground, filament_of: Callable[[str], str], colouring: Colouring
) -> list[Top]:
    """Everything that is seen from above and is printed by height."""
    covered = _covered(laid)
    tops = [
        Top("", "the model", "", ground.filament, *3 * (z - ground.low,))
        for z in ground.faces
        if z not in covered
    ]
    for one in laid:
        face = float(one.site.facet.origin[2]) - ground.low
        for colour in one.colours:
            if colouring.way_of(colour) != "heights":
                continue
            relief = relief_of(one.placement.depth_of(colour), one.site)
            if relief is not None:
                name = f"{one.name}, {plain_name(colour)}"
                tops.append(
                    Top(
                        one.placement.id,
                        name,
                        colour,
                        filament_of(colour),
                        face,
                        face + relief,
                        face + relief,
                    )
                )
    return tops or [
        Top(
            "",
            "the model",
            "",
            ground.filament,
            *3 * (max(ground.faces, default=ground.low + 1) - ground.low,),
        )
    ]


def _covered(laid: Sequence[Laying]) -> set[float]:
    """Heights of level faces of which graphics leave nothing to be seen."""
    out = set()
    by_face: dict[float, list[Laying]] = {}
    for one in laid:
        if one.site.surface is None:
            by_face.setdefault(round(float(one.site.facet.origin[2]), 4), []).append(one)
    for z, some in by_face.items():
        # What a margin keeps clear is seen.
        areas = [
            r.geometry
            for one in some
            if one.placement.margin == 0
            for copy in instances(one.placement, one.site.middle)
            for r in placed_regions(one.graphic, copy)
        ]
        facet = some[0].site.facet
        if (
            all(np.allclose(one.site.facet.origin, facet.origin) for one in some)
            and difference(facet.outline, union(areas)).area < _SEEN
        ):
            out.add(z)
    return out


def _bridged(tops: Sequence[Top], laid: Sequence[Laying], bed: float) -> list[Words]:
    """What is printed over nothing when the face lies on the bed, where it is wide."""
    out = []
    by_id = {one.placement.id: one for one in laid}
    hanging = [bed - t.gets for t in tops if not t.placement and t.gets < bed - 1e-6]
    if hanging:
        out.append(say.face_hangs(min(hanging)))
    for t in tops:
        if not t.placement or t.gets > bed - 1e-6:
            continue
        regions = [r.geometry for r in by_id[t.placement].graphic.regions if r.colour == t.colour]
        parts = [g for r in regions for g in shapely.get_parts(r)]
        wide = max(
            (2 * float(shapely.maximum_inscribed_circle(g, tolerance=0.05).length) for g in parts),
            default=0.0,
        )
        if wide > _BRIDGE:
            out.append(say.region_hangs(t.name, bed - t.gets, wide))
    return out


def relief_of(rule: Depth, site: Site) -> float | None:
    """How far a colour's top lies above its face, mm; None when it has none.

    Parameters
    ----------
    rule : Depth
    site : Site
    """
    if rule.mode == "through":
        return None
    mm = site.rim + rule.mm if rule.mode == "level" else rule.mm
    if mm <= 0:
        return None
    return mm if rule.mode in ("raised", "level") else -mm if rule.mode == "recessed" else 0.0


def _stuck(
    tops: Sequence[Top], names: Sequence[str], layers: Layers, colouring: Colouring, wishes: Sequence[Wish]
) -> Heights:
    """Who is in whose way, and what would help, each solved before it is said."""
    least = {k: colouring.cover_of(f) for k, f in enumerate(names)}
    core = in_the_way(wishes, least, layers.table, colouring.returns)
    among = list(dict.fromkeys(tops[k].name for k in core))
    helps = [
        next((h for h in some if holds(tops, names, layers, h.colouring)), None)
        for some in (
            comes_back(colouring),
            differs(colouring),
            covers(colouring),
            as_bodies(colouring, [tops[k] for k in core]),
        )
    ]
    if not any(helps):
        helps = [
            next(
                (
                    b
                    for a in differs(colouring)
                    for b in comes_back(a.colouring, a.says)
                    if holds(tops, names, layers, b.colouring)
                ),
                None,
            )
        ]
    found = [h for h in helps if h is not None]
    return _none(say.no_order_of_changes(among, [h.says for h in found]), among, found)


def _choices(
    wishes: Sequence[Wish],
    least: Mapping[int, int],
    table: Sequence[int],
    colouring: Colouring,
    pins: Mapping[int, int],
    plan: Bands,
) -> tuple[Choice, ...]:
    """Plans to choose between: more changes against less departure."""
    if plan.departure == 0:
        return ()
    found = front(wishes, least, table, max(colouring.returns, 2), pins)
    fewest = len({w.colour for w in wishes}) - 1
    off = [max(abs(table[t] - w.z) for w, t in zip(wishes, p.tops, strict=True)) / 1000 for p in found]
    return tuple(Choice(p.changes, mm, max(0, p.changes - fewest)) for p, mm in zip(found, off, strict=True))


def _read(
    plan: Bands,
    tops: Sequence[Top],
    layers: Layers,
    names: Sequence[str],
    laid: Sequence[Laying],
    ground: Ground,
    notes: tuple[Words, ...],
    choices: tuple[Choice, ...],
) -> Heights:
    stripes = []
    for b in plan.bands:
        first, last = sorted((layers.printed(b.first), layers.printed(b.last)))
        stripes.append(
            Stripe(
                names[b.colour],
                first,
                last,
                layers.from_bed(first - 1) if first > 1 else 0.0,
                layers.from_bed(last),
            )
        )
    stripes.sort(key=lambda s: s.first)
    done = tuple(
        t._replace(gets=layers.height(k)) if t.placement else t for t, k in zip(tops, plan.tops, strict=True)
    )
    placements = tuple(_deep(one, done, ground) for one in laid)
    return Heights(tuple(stripes), done, placements, choices, notes=notes)


def _deep(one: Laying, tops: Sequence[Top], ground: Ground) -> Placement:
    """A placement with the depths of the plan, a rule a colour."""
    face = float(one.site.facet.origin[2]) - ground.low
    rules = []
    gets = {t.colour: t.gets for t in tops if t.placement == one.placement.id}
    for colour in one.colours:
        if colour not in gets:
            rules.append(replace(one.placement.depth_of(colour), colour=colour))
            continue
        relief = round(gets[colour] - face, 6)
        rules.append(Depth("recessed" if relief < 0 else "raised", abs(relief), colour))
    return replace(one.placement, depths=tuple(rules))
