"""Colour by height: from a job's regions to bands of filament, with every region's top in the band of its colour."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from cutkey.core.colour.bands import Bands, Wish, front, in_the_way, layer_table, planned, wish_of
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.model.colouring import Choice, Colouring, Heights, Rung, Stripe, Top
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.printer import Printer
from cutkey.core.place.site import Site
from cutkey.core.units import format_mm

#: A face is level when its normal is this near to straight up (cosine).
_LEVEL = 0.99999
#: More layers than this are not planned.
_MOST = 20_000


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
    laid: Sequence[Laying], ground: Ground, filament_of: Callable[[str], str], printer: Printer, colouring: Colouring
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
    trouble = _not_level(laid)
    if trouble:
        return _none(trouble)
    tops = _asked(laid, ground, filament_of)
    first, step = round(1000 * (printer.first_layer or printer.layer)), round(1000 * printer.layer)
    spare = 2 + sum(colouring.cover_of(f) for f in {t.filament for t in tops})
    highest = max(t.asked for t in tops) + colouring.travel + step / 1000 * spare
    layers = max(2, int((1000 * highest - first) / step) + 2)
    if layers > _MOST:
        return _none(f"{layers} layers of {format_mm(printer.layer)} mm are too many to be planned; set a thicker layer.")
    table = layer_table(first, step, layers)
    names = list(dict.fromkeys(t.filament for t in tops))
    wishes, lost = _wishes(tops, ground, names, table, colouring)
    if lost:
        return _none(f"No layer is left for {lost[0]}: make the body thicker, or the recess shallower.", lost)
    least = {k: colouring.cover_of(f) for k, f in enumerate(names)}
    pins = _pins(colouring.rungs, names, table)
    plan = planned(wishes, least, table, colouring.returns, pins)
    notes: tuple[str, ...] = ()
    if plan is None and pins:
        # What was set by hand cannot be held: without it there may be a plan.
        plan = planned(wishes, least, table, colouring.returns)
        notes = ("the changes set by hand leave no plan, and were left aside",)
    if plan is None:
        return _stuck(wishes, least, table, colouring, tops)
    return _read(plan, tops, table, names, laid, ground, notes, _choices(wishes, least, table, colouring, pins, plan))


def _none(trouble: str, among: Sequence[str] = ()) -> Heights:
    return Heights((), (), (), (), trouble, tuple(among))


def _not_level(laid: Sequence[Laying]) -> str:
    for one in laid:
        if one.site.surface is not None or float(one.site.facet.normal[2]) < _LEVEL:
            return (
                f"{one.name} does not lie on a level face that looks up: by height only such can be printed; print its colours as bodies."
            )
    return ""


def _asked(laid: Sequence[Laying], ground: Ground, filament_of: Callable[[str], str]) -> list[Top]:
    """Everything that is seen from above."""
    tops = [Top("", "the model", "", ground.filament, *3 * (z - ground.low,)) for z in ground.faces]
    for one in laid:
        face = float(one.site.facet.origin[2]) - ground.low
        for colour in one.colours:
            relief = relief_of(one.placement.depth_of(colour), one.site)
            if relief is not None:
                name = f"{one.name}, {plain_name(colour)}"
                tops.append(Top(one.placement.id, name, colour, filament_of(colour), face, face + relief, face + relief))
    return tops


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


def _wishes(
    tops: Sequence[Top], ground: Ground, names: Sequence[str], table: Sequence[int], colouring: Colouring
) -> tuple[list[Wish], list[str]]:
    """What the planner is asked, a wish a top; and the names of those for which no layer is left."""
    wishes, lost = [], []
    for t in tops:
        face = 1 + _nearest(table[1:], 1000 * t.face)
        relief = round(1000 * (t.asked - t.face))
        travel = 0 if not t.placement else round(1000 * colouring.travel)
        wish = wish_of(names.index(t.filament), relief, face, table, travel, pinned=not t.placement)
        if wish is None:
            lost.append(t.name)
        else:
            wishes.append(wish)
    return wishes, lost


def _pins(rungs: Sequence[Rung], names: Sequence[str], table: Sequence[int]) -> dict[int, int]:
    """The layer above each change set by hand, and what it is printed with."""
    out = {}
    for rung in rungs:
        if rung.filament in names:
            layer = _nearest(table, 1000 * rung.z)
            out[layer + 1] = names.index(rung.filament)
            if rung.under in names and layer > 0:
                out.setdefault(layer, names.index(rung.under))
    return out


def _nearest(table: Sequence[int], z: float) -> int:
    return min(range(len(table)), key=lambda k: abs(table[k] - z))


def _stuck(wishes: Sequence[Wish], least: Mapping[int, int], table: Sequence[int], colouring: Colouring, tops: Sequence[Top]) -> Heights:
    """Who is in whose way, and what would help, each solved before it is said."""
    core = in_the_way(wishes, least, table, colouring.returns)
    among = list(dict.fromkeys(tops[k].name for k in core))
    helps = []
    for more in range(1, 4):
        if planned(wishes, least, table, colouring.returns + more) is not None:
            n = colouring.returns + more
            helps.append(f"let a colour come back {'once' if n == 1 else f'{n} times'}")
            break
    free = [w._replace(low=1 if w.z < table[-1] else w.low, high=len(table) - 1) if tops[k].placement else w for k, w in enumerate(wishes)]
    if planned(free, least, table, colouring.returns) is not None:
        helps.append("let the heights differ more from what was asked")
    if any(n > 1 for n in least.values()) and planned(wishes, dict.fromkeys(least, 1), table, colouring.returns) is not None:
        helps.append("let one layer cover")
    rest = f": {', or '.join(helps)}" if helps else ": print one of them as a body, or merge two colours"
    return _none(f"There is no order of changes for {' and '.join(among)}{rest}.", among)


def _choices(
    wishes: Sequence[Wish], least: Mapping[int, int], table: Sequence[int], colouring: Colouring, pins: Mapping[int, int], plan: Bands
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
    table: Sequence[int],
    names: Sequence[str],
    laid: Sequence[Laying],
    ground: Ground,
    notes: tuple[str, ...],
    choices: tuple[Choice, ...],
) -> Heights:
    stripes = tuple(Stripe(names[b.colour], b.first, b.last, table[b.first - 1] / 1000, table[b.last] / 1000) for b in plan.bands)
    done = tuple(t._replace(gets=table[k] / 1000) if t.placement else t for t, k in zip(tops, plan.tops, strict=True))
    placements = tuple(_deep(one, done, ground) for one in laid)
    return Heights(stripes, done, placements, choices, notes=notes)


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
