"""Lines, arcs and Béziers through the chains of a partition.

What was flattened is found again, and what is straight stays so.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.curves.chains import Ring, chains_of
from cutkey.core.curves.known import Run, runs_along
from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import Flattened, Pieces
from cutkey.core.geometry.region import Region
from cutkey.core.trace.fit import Sections, fit_sections

#: Curves stay this near to the polylines they replace, mm: half of what a flattened curve may be off.
TOLERANCE = 0.005
#: A turn is a corner from this angle on, or where it is so many times that of its neighbours and more than
#: the least.
_CORNER, _TIMES, _LEAST = math.radians(60), 2.5, math.radians(12)
#: A straight side goes smoothly into a curve when their directions differ by less.
_SMOOTH = math.radians(4)


class Curves(NamedTuple):
    """The boundaries of some regions as curves that neighbours share."""

    pieces: Pieces  # in walking order, `chain` counts the chains
    first: Int  # (C + 1,) first piece of each chain
    closed: Bool  # (C,)
    rings: list[Ring]
    colours: list[str]  # of the regions

    def of_ring(self, ring: Ring) -> tuple[Float, NDArray[np.int8]]:
        """The pieces of a ring in walking order.

        Parameters
        ----------
        ring : Ring

        Returns
        -------
        control : ndarray, (N, 4, 2), float64
        kind : ndarray, (N,), int8
        """
        control, kind = [], []
        for chain, back in ring.chains:
            own = slice(self.first[chain], self.first[chain + 1])
            c, k = self.pieces.control[own], self.pieces.kind[own]
            control.append(c[::-1, ::-1] if back else c)
            kind.append(k[::-1] if back else k)
        return np.concatenate(control), np.concatenate(kind)


def curves_of(
    regions: Sequence[Region], known: Flattened | None = None, tolerance: float = TOLERANCE
) -> Curves:
    """The curves that the boundaries of regions are made of.

    Parameters
    ----------
    regions : sequence of Region
        A partition in mm; its curves were flattened to chords within about `tolerance`.
    known : Flattened, optional
        Curves it was flattened from: where a boundary still runs along one, that curve is given back as it
        was.
    tolerance : float
        Largest distance between other curves and the points they replace, mm.

    Returns
    -------
    Curves
    """
    chains = chains_of(regions)
    points = chains.points
    runs: list[list[Run]] = [[] for _ in points]
    if known is not None and len(known.kind) and points:
        points, runs = runs_along(points, chains.closed, known)
    stretches = [
        s for k in range(len(points)) for s in _stretches(k, points[k], bool(chains.closed[k]), runs[k])
    ]
    chain = np.array([s.chain for s in stretches], np.int64)
    control, kind, of = _fitted([(n, s) for n, s in enumerate(stretches) if s.run is None], tolerance)
    there = [n for n, s in enumerate(stretches) if s.run is not None]
    if there:
        own = [stretches[n].run for n in there]
        control = np.concatenate([control, [r.control for r in own if r is not None]])
        kind = np.r_[kind, np.array([r.kind for r in own if r is not None], np.int8)]
        of = np.r_[of, there]
    order = np.argsort(of, kind="stable")
    pieces = Pieces(control[order], kind[order], chain[of[order]])
    first = np.searchsorted(pieces.chain, np.arange(len(points) + 1))
    return Curves(pieces, first, chains.closed, chains.rings, [r.colour for r in regions])


class _Stretch(NamedTuple):
    """A part of a chain: a known curve, or points that one is to be fitted through."""

    chain: int
    points: Float
    closed: bool
    run: Run | None = None


def _stretches(chain: int, points: Float, closed: bool, runs: Sequence[Run]) -> list[_Stretch]:
    if not runs:
        return [_Stretch(chain, points, closed)]
    out, done = [], 0
    for run in runs:
        if run.begin > done:
            out.append(_Stretch(chain, points[done : run.begin + 1], False))
        out.append(_Stretch(chain, points[run.begin : run.end + 1], False, run))
        done = run.end
    if done < len(points) - 1:
        out.append(_Stretch(chain, points[done:], False))
    return out


def _fitted(
    stretches: Sequence[tuple[int, _Stretch]], tolerance: float
) -> tuple[Float, NDArray[np.int8], Int]:
    """Pieces through stretches, and the number of the stretch that each belongs to."""
    if not stretches:
        return np.zeros((0, 4, 2)), np.zeros(0, np.int8), np.zeros(0, np.int64)
    nodes = [_nodes(s.points, s.closed, tolerance) for _, s in stretches]
    of = np.repeat([n for n, _ in stretches], [len(p[0]) for p in nodes])
    xy, knot, smooth, tangent = (np.concatenate([p[k] for p in nodes]) for k in range(4))
    knots = np.flatnonzero(knot)
    same = of[knots[:-1]] == of[knots[1:]]
    begin, end = knots[:-1][same], knots[1:][same]
    fitted = fit_sections(xy, Sections(begin, end, smooth[begin], smooth[end]), tangent, tolerance)
    return fitted.control, fitted.kind, of[fitted.node]


def _nodes(points: Float, closed: bool, tolerance: float) -> tuple[Float, Bool, Bool, Float]:
    """Points, knots, smooth knots and tangents of one stretch.

    In curves also the places half way between its points.
    """
    if len(points) == 2:
        return points, np.ones(2, bool), np.zeros(2, bool), np.zeros((2, 2))
    way = np.diff(points, axis=0)
    turn, corner, straight = _told(way, closed, tolerance)
    if closed:
        # It begins at a corner or where a straight side ends; where it has neither, it is smooth all round.
        n = len(way)
        starts = np.flatnonzero(corner[:-1]) if corner[:-1].any() else np.flatnonzero(straight)
        if len(starts):
            k = int(starts[0])
            way, straight = np.roll(way, -k, axis=0), np.roll(straight, -k)
            points = np.roll(points[:-1], -k, axis=0)
            points = np.concatenate([points, points[:1]])
            turn, corner = (np.r_[np.roll(a[:-1], -k), a[k]] for a in (turn, corner))
        elif n < 8:
            straight[:] = True
            corner[:] = True
    length = np.hypot(*way.T)
    unit = way / length[:, None]
    # Tangents of the circle through a point and its neighbours.
    before, after = np.roll(unit, 1, axis=0), unit
    weight = np.roll(length, 1)
    tangent = before * length[:, None] + after * weight[:, None]
    tangent = np.concatenate([tangent, tangent[:1]])
    if not closed:
        tangent[0], tangent[-1] = unit[0], unit[-1]
    # Where a straight side ends, the curve begins in its direction.
    beside = np.zeros(len(points), bool)
    for side, at in ((1, np.flatnonzero(straight)), (0, np.flatnonzero(straight) + 1)):
        tangent[at] = unit[at if side else at - 1]
        beside[at] = True
    if closed:
        both = beside[0] or beside[-1]
        beside[[0, -1]] = both
        tangent[[0, -1]] = tangent[0] if straight[0] else tangent[-1]
    smooth = beside & ~corner
    knot = beside | corner
    if closed and not knot[0]:
        # All round smooth: one piece of a ring, which the fit cuts itself.
        knot[[0, -1]] = smooth[[0, -1]] = True
    knot[[0, -1]] = True
    size = np.hypot(*tangent.T)
    tangent = tangent / np.maximum(size, 1e-12)[:, None]

    # Half way along a chord the curve stands off by an eighth of its length times the turn.
    middle = (points[:-1] + points[1:]) / 2
    free = np.where(corner, 0.0, turn)
    count = np.maximum(1, 2 - corner[:-1].astype(int) - corner[1:].astype(int))
    bend = (free[:-1] + free[1:]) / count
    middle = middle + np.stack([unit[:, 1], -unit[:, 0]], 1) * (length * bend / 8)[:, None]
    curved = np.flatnonzero(~straight)
    out = np.insert(points, curved + 1, middle[curved], axis=0)
    old = np.arange(len(points)) + np.searchsorted(curved + 1, np.arange(len(points)), side="right")
    knots, smooths, tangents = np.zeros(len(out), bool), np.zeros(len(out), bool), np.zeros((len(out), 2))
    knots[old], smooths[old], tangents[old] = knot, smooth, tangent
    rest = np.setdiff1d(np.arange(len(out)), old)
    tangents[rest] = unit[curved]
    return out, knots, smooths, tangents


def _told(way: Float, closed: bool, tolerance: float) -> tuple[Float, Bool, Bool]:
    """The turn at each point of a chain, which points are corners, and which sides are no chords of a curve.

    A chord of a curve that was flattened within a tolerance is off by its length times its turn over eight:
    where that is more, it was drawn straight.
    """
    length = np.hypot(*way.T)
    angle = np.arctan2(way[:, 1], way[:, 0])
    turn = (np.diff(angle) + np.pi) % (2 * np.pi) - np.pi
    if closed:
        wrap = (angle[0] - angle[-1] + np.pi) % (2 * np.pi) - np.pi
        turn = np.r_[wrap, turn, wrap]
        around = np.stack([np.r_[turn[-2], turn[:-1]], np.r_[turn[1:], turn[1]]])
        shorter = np.minimum(np.r_[length[-1], length], np.r_[length, length[0]])
    else:
        turn = np.r_[0.0, turn, 0.0]
        around = np.stack([np.r_[0.0, turn[:-1]], np.r_[turn[1:], 0.0]])
        shorter = np.minimum(np.r_[np.inf, length], np.r_[length, np.inf])
    size, others = np.abs(turn), np.abs(around).max(0)
    corner = (
        (size > _CORNER) | ((size > _LEAST) & (size > _TIMES * others)) | (size * shorter / 8 > 2 * tolerance)
    )
    if not closed:
        corner[[0, -1]] = True
    # A side between two corners, or one that no curve of this turn would have.
    bent = np.where(corner, 0.0, size)
    straight = (corner[:-1] & corner[1:]) | (length * np.maximum(bent[:-1], bent[1:]) / 8 > 2 * tolerance)
    # Beside a straight side half a curve's own turn is left; what is more is a corner.
    for k in np.flatnonzero(straight).tolist():
        for at, beyond in ((k, k - 1), (k + 1, k + 2)):
            if corner[at]:
                continue
            own = size[beyond % len(size)] if closed or 0 <= beyond < len(size) else 0.0
            if abs(size[at] - own / 2) > _SMOOTH:
                corner[at] = True
    if closed:
        corner[-1] = corner[0] = bool(corner[0] or corner[-1])
    return turn, corner, straight
