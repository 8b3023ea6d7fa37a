"""Plans for one body: an even grid, rows divided one by one, columns divided one by one."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import cache
from itertools import pairwise

import numpy as np
import shapely

from cutkey.core.geometry.areas import union
from cutkey.core.geometry.part import Part
from cutkey.core.model.cuts import AXES, Axis, Cut, How, Plan
from cutkey.core.model.filament import BODY
from cutkey.core.model.printer import Printer
from cutkey.core.printing.pose import pose_on_bed, too_long
from cutkey.core.split.cutting import Body
from cutkey.core.split.divide import divide
from cutkey.core.split.outlines import Slivers, between, outline_of, pieces_of, place_in
from cutkey.core.split.survey import Reading, Survey

#: Seams of neighbouring rows nearer than this to one another leave short joints, mm; and what each costs.
NEAR, STEP = 60.0, 0.5
#: Other plans are shown up to this times the fewest sections and one more.
MORE = 1.34
_MOST = 4
#: A design of more sections than this is meant for another printer, or its unit is wrong.
TOO_MANY = 600


def _steps_in(cuts: Sequence[Cut], axis: Axis) -> int:
    """How often a seam goes on in the next row a little beside where it ended.

    That makes very short joints.
    """
    at = sorted({c.at for c in cuts if c.axis == axis and c.inside is not None})
    return sum(b - a < NEAR for a, b in pairwise(at))


class Planner:
    """Plans for one body."""

    def __init__(
        self,
        body: Body,
        printer: Printer,
        pinned: Sequence[Cut],
        sunk: Sequence[tuple[np.ndarray, np.ndarray]],
        overhang: float,
    ) -> None:
        self.parts, self.whole, self.printer, self.pinned = body.parts, body.whole, printer, pinned
        self.overhang = overhang
        self.survey = Survey(self.parts, min(printer.usable) / 6, sunk, self.whole)
        self.low, self.high = self.survey.low, self.survey.high
        self.outline = outline_of([Part(BODY, self.whole)]).simplify(0.05)
        self._known: dict[tuple[Axis, tuple[float, float] | None], list[Reading]] = {}

    def plans(self) -> list[Plan]:
        """All ways, the best first; none when it would be no kit any more."""
        if np.prod(np.ceil((self.high - self.low) / self.printer.usable)) > TOO_MANY:
            return []
        levels = self._levels()
        edges = [
            float(self.low[2]),
            *sorted([*(r.at for r in levels), *self._pins("z")]),
            float(self.high[2]),
        ]
        self.heights = [(a + b) / 2 for a, b in pairwise(edges)]
        found = []
        for make in (
            self._grid,
            lambda: self._lines("y", "x", "rows"),
            lambda: self._lines("x", "y", "columns"),
        ):
            for cuts, pieces, badness, how in make():
                count = max(pieces, 1) * len(self.heights)
                cost = badness + sum(r.badness for r in levels)
                all_cuts = (*self.pinned, *(Cut("z", round(r.at, 2)) for r in levels), *cuts)
                found.append(Plan(all_cuts, count, cost, how))
        if not found:
            return []
        fewest = min(p.sections for p in found)
        found = [p for p in found if p.sections <= fewest * MORE + 1]
        found.sort(key=lambda p: (p.sections, round(p.badness, 2), len(p.cuts)))
        out: list[Plan] = []
        for plan in found:
            if all(_unlike(plan, o) for o in out):
                out.append(plan)
        return out[:_MOST]

    def _pins(self, axis: Axis) -> list[float]:
        return sorted(c.at for c in self.pinned if c.axis == axis and c.inside is None)

    def _levels(self) -> list[Reading]:
        """Cuts across z that a body higher than the printer needs."""
        pins = self._pins("z")
        limit = self.printer.usable[2]
        edges = [float(self.low[2]), *pins, float(self.high[2])]
        out: list[Reading] = []
        for a, b in pairwise(edges):
            best = self._divided(self._reader("z", None, "y", a, b), a, b, self._no_longer(limit, "z"), "z")
            out += best or []
        return out

    def _readings(self, axis: Axis, within: tuple[float, float] | None, other: Axis) -> list[Reading]:
        key = (axis, within)
        if key not in self._known:
            found = self.survey.readings(axis, within, other)
            if axis != "z":
                k = AXES.index(axis)
                cell = self.outline if within is None else between(self.outline, AXES.index(other), *within)
                slivers = Slivers(cell, k, self.printer.line)
                found = [r for r in found if not slivers.left(r.at)] or found
            self._known[key] = found
        return self._known[key]

    def _reader(
        self, axis: Axis, within: tuple[float, float] | None, other: Axis, low: float, high: float
    ) -> Callable[[], list[Reading]]:
        """Takes the readings between two places, once they are needed."""
        return lambda: [r for r in self._readings(axis, within, other) if low < r.at < high]

    def _divided(
        self,
        read: Callable[[], list[Reading]],
        low: float,
        high: float,
        fits: Callable[[float, float], bool],
        axis: Axis,
    ) -> list[Reading] | None:
        """The fewest cuts between two places after which every stretch fits; None when no cuts help."""
        if fits(low, high):
            return []
        even = abs((low + high) / 2 - self.survey.middle[AXES.index(axis)]) < 1e-6 and self.survey.symmetric(
            axis
        )
        return divide(read(), low, high, fits, even)

    def _no_longer(self, limit: float, axis: Axis) -> Callable[[float, float], bool]:
        """Whether a stretch is within a length; what is printed on reaches over the cut at its far end."""
        end = float(self.high[AXES.index(axis)])
        return lambda a, b: b - a + (self.overhang if b < end - 1e-6 else 0.0) <= limit + 1e-6

    def _over(self, k: int, b: float) -> float:
        """How far keys reach over the far end of a cell across x (k = 0) or y."""
        return 0.0 if b >= float(self.high[k]) - 1e-6 else self.overhang

    def _box_fits(self, w: float, h: float) -> bool:
        """Whether a box lies square on the bed, which then takes whatever is inside it."""
        ux, uy, _ = self.printer.usable
        plain = self.printer.shape != "round" and not self.printer.keep_out
        return plain and ((w <= ux and h <= uy) or (h <= ux and w <= uy))

    def _with_keys(self, outline: shapely.Geometry, k: int, b: float) -> shapely.Geometry:
        """A cell with the keys that are printed on its far side across x (k = 0) or y.

        When it ends at a cut there.
        """
        over = self._over(k, b)
        if not over or outline.is_empty:
            return outline
        shift = (over, 0.0) if k == 0 else (0.0, over)
        return union([outline, shapely.transform(outline, lambda p: p + np.array(shift))])

    def _fits(self, outline: shapely.Geometry) -> bool:
        for piece in pieces_of(outline):
            x0, y0, x1, y1 = piece.bounds
            w, h = x1 - x0, y1 - y0
            if self._box_fits(w, h):
                continue
            if too_long(max(w, h), self.printer) or pose_on_bed(piece, self.printer) is None:
                return False
        return True

    def _grid(self) -> list[tuple[list[Cut], int, float, How]]:
        """Cuts through everything."""
        out: list[tuple[list[Cut], int, float, How]] = []
        pairs: tuple[tuple[Axis, Axis], tuple[Axis, Axis]] = (("y", "x"), ("x", "y"))
        for first, other in pairs:
            for rows in self._rows(first):
                m = AXES.index(first)
                edges = [
                    float(self.low[m]),
                    *sorted([*(r.at for r in rows), *self._pins(first)]),
                    float(self.high[m]),
                ]
                strips = [between(self.outline, m, a, b) for a, b in pairwise(edges)]
                found = self._across(strips, other, None, first)
                if found is None:
                    continue
                readings, pieces = found
                cuts = [Cut(first, round(r.at, 2)) for r in rows] + [
                    Cut(other, round(r.at, 2)) for r in readings
                ]
                out.append((cuts, pieces, sum(r.badness for r in [*rows, *readings]), "grid"))
        return out

    def _lines(self, first: Axis, other: Axis, name: How) -> list[tuple[list[Cut], int, float, How]]:
        """Rows (or columns) through everything, each of them then divided by itself."""
        out: list[tuple[list[Cut], int, float, How]] = []
        m = AXES.index(first)
        for rows in self._rows(first):
            edges = [
                float(self.low[m]),
                *sorted([*(r.at for r in rows), *self._pins(first)]),
                float(self.high[m]),
            ]
            if len(edges) == 2:
                continue
            cuts = [Cut(first, round(r.at, 2)) for r in rows]
            spans = list(pairwise(edges))
            strips = [between(self.outline, m, a, b) for a, b in spans]
            found = [self._across([s], other, span, first) for s, span in zip(strips, spans, strict=True)]
            lines = [f for f in found if f is not None]
            if len(lines) < len(strips):
                continue
            # Each row looks at the one before it, then at the one after.
            for step in (1, -1):
                for n in range(len(lines))[::step]:
                    if 0 <= n - step < len(lines):
                        near = [r.at for r in lines[n - step][0]]
                        lines[n] = self._in_line(lines[n], near, strips[n], other, spans[n], first)
            for strip, (readings, _) in zip(strips, lines, strict=True):
                left = strip
                for r in readings:
                    cuts += [
                        Cut(other, round(r.at, 2), inside=place_in(self.whole, left, [z]))
                        for z in self.heights
                    ]
                    left = between(left, AXES.index(other), r.at, math.inf)
            badness = sum(r.badness for r in rows) + sum(r.badness for readings, _ in lines for r in readings)
            pieces = sum(count for _, count in lines)
            out.append((cuts, pieces, badness + STEP * _steps_in(cuts, other), name))
        return out

    def _in_line(
        self,
        found: tuple[list[Reading], int],
        before: Sequence[float],
        strip: shapely.Geometry,
        axis: Axis,
        within: tuple[float, float],
        other: Axis,
    ) -> tuple[list[Reading], int]:
        """Cuts of a row where those of the row before are.

        If that fits and is no worse than the short joints between them.
        """
        k = AXES.index(axis)
        x0, y0, x1, y1 = strip.bounds
        low, high = ((x0, x1), (y0, y1))[k]
        same = [b for b in before if low + 1 < b < high - 1]
        if len(same) != len(found[0]) or not same:
            return found
        cells = [low, *same, high]
        m, upper = AXES.index(other), float(strip.bounds[AXES.index(other) + 2])
        if not all(
            self._fits(self._with_keys(self._with_keys(between(strip, k, a, b), k, b), m, upper))
            for a, b in pairwise(cells)
        ):
            return found
        readings = [min(self._readings(axis, within, other), key=lambda r, b=b: abs(r.at - b)) for b in same]  # type: ignore[misc]
        readings = [r._replace(at=b) for r, b in zip(readings, same, strict=True)]
        near = sum(any(abs(r.at - b) < NEAR for b in before) for r in found[0])
        if sum(r.badness for r in readings) > sum(r.badness for r in found[0]) + STEP * near:
            return found
        return readings, sum(len(pieces_of(between(strip, k, a, b))) for a, b in pairwise(cells))

    def _rows(self, axis: Axis) -> list[list[Reading]]:
        """Sets of cuts across an axis that leave strips no wider than the bed, and such with one cut more."""
        ux, uy, _ = self.printer.usable
        if self.printer.shape == "round":
            uy = ux
        m = AXES.index(axis)
        out: list[list[Reading]] = []
        if not self._pins(axis):
            out.append([])
        for limit in sorted({ux, uy, min(ux, uy) * 0.72}, reverse=True):
            edges = [float(self.low[m]), *self._pins(axis), float(self.high[m])]
            rows: list[Reading] = []
            for a, b in pairwise(edges):
                rows += (
                    self._divided(
                        self._reader(axis, None, "x", a, b), a, b, self._no_longer(limit, axis), axis
                    )
                    or []
                )
            if rows not in out:
                out.append(rows)
        return out

    def _across(
        self, strips: Sequence[shapely.Geometry], axis: Axis, within: tuple[float, float] | None, other: Axis
    ) -> tuple[list[Reading], int] | None:
        """Cuts across strips of the outline after which everything fits, and how many pieces there are.

        None when none help.
        """
        k, m = AXES.index(axis), AXES.index(other)
        whole = union(list(strips))
        if whole.is_empty:
            return [], 0
        x0, y0, x1, y1 = whole.bounds
        low, high = ((x0, x1), (y0, y1))[k]
        edges = [low, *(p for p in self._pins(axis) if low < p < high), high]

        ends = [
            (float(s.bounds[m + 2]) - float(s.bounds[m]), self._over(m, float(s.bounds[m + 2])))
            for s in strips
            if not s.is_empty
        ]

        @cache
        def fits(a: float, b: float) -> bool:
            if all(self._box_fits(b - a + self._over(k, b), deep + over) for deep, over in ends):
                return True
            return all(
                self._fits(
                    self._with_keys(self._with_keys(between(s, k, a, b), k, b), m, float(s.bounds[m + 2]))
                )
                for s in strips
            )

        out: list[Reading] = []
        for a, b in pairwise(edges):
            found = self._divided(self._reader(axis, within, other, a, b), a, b, fits, axis)
            if found is None:
                return None
            out += found
        cells = [low, *sorted([*(r.at for r in out), *edges[1:-1]]), high]
        pieces = sum(max(0, len(pieces_of(between(s, k, a, b)))) for s in strips for a, b in pairwise(cells))
        return out, pieces


def _unlike(a: Plan, b: Plan) -> bool:
    """Whether the cuts of two plans lie elsewhere; limited to a section or not."""
    one, other = (sorted((AXES.index(c.axis), c.at) for c in p.cuts) for p in (a, b))
    one, other = ([v for i, v in enumerate(c) if i == 0 or v != c[i - 1]] for c in (one, other))
    return len(one) != len(other) or any(
        x[0] != y[0] or abs(x[1] - y[1]) > 4 for x, y in zip(one, other, strict=True)
    )
