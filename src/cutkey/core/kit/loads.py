"""Bed loads: which units are printed together, and where on the bed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import rectpack

from cutkey.core.kit.pieces import PrintUnit
from cutkey.core.split.printer import Printer

#: Free strip between units on a bed, mm.
GAP = 4.0


class Spot(NamedTuple):
    """A unit on a bed: lower-left corner from the bed's own corner, mm."""

    unit: int
    load: int
    x: float
    y: float
    turned: bool  # by 90 degrees


def lay_out(units: Sequence[PrintUnit], printer: Printer) -> list[Spot]:
    """Pack units on as few beds as they need; one too large for any bed gets a load of its own."""
    ux, uy, _ = printer.usable
    packer = rectpack.newPacker(rotation=True, sort_algo=rectpack.SORT_SSIDE)
    spots: list[Spot] = []
    for k, unit in enumerate(units):
        if not printer.takes(unit.size):
            spots.append(Spot(k, -1, printer.margin, printer.margin, False))
            continue
        for _ in range(unit.copies):
            packer.add_rect(_whole(unit.size[0] + GAP), _whole(unit.size[1] + GAP), k)
    packer.add_bin(_whole(ux + GAP + 0.01), _whole(uy + GAP + 0.01), count=10000)
    packer.pack()
    for load, x, y, w, h, k in packer.rect_list():
        size = units[k].size
        turned = abs(w - _whole(size[0] + GAP)) + abs(h - _whole(size[1] + GAP)) > 0
        spots.append(Spot(k, load, printer.margin + x / 100, printer.margin + y / 100, turned))
    used = sorted({s.load for s in spots if s.load >= 0})
    number = {load: i for i, load in enumerate(used)}
    out, extra = [], len(used)
    for spot in sorted(spots, key=lambda s: (s.load < 0, s.load, s.unit)):
        out.append(spot._replace(load=number[spot.load] if spot.load >= 0 else extra))
        extra += spot.load < 0
    return out


def _whole(mm: float) -> int:
    """Hundredths of a millimetre, rounded up: the packer is exact on whole numbers."""
    return -int(-mm * 100 // 1)
