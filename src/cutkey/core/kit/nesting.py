"""Laying outlines on as few beds as can be: places of a raster, found by correlation, tested exactly.

Then beds emptied and filled anew.

A bed and an outline become masks of small squares; where their correlation (by the fast Fourier transform) is
0 the outline is free of what lies there. The masks are a little too small, so that pieces that fit exactly
are not missed, and what is found is moved by up to a square until the exact test holds. Then the emptiest
beds are emptied and their pieces laid in another order, as long as that needs fewer beds or makes full ones
fuller. Rounds are counted and not timed, so that the same pieces lie the same way again.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import cv2
import numpy as np
import scipy.fft as fft
import shapely
from shapely import affinity

from cutkey.core.geometry.areas import grown
from cutkey.core.geometry.arrays import Bool, Float

#: Side of a square, mm, and by how many of them masks are smaller than what they stand for: the filler draws
#: half a square too much.
PITCH, _SMALLER = 2.0, -0.35
#: Turns that every piece is tried at, degrees.
TURNS = (0.0, 90.0, 180.0, 270.0)
#: Places of a turn that are put to the exact test, and shifts tried at each.
_TRIES, _SHIFTS = 6, 16
#: Rounds of emptying beds, for as many as there are of them; and how many beds a round takes.
ROUNDS, _FEW, _MANY = 60, 2, 5
_EPS = 1e-6

#: Called with the share done and how many beds there are; it may raise.
Progress = Callable[[float, int], None]


class Laid(NamedTuple):
    """Where a piece lies.

    Turned about the origin, then moved so that the lower left corner of its box is at x, y.
    """

    piece: int
    bed: int
    turn: float  # degrees
    x: float
    y: float


class Ask(NamedTuple):
    """A piece to be laid."""

    outline: shapely.Polygon  # mm; its holes are free room
    turns: tuple[float, ...] = TURNS
    filaments: frozenset[str] = frozenset()


class _Grid:
    """A bed's free area and the squares over it.

    With a rim so that what is grown at the edge stays inside.
    """

    def __init__(self, bed: shapely.Geometry, gap: float, together: int) -> None:
        self.bed, self.gap, self.together = bed, gap, together
        self.x0, self.y0, x1, y1 = bed.bounds
        self.wide, self.deep = x1 - self.x0, y1 - self.y0
        self.pad = int(np.ceil(gap / 2 / PITCH)) + 1
        sides = [int(np.ceil(v / PITCH)) + 2 * self.pad + 2 for v in (self.deep, self.wide)]
        self.shape = tuple(int(fft.next_fast_len(n, real=True)) for n in sides)
        self.plain = shapely.box(*bed.bounds).area - bed.area < _EPS
        self.outside = None
        if not self.plain:
            self.outside = fft.rfft2(1 - self.mask(affinity.translate(bed, -self.x0, -self.y0), -0.5 * PITCH))

    def mask(self, area: shapely.Geometry, grow: float, x: float = 0.0, y: float = 0.0) -> Float:
        """Squares of an area that is grown by so much and moved."""
        out = np.zeros(self.shape, np.uint8)
        for part in shapely.get_parts(grown(area, grow)):
            if part.geom_type != "Polygon":
                continue
            rings = [
                ((shapely.get_coordinates(r) + np.array((x, y))) / PITCH + self.pad - 0.5) * 256
                for r in (part.exterior, *part.interiors)
            ]
            cv2.fillPoly(out, [np.round(r).astype(np.int32) for r in rings], 1, cv2.LINE_8, 8)
        return out.astype(np.float32)


class _Turned:
    """A piece at one turn, its box at the origin."""

    def __init__(self, ask: Ask, turn: float, grid: _Grid) -> None:
        turned = affinity.rotate(ask.outline, turn, origin=(0, 0)) if turn else ask.outline
        self.turn, self.filaments = turn, ask.filaments
        self.outline = affinity.translate(turned, -turned.bounds[0], -turned.bounds[1])
        self.w, self.h = self.outline.bounds[2:]
        self.fits = grid.wide - self.w > -_EPS and grid.deep - self.h > -_EPS
        if not self.fits:
            return
        ny, nx = (
            int(np.ceil((a - b) / PITCH - _EPS)) + 1 for a, b in ((grid.deep, self.h), (grid.wide, self.w))
        )
        self.wave = np.conj(fft.rfft2(grid.mask(self.outline, grid.gap / 2 + _SMALLER * PITCH)))
        self.room: Bool = np.ones((ny, nx), bool)
        if grid.outside is not None:
            own = np.conj(fft.rfft2(grid.mask(self.outline, _SMALLER * PITCH)))
            self.room = np.asarray(fft.irfft2(grid.outside * own, s=grid.shape)[:ny, :nx] < 0.5)
        self.fits = bool(self.room.any())


class _Bed:
    def __init__(self, grid: _Grid) -> None:
        self.grid, self.full, self.area = grid, np.zeros(grid.shape, np.float32), 0.0
        self.put: list[tuple[int, _Turned, float, float]] = []
        self.held = 0  # so many of them, the first ones, stay where they are
        self.outlines: list[shapely.Polygon] = []
        self.filaments: frozenset[str] = frozenset()
        self._wave: object = None

    def takes(self, piece: _Turned) -> bool:
        """Whether there may be room, and whether the filaments go together.

        Where one has all that the other has, nothing is changed for it. Others share a bed when all can be
        loaded at once; but what is of a single filament is never printed by changes, so that pieces of one
        colour come off one bed.
        """
        if self.area + piece.outline.area >= self.grid.bed.area:
            return False
        one, other = self.filaments, piece.filaments
        if not self.put or one <= other or other <= one:
            return True
        return min(len(one), len(other)) > 1 and len(one | other) <= self.grid.together

    def may_hold(self, piece: _Turned) -> bool:
        """Whether what the maker puts there can be loaded with what lies there."""
        both = self.filaments | piece.filaments
        return len(both) <= max(self.grid.together, len(self.filaments), len(piece.filaments))

    def emptied(self) -> _Bed:
        """The bed with nothing but what stays where it is."""
        out = _Bed(self.grid)
        for (piece, t, x, y), outline in zip(self.put[: self.held], self.outlines, strict=False):
            out.add(piece, t, x, y, outline)
        out.held = self.held
        return out

    def legal(self, t: _Turned, x: float, y: float) -> shapely.Polygon | None:
        """The piece's outline at a place, None when it may not lie there."""
        g = self.grid
        if (
            x < g.x0 - _EPS
            or y < g.y0 - _EPS
            or x + t.w > g.x0 + g.wide + _EPS
            or y + t.h > g.y0 + g.deep + _EPS
        ):
            return None
        moved = affinity.translate(t.outline, x, y)
        if not g.plain and not g.bed.covers(moved):
            return None
        return None if self.outlines and shapely.dwithin(self.outlines, moved, g.gap - _EPS).any() else moved

    def find(
        self, turns: Sequence[_Turned], toward: int
    ) -> tuple[_Turned, float, float, shapely.Polygon] | None:
        """The lowest free place of all turns: by y, by x, or by both."""
        g, best, found = self.grid, np.inf, None
        if self._wave is None:
            self._wave = fft.rfft2(self.full)
        for t in turns:
            ny, nx = t.room.shape
            free = (
                t.room
                if not self.put
                else (fft.irfft2(self._wave * t.wave, s=g.shape)[:ny, :nx] < 0.5) & t.room
            )
            iy, ix = np.nonzero(free)
            rank = (iy * PITCH + t.h) * (1, 0.05, 1)[toward] + (ix * PITCH + t.w) * (0.05, 1, 1)[toward]
            for k in np.argsort(rank, kind="stable")[:_TRIES]:
                if rank[k] >= best - _EPS:
                    break
                spot = self._mended(t, g.x0 + ix[k] * PITCH, g.y0 + iy[k] * PITCH)
                if spot is not None:
                    best, found = float(rank[k]), (t, *spot)
                    break
        return found

    def _mended(self, t: _Turned, x: float, y: float) -> tuple[float, float, shapely.Polygon] | None:
        """A legal place within a square.

        Box to box and along the edges first, as pieces that were cut from one another lie.
        """
        g = self.grid
        xs = {min(x, g.x0 + g.wide - t.w), x + PITCH / 2, x - PITCH / 2}
        ys = {min(y, g.y0 + g.deep - t.h), y + PITCH / 2, y - PITCH / 2}
        for a, b, c, d in (p.bounds for p in self.outlines):
            xs |= {v for v in (c + g.gap, a - g.gap - t.w) if abs(v - x) <= PITCH}
            ys |= {v for v in (d + g.gap, b - g.gap - t.h) if abs(v - y) <= PITCH}
        near = sorted(((u, v) for u in xs for v in ys), key=lambda q: (abs(q[0] - x) + abs(q[1] - y), q))
        for u, v in near[:_SHIFTS]:
            moved = self.legal(t, u, v)
            if moved is not None:
                return u, v, moved
        return None

    def add(self, piece: int, t: _Turned, x: float, y: float, outline: shapely.Polygon) -> None:
        g = self.grid
        self.put.append((piece, t, x, y))
        self.outlines.append(outline)
        self.filaments |= t.filaments
        self.full = np.maximum(self.full, g.mask(t.outline, g.gap / 2 + _SMALLER * PITCH, x - g.x0, y - g.y0))
        self._wave, self.area = None, self.area + float(outline.area)


