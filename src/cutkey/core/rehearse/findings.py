"""What a rehearsal found, as findings."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from msgspec import structs

from cutkey.core.model.finding import RANK, Finding, Severity
from cutkey.core.rehearse.apart import Shared
from cutkey.core.rehearse.film import Contact, Event, EventKind, Run
from cutkey.core.rehearse.settings import Settings
from cutkey.core.rehearse.told import Told
from cutkey.core.words import printing as say
from cutkey.core.words.kind import Words

#: A thing that stands on less than this share of its height falls over when it is knocked (common practice,
#: no source).
TIPS = 1 / 6
#: It holds by less than this, mm2, and by less for each mm of its height (common practice, no source).
HOLDS = 12.0
#: What may be mended by another way up.
_HANGS = ("island", "bridge", "overhang")
_STOPS: frozenset[EventKind] = frozenset({"open"})
#: What is said of an event at a place, the limit of its figure and the unit of both.
_SAID: dict[EventKind, Callable[[Words, float, Settings], tuple[Words, float, str]]] = {
    "lost": lambda at, figure, s: (say.wall_is_lost(at, figure, s.line), s.line, "mm"),
    "widened": lambda at, figure, s: (say.printed_wider(at, figure, s.line), s.line, "mm"),
    "closed": lambda at, figure, s: (say.slit_closes(at, figure, s.line), s.line, "mm"),
    "island": lambda at, figure, s: (say.printed_in_the_air(at, figure), 0.0, "mm"),
    "bridge": lambda at, figure, s: (say.long_bridge(at, figure), s.bridge, "mm"),
    "overhang": lambda at, figure, s: (say.leans_out(at, figure, s.angle), s.layer, "mm"),
    "floor": lambda at, figure, s: (say.one_layer_thick(at, figure), 2 * s.layer, "mm"),
    "twice": lambda at, figure, s: (say.bodies_cross(at, figure), 0.0, "mm²"),
    "open": lambda at, figure, s: (say.outline_does_not_close(at, figure), 0.0, ""),
}
#: What leans out for so many layers on end hangs, and what reaches out by more than so many lines (common
#: practice, no source).
_LAYERS, _LINES = 5, 2.0


def matters(e: Event, settings: Settings) -> bool:
    """Whether it is worth a word: short bridges hold, and so does the ceiling of a round hole."""
    if e.kind == "bridge":
        return e.figure > settings.bridge
    return e.kind != "overhang" or e.last - e.first + 1 >= _LAYERS or e.figure > _LINES * settings.line


def findings_of(runs: Sequence[Run], settings: Settings) -> list[Told]:
    """Findings of the print of some beds, the worst first; what is alike is told once.

    Parameters
    ----------
    runs : sequence of Run
    settings : Settings
    """
    groups: dict[tuple[str, int, str, str, int], list[Event]] = {}
    for run in runs:
        for e in run.events:
            # What two bodies claim is told once, as a whole and not layer by layer.
            if not matters(e, settings) or (
                e.kind == "twice" and any(_within(e.place, s) for s in run.shared)
            ):
                continue
            # Narrow places of lettering on a slope are many, each of a layer: told together.
            layer = 0 if e.kind in ("lost", "widened", "closed") else e.first
            groups.setdefault((e.kind, e.bed, e.name, e.filament, layer), []).append(e)
    out = [_told(some, settings, len(runs) > 1) for some in groups.values()]
    for run in runs:
        out += _standing(run)
    out += _shared([(run.bed, one) for run in runs for one in run.shared], settings)
    unknown = sum(run.unknown for run in runs)
    if unknown:
        out.append(
            Told(
                Finding(
                    "rehearsal",
                    "look at",
                    say.not_compared(unknown),
                    figure=float(unknown),
                    limit=0.0,
                    unit="pairs",
                )
            )
        )
    out.sort(key=lambda t: RANK[t.finding.severity])
    if not out:
        layers = sum(len(r.rows) for r in runs)
        out.append(Told(Finding("rehearsal", "sound", say.rehearsed(layers))))
    return out


def _within(place: Sequence[float], s: Shared) -> bool:
    return all(a - 0.1 <= p <= b + 0.1 for p, a, b in zip(place, s.low, s.high, strict=True))


def _told(some: Sequence[Event], s: Settings, beds: bool) -> Told:
    worst = (
        min(some, key=lambda e: e.figure)
        if some[0].kind in ("lost", "widened", "closed")
        else max(some, key=lambda e: e.figure)
    )
    first, last = min(e.first for e in some), max(e.last for e in some)
    where = say.in_layers(worst.filament, first, last, worst.bed if beds else 0, len(some))
    says, limit, unit = _SAID[worst.kind](where, worst.figure, s)
    mend = "lie otherwise" if worst.kind in _HANGS else ""
    severity: Severity = "stop" if worst.kind in _STOPS else "look at"
    found = Finding(
        "rehearsal", severity, says, worst.name, round(worst.figure, 3), limit, unit, worst.place, mend
    )
    return Told(found, worst.bed, first, last, worst.at)


def _standing(run: Run) -> list[Told]:
    """What stands badly on its bed; copies are told together."""
    groups: dict[tuple[str, bool], list[Contact]] = {}
    for c in run.contacts:
        if c.area <= 0 or c.wide < TIPS * c.high or c.area < HOLDS * c.high / 10:
            groups.setdefault((c.name, c.area <= 0), []).append(c)
    out = []
    for (name, hangs), some in groups.items():
        c = min(some, key=lambda c: c.area)
        need = 0.0 if hangs else round(HOLDS * c.high / 10, 2)
        little = say.stands_on_little(len(some), name, c.high, c.area, c.wide)
        found = Finding(
            "rehearsal", "look at", say.not_on_the_bed(len(some), name, c.bed) if hangs else little, name
        )
        found = structs.replace(
            found, figure=round(c.area, 2), limit=need, unit="mm²", place=c.place, mend="lie otherwise"
        )
        out.append(Told(found, c.bed))
    return out


def _shared(found: Sequence[tuple[int, Shared]], s: Settings) -> list[Told]:
    """Pairs of bodies that claim the same place; copies are told together."""
    groups: dict[tuple[str, str], list[tuple[int, Shared]]] = {}
    for bed, one in found:
        groups.setdefault(one.names, []).append((bed, one))
    out = []
    for (a, b), some in groups.items():
        bed, worst = max(some, key=lambda o: o[1].volume)
        says = say.two_bodies_in_one_place(a, b, worst.volume, len(some))
        x, y, z = ((p + q) / 2 for p, q in zip(worst.low, worst.high, strict=True))
        layers = [1 + max(0, math.ceil((z - s.first) / s.layer)) for z in worst.above]
        figures = round(worst.volume, 3), 0.0, "mm³"
        place = Finding("rehearsal", "stop", says, worst.unit, *figures, (x, y, z))
        out.append(Told(place, bed, layers[0], layers[1]))
    return out
