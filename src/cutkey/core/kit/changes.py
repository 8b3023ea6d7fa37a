"""Filament changes of a kit that is printed by height: what, where, on which bed load."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import NamedTuple

from cutkey.core.kit.bed import Spot
from cutkey.core.model.colouring import Heights
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.units import format_mm


class Change(NamedTuple):
    """Before a layer is printed the filament is changed."""

    load: int  # from 1
    layer: int
    height: float  # mm that are printed by then
    before: str
    after: str


def changes_of(heights: Heights, units: Sequence[PrintUnit], spots: Sequence[Spot]) -> list[Change]:
    """Changes of every bed load, as far as anything on it reaches.

    Parameters
    ----------
    heights : Heights
    units : sequence of PrintUnit
    spots : sequence of Spot
        Where the units lie.
    """
    out = []
    for load in sorted({s.load for s in spots}):
        high = max(units[s.unit].size[2] for s in spots if s.load == load)
        for before, after in zip(heights.stripes, heights.stripes[1:], strict=False):
            if after.low < high - 1e-6:
                out.append(Change(load + 1, after.first, after.low, before.filament, after.filament))
    return out


def csv_of(changes: Sequence[Change]) -> str:
    """The list for machines; decimal points, commas between."""
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(("load", "layer", "height_mm", "from", "to"))
    rows.writerows((c.load, c.layer, f"{c.height:.4g}", c.before, c.after) for c in changes)
    return text.getvalue()


def lines_of(heights: Heights, changes: Sequence[Change], loads: int, face_down: bool = False) -> list[str]:
    """The list for people, a line a change; bed loads with the same changes share theirs.

    Parameters
    ----------
    heights : Heights
    changes : sequence of Change
    loads : int
        How many bed loads there are.
    face_down : bool
        Layers count from the face.
    """
    by_load = {n: tuple(c._replace(load=0) for c in changes if c.load == n) for n in range(1, loads + 1)}
    out = []
    for own in dict.fromkeys(by_load.values()):
        mine = [n for n, some in by_load.items() if some == own]
        which = f"Bed load {mine[0]}" if len(mine) == 1 else f"Bed loads {', '.join(map(str, mine))}"
        out.append(f"{which}: begin with {heights.stripes[0].filament}" + ("" if own else ", no change"))
        out += [
            f"  before layer {c.layer}, at {format_mm(c.height, 2)} mm: {c.before} to {c.after}" for c in own
        ]
    if heights.beside:
        out.append(
            f"  besides, {' and '.join(heights.beside)} is printed as a body, in layers of other filaments"
        )
    return ["The pieces lie face down; layers count from the face.", *out] if face_down else out