def nest(
    pieces: Sequence[Ask],
    bed: shapely.Geometry,
    gap: float,
    *,
    together: int = 0,
    held: Sequence[Laid] = (),
    start: Sequence[Laid] = (),
    rounds: int = ROUNDS,
    progress: Progress | None = None,
) -> list[Laid]:
    """Places for outlines on as few beds as were found; those that fit no bed at their turns are left out.

    Parameters
    ----------
    pieces : sequence of Ask
    bed : Polygon or MultiPolygon
        What may be printed on, mm.
    gap : float
        Between pieces, mm.
    together : int
        Filaments that can be loaded at once, 0 for any number.
    held : sequence of Laid
        Pieces that stay where they are, where they may lie there; on beds of these numbers.
    start : sequence of Laid
        A layout by other means, which is taken where it needs fewer beds; not where anything is held.
    rounds : int
        Of emptying beds.
    progress : callable, optional

    Returns
    -------
    list of Laid
        By bed, the fullest first; beds on which something is held keep their places among them.
    """
    grid = _Grid(bed, gap, together or 10**6)
    turned = [[t for a in ask.turns if (t := _Turned(ask, a, grid)).fits] for ask in pieces]
    numbered = _holding(held, pieces, turned, grid)
    fixed = {put[0] for b in numbered.values() for put in b.put}
    ones = [k for k, t in enumerate(turned) if t and k not in fixed]
    # A ring counts with what is in it.
    size = {k: float(shapely.Polygon(pieces[k].outline.exterior).area) for k in ones}
    order = sorted(ones, key=lambda k: (-size[k], k))
    begun = list(numbered.values())
    best = _filled(order, turned, grid, 0, len(ones) + len(begun) + 1, [b.emptied() for b in begun]) or []
    other = None if begun else _taken(start, turned, grid)
    if other is not None and sum(len(b.put) for b in other) == len(ones) and len(other) < len(best):
        best = other
    need = max(_bound([pieces[k] for k in (*ones, *fixed)], grid), len(begun))
    rng = np.random.default_rng(0)
    for n in range(rounds if len(best) > need else 0):
        if progress:
            progress(n / rounds, len(best))
        low = sorted(range(len(best)), key=lambda i: best[i].area * rng.uniform(0.7, 1.3))
        take = set(low[: int(rng.integers(_FEW, _MANY))])
        some = sorted(
            (put[0] for i in take for put in best[i].put[best[i].held :]),
            key=lambda k: -size[k] * np.exp(rng.normal(0, 0.3)),
        )
        made = _filled(
            some,
            turned,
            grid,
            int(rng.integers(0, 3)),
            len(take),
            [best[i].emptied() for i in sorted(take) if best[i].held],
        )
        if made is None:
            continue
        tried = [b for i, b in enumerate(best) if i not in take] + made
        # Fewer beds, else fuller and emptier ones rather than even ones.
        if (-len(tried), sum(b.area**2 for b in tried)) > (-len(best), sum(b.area**2 for b in best)):
            best = tried
            if len(best) <= need:
                break
    fullest = sorted((b for b in best if not b.held), key=lambda b: (-b.area, b.put[0][0]))
    # What is held says where its bed stands; the others come in between.
    where = {b.put[0][0]: n for n, b in numbered.items()}
    for bed in sorted((b for b in best if b.held), key=lambda b: where[b.put[0][0]]):
        fullest.insert(min(where[bed.put[0][0]], len(fullest)), bed)
    return [
        Laid(k, n, t.turn, x, y)
        for n, b in enumerate(fullest)
        for k, t, x, y in sorted(b.put, key=lambda p: p[0])
    ]


