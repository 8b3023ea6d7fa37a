"""What would make a plan by height possible, each of it solved before it is said."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from cutkey.core.colour.bands import planned
from cutkey.core.colouring.print_layers import Layers
from cutkey.core.colouring.wishes import wishes_of
from cutkey.core.model.colouring import Colouring, Help, OwnWay, Top
from cutkey.core.words import colouring as say
from cutkey.core.words.kind import Words


def holds(tops: Sequence[Top], names: Sequence[str], layers: Layers, colouring: Colouring) -> bool:
    """Whether there is a plan with other settings.

    Parameters
    ----------
    tops : sequence of Top
    names : sequence of str
        Filaments, in the order of the planner's colours.
    layers : Layers
    colouring : Colouring
        With those settings.
    """
    some = [t for t in tops if not t.placement or colouring.way_of(t.colour) == "heights"]
    wishes, lost = wishes_of(some, names, layers, colouring)
    least = {k: colouring.cover_of(f) for k, f in enumerate(names)}
    return not lost and planned(wishes, least, layers.table, colouring.returns) is not None


def comes_back(colouring: Colouring, also: Words | None = None) -> list[Help]:
    """More changes: a colour may come back, once or a few times more."""
    counts = range(colouring.returns + 1, colouring.returns + 4)
    return [Help(say.comes_back(n, also), replace(colouring, returns=n, rungs=())) for n in counts]


def differs(colouring: Colouring) -> list[Help]:
    """Heights may lie further from what was asked."""
    return [
        Help(say.heights_may_differ(mm), replace(colouring, travel=mm, rungs=()))
        for mm in (1.0, 1.5, 2.0, 3.0, 5.0, 10.0)
        if mm > colouring.travel
    ]


def covers(colouring: Colouring) -> list[Help]:
    """One layer is enough to hide what is under it."""
    return (
        [Help(say.one_layer_covers(), replace(colouring, cover=1, covers=(), rungs=()))]
        if colouring.cover > 1
        else []
    )


def as_bodies(colouring: Colouring, core: Sequence[Top]) -> list[Help]:
    """One of those in the way is printed as a body."""
    names = {t.colour: t.name for t in core if t.placement}
    return [
        Help(
            say.printed_as_a_body(name),
            replace(
                colouring, ways=(*(w for w in colouring.ways if w.colour != colour), OwnWay(colour, "bodies"))
            ),
        )
        for colour, name in names.items()
    ]
