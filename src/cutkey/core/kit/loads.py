"""Bed loads: which units are printed together, and where on the bed."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from cutkey.core.kit.bed import Spot
from cutkey.core.kit.packing import pack
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.pose import pose_on_bed

#: Free strip between units on a bed, mm.
GAP = 4.0


def lay_out(units: Sequence[PrintUnit], printer: Printer) -> list[Spot]:
    """Pack units on as few beds as they need, as they are or turned by 90 degrees.

    What lies on the bed only when turned by another angle, and what is too large for any bed, gets a load of its own.
    """
    room = largest_rectangle(printer)
    wide, deep = room[2] - room[0], room[3] - room[1]
    packed: list[int] = []  # units, one entry for each copy
    spots: list[Spot] = []
    for k, unit in enumerate(units):
        w, d, h = unit.size
        slack = 1e-6
        packs = (w <= wide + slack and d <= deep + slack) or (d <= wide + slack and w <= deep + slack)
        if packs and h <= printer.usable[2] + slack:
            packed += [k] * unit.copies
            continue
        pose = pose_on_bed(unit.outline, printer) if h <= printer.usable[2] + slack else None
        spot = Spot(k, -1, pose.x, pose.y, pose.angle) if pose else Spot(k, -1, printer.margin, printer.margin, 0.0, False)
        spots += [spot] * unit.copies
    sizes = [(_whole(units[k].size[0] + GAP), _whole(units[k].size[1] + GAP)) for k in packed]
    for put in pack(sizes, _whole(wide + GAP + 0.01), _whole(deep + GAP + 0.01)):
        k = packed[put.item]
        left, low = room[0] + put.x / 100, room[1] + put.y / 100
        spots.append(Spot(k, put.bin, left + units[k].size[1] if put.turned else left, low, 90.0 if put.turned else 0.0))
    used = sorted({s.load for s in spots if s.load >= 0})
    number = {load: i for i, load in enumerate(used)}
    out, extra = [], len(used)
    for spot in sorted(spots, key=lambda s: (s.load < 0, s.load, s.unit)):
        out.append(spot._replace(load=number[spot.load] if spot.load >= 0 else extra))
        extra += spot.load < 0
    return out


def largest_rectangle(printer: Printer) -> tuple[float, float, float, float]:
    """The largest rectangle of the bed that is free: all of it but for round beds and keep-outs; mm from its corner."""
    m = printer.margin
    x0, y0, x1, y1 = m, m, printer.bed[0] - m, printer.bed[1] - m
    if printer.shape == "round":
        half = (printer.bed[0] / 2 - m) / 2**0.5
        x0 = y0 = printer.bed[0] / 2 - half
        x1 = y1 = printer.bed[0] / 2 + half
    best = (x0, y0, x1, y1)
    if printer.keep_out:
        xs = sorted({x0, x1, *(v for a, _, w, _ in printer.keep_out for v in (a, a + w) if x0 < v < x1)})
        ys = sorted({y0, y1, *(v for _, b, _, d in printer.keep_out for v in (b, b + d) if y0 < v < y1)})
        free = [
            (a, b, c, d)
            for a, c in combinations(xs, 2)
            for b, d in combinations(ys, 2)
            if not any(p < c and p + w > a and q < d and q + e > b for p, q, w, e in printer.keep_out)
        ]
        best = max(free, key=lambda r: (r[2] - r[0]) * (r[3] - r[1]), default=(x0, y0, x0 + 1, y0 + 1))
    return best


def _whole(mm: float) -> int:
    """Hundredths of a millimetre, rounded up: the packer is exact on whole numbers."""
    return -int(-mm * 100 // 1)