def _holding(
    held: Sequence[Laid], pieces: Sequence[Ask], turned: Sequence[Sequence[_Turned]], grid: _Grid
) -> dict[int, _Bed]:
    """Beds with what stays where it is, by number; what may not lie there is left out."""
    beds: dict[int, _Bed] = {}
    for spot in held:
        t = next((t for t in turned[spot.piece] if t.turn == spot.turn), None) or _Turned(
            pieces[spot.piece], spot.turn, grid
        )
        bed = beds.get(spot.bed) or _Bed(grid)
        outline = bed.legal(t, spot.x, spot.y) if t.fits and bed.may_hold(t) else None
        if outline is not None:
            bed.add(spot.piece, t, spot.x, spot.y, outline)
            bed.held, beds[spot.bed] = bed.held + 1, bed
    return beds


def _filled(
    order: Sequence[int],
    turned: Sequence[Sequence[_Turned]],
    grid: _Grid,
    toward: int,
    most: int,
    begun: Sequence[_Bed] = (),
) -> list[_Bed] | None:
    """First fit in this order, into beds that are begun and new ones.

    None when more than so many would be needed.
    """
    beds = list(begun)
    for k in order:
        got = None
        for bed in beds:
            got = bed.find(turned[k], toward) if bed.takes(turned[k][0]) else None
            if got is not None:
                break
        else:
            if len(beds) >= most:
                return None
            bed = _Bed(grid)
            got = bed.find(turned[k], toward)
            if got is None:
                return None
            beds.append(bed)
        bed.add(k, *got)
    return beds


def _taken(spots: Sequence[Laid], turned: Sequence[Sequence[_Turned]], grid: _Grid) -> list[_Bed] | None:
    """Beds of given places, None when one of them is not right."""
    beds: dict[int, _Bed] = {}
    for spot in spots:
        bed = beds.setdefault(spot.bed, _Bed(grid))
        t = next((t for t in turned[spot.piece] if t.turn == spot.turn), None)
        outline = bed.legal(t, spot.x, spot.y) if t is not None and bed.takes(t) else None
        if t is None or outline is None:
            return None
        bed.add(spot.piece, t, spot.x, spot.y, outline)
    return list(beds.values())


def _bound(pieces: Sequence[Ask], grid: _Grid) -> int:
    """Fewer beds than this cannot do: by area, and by pieces of which no two have room on a bed."""
    half = float(grid.bed.buffer(grid.gap / 2, join_style="mitre").area)
    areas = [float(grown(p.outline, grid.gap / 2).area) for p in pieces]
    return max(int(np.ceil(sum(areas) / half - _EPS)), sum(a > half / 2 for a in areas), 1 if pieces else 0)
