"""How much two faces have in common, laid on one another: bounds that cost little, then the area itself.

Some million motions are tried for a job of fifty joints, and under nearly all of them two faces have a
quarter of their area in common where half is asked. No bound lies below the truth.
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import grown, intersection, sound
from cutkey.core.geometry.arrays import Bool, Complex, Float

#: Faces longer than so many times their width are long.
_LONG = 8.0
#: Squares over a face, about; of its box at most; and distances from it along the longer side of its box.
_SQUARES, _AT_MOST, _DISTANCES = 32, 2000, 48


class Outline:
    """The outline of a face, with what is asked of it again and again."""

    def __init__(self, area: shapely.Geometry) -> None:
        self.area = area
        self.mm2 = float(area.area)
        self.bounds: tuple[float, float, float, float] = area.bounds
        x0, y0, x1, y1 = self.bounds
        self.long = (x1 - x0) > _LONG * (y1 - y0)
        self.plain = sound(area.simplify(0.05))
        self._about: dict[float, shapely.Geometry] = {}

    @cached_property
    def mirrored(self) -> Outline:
        """The same of a section that is turned over."""
        return Outline(shapely.transform(self.area, lambda p: p * (-1.0, 1.0)))

    @cached_property
    def rings(self) -> list[Complex]:
        """Corners of its parts, their holes filled.

        Returns
        -------
        list of ndarray, (P,), complex128
        """
        return [
            np.asarray(shapely.get_coordinates(part.exterior) @ np.array([1.0, 1j]))
            for part in shapely.get_parts(self.plain)
        ]

    @cached_property
    def squares(self) -> Squares:
        """Its parts, their holes filled, in squares."""
        x0, y0, x1, y1 = self.plain.bounds
        step = math.sqrt(max(self.plain.area / _SQUARES, (x1 - x0) * (y1 - y0) / _AT_MOST))
        x, y = np.meshgrid(np.arange(x0, x1, step) + step / 2, np.arange(y0, y1, step) + step / 2)
        # A little larger, so that nothing is lost between them.
        half = step / 2 * (1 + 1e-9)
        boxes = shapely.box(x - half, y - half, x + half, y + half)
        at, mm2 = [], []
        for part in shapely.get_parts(self.plain):
            area = shapely.area(shapely.intersection(boxes, sound(shapely.Polygon(part.exterior))))
            at.append((x + 1j * y)[area > 0])
            mm2.append(area[area > 0])
        return Squares(np.concatenate(at), np.concatenate(mm2), half)

    @cached_property
    def near(self) -> Near:
        """How far the points of its box are from it."""
        x0, y0, x1, y1 = self.plain.bounds
        step = max(x1 - x0, y1 - y0) / _DISTANCES
        x, y = np.meshgrid(np.arange(x0, x1 + step, step), np.arange(y0, y1 + step, step))
        shapely.prepare(self.plain)
        # Every point of the box is within half a diagonal of one of the grid.
        mm = shapely.distance(self.plain, shapely.points(x, y)) - step * math.sqrt(0.5)
        return Near(complex(x0, y0), step, np.maximum(mm, 0))

    def about(self, mm: float) -> shapely.Geometry:
        """The face grown by the half width of a key that would touch it."""
        if mm not in self._about:
            self._about[mm] = grown(self.area.simplify(0.05), max(0.0, mm), quad_segs=4)
            shapely.prepare(self._about[mm])
        return self._about[mm]


class Squares(NamedTuple):
    """A face in squares."""

    at: Complex  # their middles
    mm2: Float  # of the face in each
    half: float  # of their sides, mm


class Near(NamedTuple):
    """Distances from a face, by the nearest point of a grid over its box."""

    origin: complex
    step: float
    mm: Float  # (rows, columns); the least of any point that is nearest to it

    def squared(self, at: Complex) -> Float:
        """Squared distances of points from the face, mm2, or less.

        From a point outside the box of the face the way to its next point of the box and the way on from
        there make a right angle or a wider one: the box is convex and holds the face.

        Parameters
        ----------
        at : ndarray, complex128
            mm.
        """
        rows, columns = self.mm.shape
        x, y = (at.real - self.origin.real) / self.step, (at.imag - self.origin.imag) / self.step
        u, v = x.clip(0, columns - 1), y.clip(0, rows - 1)
        inside = self.mm[(v + 0.5).astype(np.int64), (u + 0.5).astype(np.int64)]
        return np.asarray(inside**2 + self.step**2 * ((x - u) ** 2 + (y - v) ** 2))


class Motions(NamedTuple):
    """Ways to lay one face on another: a turn about the origin, then a shift."""

    angles: Float  # degrees
    turns: Complex  # the same, of length 1
    shifts: Complex  # mm

    @staticmethod
    def of(angles: Float, shifts: Complex) -> Motions:
        """Motions by their angles, degrees.

        Parameters
        ----------
        angles : ndarray, (N,), float64
        shifts : ndarray, (N,), complex128
        """
        return Motions(angles, np.exp(1j * np.radians(angles)), shifts)

    def some(self, which: Bool | slice) -> Motions:
        """Those that are chosen.

        Parameters
        ----------
        which : ndarray, (N,), bool, or slice
        """
        return Motions(self.angles[which], self.turns[which], self.shifts[which])

    def moved(self, points: Complex) -> Complex:
        """Where each takes points.

        Parameters
        ----------
        points : ndarray, (P,), complex128

        Returns
        -------
        ndarray, (N, P), complex128
        """
        return np.asarray(points[None] * self.turns[:, None] + self.shifts[:, None])


def boxes_cover(a: Outline, b: Outline, motions: Motions) -> Float:
    """What the boxes of two faces have in common under each motion, mm2.

    Never less than the faces themselves.

    Returns
    -------
    ndarray, (N,), float64
    """
    x0, y0, x1, y1 = b.bounds
    corners = np.array([complex(x, y) for x in (x0, x1) for y in (y0, y1)])
    moved = motions.moved(corners)
    ax0, ay0, ax1, ay1 = a.bounds
    wide = np.minimum(moved.real.max(1), ax1) - np.maximum(moved.real.min(1), ax0)
    high = np.minimum(moved.imag.max(1), ay1) - np.maximum(moved.imag.min(1), ay0)
    return np.asarray(np.maximum(wide, 0) * np.maximum(high, 0))


def box_covers(outlines: tuple[Outline, Outline], e: complex, shift: complex) -> float:
    """`boxes_cover` of one motion: a turn of unit length, and a shift."""
    ax0, ay0, ax1, ay1 = outlines[0].bounds
    x0, y0, x1, y1 = outlines[1].bounds
    middle = complex(x0 + x1, y0 + y1) / 2 * e + shift
    wide, high = (
        abs(e.real) * (x1 - x0) + abs(e.imag) * (y1 - y0),
        abs(e.imag) * (x1 - x0) + abs(e.real) * (y1 - y0),
    )
    w = min(ax1, middle.real + wide / 2) - max(ax0, middle.real - wide / 2)
    h = min(ay1, middle.imag + high / 2) - max(ay0, middle.imag - high / 2)
    return w * h if w > 0 and h > 0 else 0.0


def may_cover(a: Outline, b: Outline, motions: Motions) -> Float:
    """What two faces can at most have in common under each motion, mm2: squares of `b` that reach `a`.

    Returns
    -------
    ndarray, (N,), float64
    """
    squares = b.squares
    # Nothing of the first face lies in a circle about the middle of a square. What is left of the square is
    # convex in the squared radius, so that a chord is more.
    square = squares.half**2
    left = np.interp(
        a.near.squared(motions.moved(squares.at)),
        (0.0, square, 2 * square),
        (4 * square, (4 - math.pi) * square, 0.0),
    )
    return np.asarray(np.minimum(left, squares.mm2).sum(1))


def common_of(a: Outline, b: Outline, motions: Motions) -> Float:
    """Area that two faces have in common under each motion, mm2.

    Holes of the second face are filled for this: they never make it cover more than half where it did not.

    Returns
    -------
    ndarray, (N,), float64
    """
    if len(motions.angles) == 0:
        return np.zeros(0)
    moved = []
    for ring in b.rings:
        w = motions.moved(ring)
        moved.append(shapely.polygons(np.stack([w.real, w.imag], -1)))
    try:
        shared = [shapely.area(shapely.intersection(a.plain, polygons)) for polygons in moved]
    except shapely.errors.GEOSException:
        shared = [[intersection(a.plain, polygon).area for polygon in polygons] for polygons in moved]
    return np.asarray(np.sum(shared, axis=0))
