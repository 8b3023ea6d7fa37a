"""Filaments at once: does a print need more of them than are loaded?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.model.filament import Filament
from cutkey.core.model.finding import Finding
from cutkey.core.words import colouring as say


@check(38)
def no_more_than_loaded(c: Context) -> Iterator[Finding]:
    """A section that is printed with several filaments at once needs no more than the printer takes."""
    room = c.job.printer.loaded
    if not room or (c.heights is not None and not c.heights.trouble):
        return
    worst: Sequence[Filament] = ()
    name = ""
    for unit in c.kit.units:
        used = list({p.filament.name: p.filament for p in unit.pieces}.values())
        if len(used) > max(room, len(worst)):
            worst, name = used, unit.name
    if not worst:
        return
    pairs = combinations(worst, 2)
    a, b = min(pairs, key=lambda pair: float(difference(rgb_of(pair[0].colour), rgb_of(pair[1].colour))))
    off = float(difference(rgb_of(a.colour), rgb_of(b.colour)))
    says = say.more_than_loaded(name, len(worst), room, (a.name, b.name), off)
    yield Finding("loaded", "look at", says, name, float(len(worst)), float(room))
