"""What a plan by height is asked for, in layers: wishes, and what is pinned by hand."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.colour.bands import Wish, wish_of
from cutkey.core.colouring.print_layers import Layers
from cutkey.core.model.colouring import Colouring, Rung, Top


def wishes_of(
    tops: Sequence[Top], names: Sequence[str], layers: Layers, colouring: Colouring
) -> tuple[list[Wish], list[str]]:
    """What the planner is asked, a wish a top; and the names of those for which no layer is left.

    Parameters
    ----------
    tops : sequence of Top
    names : sequence of str
        Filaments, in the order of the planner's colours.
    layers : Layers
    colouring : Colouring
    """
    wishes, lost = [], []
    for t in tops:
        relief = round(1000 * (t.asked - t.face))
        travel = 0 if not t.placement else round(1000 * colouring.travel)
        table = layers.table
        # A plain face is of the body's filament up to its very top: what the band left of it would be a film
        # of the next one.
        face = layers.near(t.face) if t.placement else layers.above(t.face)
        if layers.down and relief > 0 and face == layers.count:
            # It stood above what lies on the bed now: as near to that as there are layers.
            relief = 0
        wish = wish_of(names.index(t.filament), relief, face, table, travel, pinned=not t.placement)
        body = layers.above(t.face)
        if wish is not None and t.placement and relief > 0 and wish.low <= body < layers.count:
            # It ends in a layer of its own, not in the one where the face does.
            wish = wish._replace(low=body + 1, high=max(wish.high, body + 1))
        if wish is None:
            lost.append(t.name)
        else:
            wishes.append(wish)
    return wishes, lost


def pins_of(rungs: Sequence[Rung], names: Sequence[str], layers: Layers) -> dict[int, int]:
    """The layer after each change set by hand, and what it is printed with."""
    out: dict[int, int] = {}
    for rung in rungs:
        if rung.filament in names:
            last = min(range(1, layers.count + 1), key=lambda n: abs(layers.from_bed(n) - rung.z))
            out[layers.printed(last + 1)] = names.index(rung.filament)
            if rung.under in names:
                out.setdefault(layers.printed(last), names.index(rung.under))
    return out
