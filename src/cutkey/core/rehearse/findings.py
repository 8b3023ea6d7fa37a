"""What a rehearsal found, as findings."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec import structs

from cutkey.core.model.finding import RANK, Finding, Severity
from cutkey.core.rehearse.apart import Shared
from cutkey.core.rehearse.film import Contact, Event, EventKind, Run
from cutkey.core.rehearse.settings import Settings
from cutkey.core.rehearse.told import Told
from cutkey.core.units import format_mm, how_many

#: A thing that stands on less than this share of its height falls over when it is knocked (common practice, no source).
TIPS = 1 / 6
#: It holds by less than this, mm2, and by less for each mm of its height (common practice, no source).
HOLDS = 12.0
#: What may be mended by another way up.
_HANGS = ("island", "bridge", "overhang")
_TITLES: dict[EventKind, tuple[str, Severity]] = {
    "lost": ("A wall is lost", "look at"),
    "widened": ("Printed wider than it is", "look at"),
    "closed": ("A slit closes", "look at"),
    "island": ("Printed in the air", "look at"),
    "bridge": ("A long bridge", "look at"),
    "overhang": ("Leans out over nothing", "look at"),
    "floor": ("One layer thick", "look at"),
    "twice": ("Bodies cross", "look at"),
    "open": ("An outline does not close", "stop"),
}


#: What leans out for so many layers on end hangs, and what reaches out by more than so many lines (common practice, no source).
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
            if not matters(e, settings) or (e.kind == "twice" and any(_within(e.place, s) for s in run.shared)):
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
        text = f"{how_many(unknown, 'pair')} of bodies that are no closed solids: whether they claim one place is seen in layers only"
        out.append(Told(Finding("rehearsal", "look at", "Not compared", text, figure=float(unknown), limit=0.0, unit="pairs")))
    out.sort(key=lambda t: RANK[t.finding.severity])
    if not out:
        layers = sum(len(r.rows) for r in runs)
        text = f"{layers} layers of the written file: nothing lost, nothing in the air, no place claimed twice"
        out.append(Told(Finding("rehearsal", "sound", "Rehearsed", text)))
    return out


def _within(place: Sequence[float], s: Shared) -> bool:
    return all(a - 0.1 <= p <= b + 0.1 for p, a, b in zip(place, s.low, s.high, strict=True))


def _told(some: Sequence[Event], s: Settings, beds: bool) -> Told:
    worst = min(some, key=lambda e: e.figure) if some[0].kind in ("lost", "widened", "closed") else max(some, key=lambda e: e.figure)
    title, severity = _TITLES[worst.kind]
    places = "" if len(some) == 1 else f", in {len(some)} places"
    first, last = min(e.first for e in some), max(e.last for e in some)
    layers = f"layer {first}" if first == last else f"layers {first} to {last}"
    of = f"{worst.filament} in {layers}{f' of bed {worst.bed}' if beds else ''}{places}"
    mm = format_mm(worst.figure, 2)
    text, limit, unit = {
        "lost": (f"{of}: {mm} mm wide, and no line of {format_mm(s.line)} mm goes in", s.line, "mm"),
        "widened": (f"{of}: {mm} mm wide, printed as a line of {format_mm(s.line)} mm", s.line, "mm"),
        "closed": (f"{of}: a gap of {mm} mm between lines of {format_mm(s.line)} mm", s.line, "mm"),
        "island": (f"{of}: about {mm} mm wide, and nothing is under it", 0.0, "mm"),
        "bridge": (f"{of}: {mm} mm between what holds it", s.bridge, "mm"),
        "overhang": (f"{of}: {mm} mm beyond what is under it, more than {format_mm(s.angle, 0)}° from upright", s.layer, "mm"),
        "floor": (f"{of}: a floor or roof of one layer, {mm} mm across", 2 * s.layer, "mm"),
        "twice": (f"{of}: {mm} mm² belong to two bodies, or to one twice", 0.0, "mm²"),
        "open": (f"{of}: {worst.figure:.0f} open ends", 0.0, ""),
    }[worst.kind]
    mend = "lie otherwise" if worst.kind in _HANGS else ""
    found = Finding("rehearsal", severity, title, text, worst.name, round(worst.figure, 3), limit, unit, worst.place, mend)
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
        count = f"{len(some)} × {name}" if len(some) > 1 else name
        need = 0.0 if hangs else round(HOLDS * c.high / 10, 2)
        if hangs:
            found = Finding(
                "rehearsal", "look at", "Not on the bed", f"{count}: nothing of it lies on bed {c.bed}; it begins in the air", name
            )
        else:
            on = f"{format_mm(c.area, 1)} mm², {format_mm(c.wide, 1)} mm wide"
            text = f"{count}: {format_mm(c.high, 1)} mm high on {on}; lay it down, or give it a brim"
            found = Finding("rehearsal", "look at", "Stands on little", text, name)
        found = structs.replace(found, figure=round(c.area, 2), limit=need, unit="mm²", place=c.place, mend="lie otherwise")
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
        times = f", in {len(some)} places" if len(some) > 1 else ""
        text = f"{a} and {b}: {worst.volume:.3g} mm³ belong to both{times}; a slicer prints one of them there, and no one says which"
        x, y, z = ((p + q) / 2 for p, q in zip(worst.low, worst.high, strict=True))
        layers = [1 + max(0, math.ceil((z - s.first) / s.layer)) for z in worst.above]
        place = Finding("rehearsal", "stop", "Two bodies in one place", text, worst.unit, round(worst.volume, 3), 0.0, "mm³", (x, y, z))
        out.append(Told(place, bed, layers[0], layers[1]))
    return out
