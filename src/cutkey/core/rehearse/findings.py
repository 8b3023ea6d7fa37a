"""What a rehearsal found, as findings."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.model.finding import Finding, Severity
from cutkey.core.rehearse.film import Event, EventKind, Run
from cutkey.core.rehearse.settings import Settings
from cutkey.core.units import format_mm

#: A thing that stands on less than this share of its height falls over when it is knocked (common practice, no source).
TIPS = 1 / 6
#: It holds by less than this, mm2, and by less for each mm of its height (common practice, no source).
HOLDS = 12.0
_TITLES: dict[EventKind, tuple[str, Severity]] = {
    "lost": ("A wall is lost", "look at"),
    "widened": ("Printed wider than it is", "look at"),
    "closed": ("A slit closes", "look at"),
    "island": ("Printed in the air", "stop"),
    "bridge": ("A long bridge", "look at"),
    "overhang": ("Leans out over nothing", "look at"),
    "twice": ("Bodies cross", "look at"),
    "open": ("An outline does not close", "stop"),
}


def findings_of(runs: Sequence[Run], settings: Settings) -> list[Finding]:
    """Findings of the print of some beds, the worst first; what is alike is told once.

    Parameters
    ----------
    runs : sequence of Run
    settings : Settings
    """
    groups: dict[tuple[str, int, str, str, int], list[Event]] = {}
    for run in runs:
        for e in run.events:
            if e.kind == "bridge" and e.figure <= settings.bridge:
                continue
            # Narrow places of lettering on a slope are many, each of a layer: told together.
            layer = 0 if e.kind in ("lost", "widened", "closed") else e.first
            groups.setdefault((e.kind, e.bed, e.name, e.filament, layer), []).append(e)
    out = [_told(some, settings, len(runs) > 1) for some in groups.values()]
    for run in runs:
        out += _standing(run)
    rank = {"stop": 0, "look at": 1, "sound": 2}
    out.sort(key=lambda f: rank[f.severity])
    if not out:
        layers = sum(len(r.rows) for r in runs)
        out.append(Finding("rehearsal", "sound", "Rehearsed", f"{layers} layers of the written file: nothing lost, nothing in the air"))
    return out


def _told(some: Sequence[Event], s: Settings, beds: bool) -> Finding:
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
        "twice": (f"{of}: {mm} mm² belong to two bodies, or to one twice", 0.0, "mm²"),
        "open": (f"{of}: {worst.figure:.0f} open ends", 0.0, ""),
    }[worst.kind]
    return Finding("rehearsal", severity, title, text, worst.name, round(worst.figure, 3), limit, unit, worst.place, "layer")


def _standing(run: Run) -> list[Finding]:
    """What stands badly on its bed."""
    out = []
    for c in run.contacts:
        if c.area <= 0:
            text = f"nothing of {c.name} lies on bed {c.bed}: it begins in the air"
            out.append(Finding("rehearsal", "stop", "Not on the bed", text, c.name, 0.0, 0.0, "mm²", c.place, "layer"))
        elif c.wide < TIPS * c.high or c.area < HOLDS * c.high / 10:
            on = f"{format_mm(c.area, 1)} mm², {format_mm(c.wide, 1)} mm wide"
            text = f"{c.name} stands {format_mm(c.high, 1)} mm high on {on}: give it a brim"
            need = round(HOLDS * c.high / 10, 2)
            out.append(Finding("rehearsal", "look at", "Stands on little", text, c.name, round(c.area, 2), need, "mm²", c.place, "layer"))
    return out
