"""What differs between two jobs, so that undo can show where it was."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

from cutkey.core.model.job import Job


class Change(NamedTuple):
    """A part of the job, and which one of several: an id, the number of a cut, or the name of a section."""

    part: Literal["graphic", "body", "placement", "addon", "cut", "lying", "printer", "rack", "job"]
    id: str = ""
    number: int = -1


def change_between(a: Job, b: Job) -> Change | None:
    """The foremost difference, in the order of the sheets; None when there is none."""
    if a.graphics != b.graphics:
        return Change("graphic", _first(a.graphics, b.graphics))
    if a.base != b.base:
        return Change("body")
    if a.placements != b.placements:
        return Change("placement", _first(a.placements, b.placements))
    if a.addons != b.addons:
        return Change("addon", _first(a.addons, b.addons))
    if a.cuts != b.cuts:
        pairs = list(zip(a.cuts, b.cuts, strict=False))
        return Change(
            "cut",
            number=next(
                (i for i, (x, y) in enumerate(pairs) if x != y), min(len(pairs), max(0, len(b.cuts) - 1))
            ),
        )
    if (a.keys, a.labels, a.gauge) != (b.keys, b.labels, b.gauge):
        return Change("cut")
    if (a.lays, a.puts) != (b.lays, b.puts):
        # The piece that was dragged, not those that were kept in their places with it.
        moved = [
            x.unit
            for one, other in ((a.lays, b.lays), (b.lays, a.lays), (a.puts, b.puts), (b.puts, a.puts))
            for x in one
            if x not in other
        ]
        return Change("lying", moved[0] if moved else "")
    if a.printer != b.printer:
        return Change("printer")
    if (a.rack, a.assignments, a.colouring) != (b.rack, b.assignments, b.colouring):
        return Change("rack")
    return Change("job") if a != b else None


def _first(a: Sequence[Any], b: Sequence[Any]) -> str:
    """Id of the first thing that differs, of those that are there afterwards if there is any."""
    before = {x.id: x for x in a}
    changed = [y.id for y in b if before.get(y.id) != y]
    return changed[0] if changed else next((x.id for x in a if x.id not in {y.id for y in b}), "")
