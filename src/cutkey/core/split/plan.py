"""Proposing cuts: as few sections as the bed allows, cut where it does least harm."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import bounds_of, mesh_of
from cutkey.core.model.cuts import AXES, Cut, Plan
from cutkey.core.model.filament import BODY
from cutkey.core.model.printer import Printer
from cutkey.core.printing.pose import pose_on_bed, too_long
from cutkey.core.printing.resting import lies_within
from cutkey.core.split.cutting import Body, cut_into_sections, separate_bodies, tiny
from cutkey.core.split.outlines import LEAST, between, outline_of, place_in
from cutkey.core.split.planner import Planner

#: More sections than any plan has.
MANY = 10**6


def propose(
    parts: Sequence[Part],
    printer: Printer,
    pinned: Sequence[Cut] = (),
    bodies: Sequence[Body] = (),
    overhang: float = 0.0,
    sunk: Sequence[tuple[np.ndarray, np.ndarray]] = (),
) -> list[Plan]:
    """Plans, the best first: without a tiny section, the fewest sections, then the least harm.

    None when the bed is too small for any.

    Three ways are tried: an even grid of cuts through everything; rows that are divided one by one; columns
    that are divided one by one. In each of them every section's true outline fits the bed, turned as it must
    be.

    Parameters
    ----------
    pinned : sequence of Cut
        Cuts that stay; a design with such cuts is divided between them.
    bodies : sequence of Body, optional
        The design's separate bodies, when they are known already.
    overhang : float
        How far keys that are printed on reach over a cut, mm; sections are made so much smaller across the
        cuts that carry them.
    sunk : sequence of (low, high)
        Boxes of lettering and figures sunk into the model, mm.
    """
    bodies = bodies or separate_bodies(parts)
    too_large = [b for b in bodies if not _fits(b, printer)]
    if not too_large and not pinned:
        return [Plan((), len(bodies) if len(bodies) > 1 and not _stand(parts, printer) else 1, 0.0, "whole")]
    if len(too_large) == 1 or len(bodies) == 1:
        body = too_large[0] if too_large else bodies[0]
        plans = Planner(body, printer, pinned, sunk, overhang).plans()
        low, high = _box(body.parts)
        if not pinned and high[2] - low[2] > printer.usable[2]:
            fewest = min((p.sections for p in plans), default=MANY)
            plans = [*_lying(body, printer, sunk, overhang, fewest), *plans][:4]
        return [p._replace(sections=p.sections + len(bodies) - 1) for p in _counted(plans, body, printer)]
    # Several bodies that are too large: each with cuts of its own.
    cuts: list[Cut] = list(pinned)
    count, badness = len(bodies) - len(too_large), 0.0
    for body in too_large:
        plans = Planner(body, printer, (), sunk, overhang).plans()
        if not plans:
            return []
        best = plans[0]
        cuts += _limited(best.cuts, body)
        count, badness = count + best.sections, badness + best.badness
    return [Plan(tuple(cuts), count, badness, "bodies")]


def _counted(plans: Sequence[Plan], body: Body, printer: Printer) -> list[Plan]:
    """Plans with as many sections as their cuts make; those that leave a tiny one come last."""
    bare = [Part(BODY, body.whole)]
    made = [cut_into_sections(bare, p.cuts, printer).sections for p in plans]
    out = [(any(tiny(s)), p._replace(sections=len(s))) for p, s in zip(plans, made, strict=True)]
    return [p for _, p in sorted(out, key=lambda pair: pair[0])]


def _lying(
    body: Body, printer: Printer, sunk: Sequence[tuple[np.ndarray, np.ndarray]], overhang: float, fewest: int
) -> list[Plan]:
    """The best plan for a body that is printed lying on another side.

    When it needs fewer sections than when it stands.
    """
    out: list[Plan] = []
    low, high = _box(body.parts)
    upright = _boxes(high - low, printer)
    for order in ((1, 2, 0), (2, 0, 1)):
        # Where not even its box would need fewer, nothing is gained.
        if _boxes((high - low)[list(order)], printer) >= upright:
            continue
        # The planner sees the body lying: its axes are those of the design in another order.
        lie = np.zeros((3, 4))
        lie[range(3), order] = 1.0
        parts = [Part(p.colour, p.solid.transform(lie)) for p in body.parts]
        boxes = [(low[list(order)], high[list(order)]) for low, high in sunk]
        plans = Planner(Body(parts, body.whole.transform(lie)), printer, (), boxes, overhang).plans()
        if not plans or plans[0].sections >= fewest:
            continue
        cuts = tuple(_as_designed(c, order) for c in plans[0].cuts)
        made = cut_into_sections(body.parts, cuts, printer).sections
        # The planner looks at outlines; that all of them stand well is seen on the sections.
        if len(made) < fewest and all(_fits(Body(s.parts, s.whole), printer) for s in made):
            out.append(plans[0]._replace(cuts=cuts, sections=len(made), how="lying"))
            fewest = len(made)
    return out[-1:]


def _boxes(size: np.ndarray, printer: Printer) -> int:
    """Into how many boxes of the printer's a box is divided."""
    return int(np.prod(np.ceil(size / np.array(printer.usable) - 1e-9)))


def _as_designed(cut: Cut, order: tuple[int, int, int]) -> Cut:
    """A cut of a body whose axes are in another order, in those of the design."""
    inside = cut.inside
    if inside is not None:
        there = [0.0, 0.0, 0.0]
        for k, axis in enumerate(order):
            there[axis] = inside[k]
        inside = (there[0], there[1], there[2])
    return replace(cut, axis=AXES[order[AXES.index(cut.axis)]], inside=inside)


def _stand(parts: Sequence[Part], printer: Printer) -> bool:
    """Whether parts fit the printer together, as they stand."""
    low, high = _box(parts)
    if high[2] - low[2] > printer.usable[2] + 1e-6 or too_long(float((high - low)[:2].max()), printer):
        return False
    return pose_on_bed(outline_of(parts), printer) is not None


def _fits(body: Body, printer: Printer) -> bool:
    """Whether a body fits the printer as it stands, or lying on a side on which it stands well."""
    if _stand(body.parts, printer):
        return True
    low, high = _box(body.parts)
    return max(high - low) <= np.linalg.norm(printer.usable) and lies_within(mesh_of(body.whole), printer)


def _box(parts: Sequence[Part]) -> tuple[np.ndarray, np.ndarray]:
    b = [bounds_of(p.solid) for p in parts]
    return np.min([x[0] for x in b], axis=0), np.max([x[1] for x in b], axis=0)


def _limited(cuts: Sequence[Cut], body: Body) -> list[Cut]:
    """Cuts of one body of several.

    Each limited to what it is to divide, in an order that keeps them apart.
    """
    outline = outline_of(body.parts)
    cells = [outline]
    out = []
    for cut in cuts:
        if cut.axis == "z" or cut.inside is not None:
            p = cut.inside or place_in(body.whole, outline)
            out.append(Cut(cut.axis, cut.at, inside=p))
            continue
        k = AXES.index(cut.axis)
        next_cells = []
        for cell in cells:
            halves = [between(cell, k, -math.inf, cut.at), between(cell, k, cut.at, math.inf)]
            if all(h.area > LEAST for h in halves):
                out.append(Cut(cut.axis, cut.at, inside=place_in(body.whole, cell)))
                next_cells += halves
            else:
                next_cells.append(cell)
        cells = next_cells
    return out
