"""Bed loads: which units are printed together, and where on the bed."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import shapely
from shapely import affinity

from cutkey.core.digest import digest
from cutkey.core.kit.bed import GAP, Spot
from cutkey.core.kit.nesting import ROUNDS, TURNS, Ask, Laid, Progress, nest
from cutkey.core.kit.packing import pack
from cutkey.core.model.lying import Put
from cutkey.core.model.printer import Printer
from cutkey.core.printing.bed_rows import DECIMALS
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.pose import bed_area, pose_on_bed

#: Of so many units the search takes all its rounds.
_MANY = 40
#: Layouts that are known: a kit is drawn, rehearsed and written as it was laid once.
_KNOWN: dict[str, tuple[Spot, ...]] = {}
_KEPT = 24


def lay_out(
    units: Sequence[PrintUnit], printer: Printer, puts: Sequence[Put] = (), progress: Progress | None = None
) -> list[Spot]:
    """Lay units on as few beds as were found for them, by their true outlines.

    The same units always lie the same way.

    What lies on the bed only when turned by an odd angle is turned so; what is too large for any bed gets a
    load of its own. Units share a bed only when their filaments can be loaded together, where the printer
    says how many that are.

    Parameters
    ----------
    units : sequence of PrintUnit
    printer : Printer
    puts : sequence of Put
        Where the maker put some of them; they stay there where they may lie there.
    progress : callable, optional
    """
    shapes = [
        (u.name, shapely.to_wkb(u.outline), u.size, u.copies, sorted({p.filament.name for p in u.pieces}))
        for u in units
    ]
    key = digest(shapes, printer, list(puts))
    if key not in _KNOWN:
        while len(_KNOWN) >= _KEPT:
            _KNOWN.pop(next(iter(_KNOWN)))
        _KNOWN[key] = tuple(_laid_out(units, printer, puts, progress))
    return list(_KNOWN[key])


def _laid_out(
    units: Sequence[PrintUnit], printer: Printer, puts: Sequence[Put], progress: Progress | None
) -> list[Spot]:
    copies: list[int] = []  # units, one entry for each copy
    asks: list[Ask] = []
    spots: list[Spot] = []
    bed = bed_area(printer)
    for k, unit in enumerate(units):
        outline = unit.outline if unit.outline.geom_type == "Polygon" else unit.outline.convex_hull
        high = unit.size[2] <= printer.usable[2] + 1e-6
        pose = pose_on_bed(unit.outline, printer) if high else None
        if pose is None or outline.geom_type != "Polygon":
            spots += [Spot(k, -1, printer.margin, printer.margin, 0.0, False)] * unit.copies
            continue
        ask = Ask(outline, _turns(unit, printer, pose.angle), frozenset(p.filament.name for p in unit.pieces))
        copies += [k] * unit.copies
        asks += [ask] * unit.copies
    rounds = ROUNDS if len(asks) <= _MANY else max(4, ROUNDS * _MANY // (2 * len(asks)))
    held = _held(puts, units, copies, asks)
    laid = nest(
        asks,
        bed,
        GAP,
        together=printer.loaded,
        held=held,
        start=_by_boxes(asks, printer),
        rounds=rounds,
        progress=progress,
    )
    for one in laid:
        low = _low(asks[one.piece], one.turn)
        kept = any(h.piece == one.piece and (h.turn, h.x, h.y) == (one.turn, one.x, one.y) for h in held)
        x, y = _on_grid(asks[one.piece].outline, one.turn, one.x - low[0], one.y - low[1], bed)
        spots.append(Spot(copies[one.piece], one.bed, x, y, one.turn, by_hand=kept))
    for n in set(range(len(asks))) - {one.piece for one in laid}:
        pose = pose_on_bed(units[copies[n]].outline, printer)
        spots.append(
            Spot(copies[n], -1, round(pose.x, DECIMALS), round(pose.y, DECIMALS), pose.angle)
            if pose
            else Spot(copies[n], -1, printer.margin, printer.margin, 0.0, False)
        )
    used = sorted({s.load for s in spots if s.load >= 0})
    out, extra = [], len(used)
    for spot in sorted(spots, key=lambda s: (s.load < 0, s.load, s.unit)):
        out.append(spot._replace(load=used.index(spot.load) if spot.load >= 0 else extra))
        extra += spot.load < 0
    return out


def _on_grid(
    outline: shapely.Polygon, turn: float, x: float, y: float, bed: shapely.Geometry
) -> tuple[float, float]:
    """The place next to one that a file holds to the last digit, within the bed."""
    turned = affinity.rotate(outline, turn, origin=(0, 0)) if turn else outline
    x, y, step = round(float(x), DECIMALS), round(float(y), DECIMALS), 10.0**-DECIMALS
    near = [(x + dx * step, y + dy * step) for dx in (0, -1, 1) for dy in (0, -1, 1)]
    at = next((p for p in near if bed.covers(affinity.translate(turned, *p))), near[0])
    return round(at[0], DECIMALS), round(at[1], DECIMALS)


def _low(ask: Ask, turn: float) -> tuple[float, float]:
    """Lower corner of the box around a turned piece, from its own lower corner."""
    x, y, _, _ = (affinity.rotate(ask.outline, turn, origin=(0, 0)) if turn else ask.outline).bounds
    return float(x), float(y)


def _held(
    puts: Sequence[Put], units: Sequence[PrintUnit], copies: Sequence[int], asks: Sequence[Ask]
) -> list[Laid]:
    """What the maker put somewhere, as the search knows it; what is no longer there is left out."""
    out = []
    for put in puts:
        mine = [n for n, k in enumerate(copies) if units[k].name == put.unit]
        if put.copy < len(mine):
            low = _low(asks[mine[put.copy]], put.turn)
            out.append(Laid(mine[put.copy], put.bed, put.turn, put.x + low[0], put.y + low[1]))
    return out


def _turns(unit: PrintUnit, printer: Printer, odd: float) -> tuple[float, ...]:
    """Turns that a unit is tried at: square ones, and the odd one at which alone it fits."""
    x0, y0, x1, y1 = bed_area(printer).bounds
    (w, d), slack = unit.size[:2], 1e-6
    square = (w <= x1 - x0 + slack and d <= y1 - y0 + slack) or (
        d <= x1 - x0 + slack and w <= y1 - y0 + slack
    )
    return TURNS if square and printer.shape != "round" else (*TURNS, odd)


def _by_boxes(asks: Sequence[Ask], printer: Printer) -> list[Laid]:
    """The same pieces laid by their boxes: exact where pieces are squares of a grid."""
    room = largest_rectangle(printer)
    wide, deep = room[2] - room[0], room[3] - room[1]
    sizes = []
    for ask in asks:
        x0, y0, x1, y1 = ask.outline.bounds
        sizes.append((_whole(x1 - x0 + GAP), _whole(y1 - y0 + GAP)))
    puts = pack(sizes, _whole(wide + GAP + 0.01), _whole(deep + GAP + 0.01))
    return [
        Laid(p.item, p.bin, 90.0 if p.turned else 0.0, room[0] + p.x / 100, room[1] + p.y / 100) for p in puts
    ]


def largest_rectangle(printer: Printer) -> tuple[float, float, float, float]:
    """The largest rectangle of the bed that is free: all of it but for round beds and keep-outs.

    mm from its corner.
    """
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
