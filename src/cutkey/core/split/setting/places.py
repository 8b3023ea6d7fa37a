"""Where on a face the axes of keys may lie, and which of these places are taken."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np
import shapely

from cutkey.core.geometry.areas import intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.keys.kind import Key

Spot = tuple[float, float]

#: One more key is set for each such stretch of a face, mm.
STRETCH = 140.0
#: Keys are not set nearer to one another than this times their room.
SPREAD = 1.25
#: Share of a broad face from its edge within which its keys stay: those near the middle find others whichever
#: way a face is turned.
CORNER = 0.22
_FINEST, _ACROSS = 0.25, 160
#: Outlines of slices are true to a little less than this, mm.
_NEAR = 0.02


def grid_in(room: shapely.Geometry) -> Float:
    """(N, 2) places on a grid inside a region, its own extremes among them.

    Parameters
    ----------
    room : Polygon or MultiPolygon
        mm.
    """
    if room.is_empty:
        return np.empty((0, 2))
    x0, y0, x1, y1 = room.bounds
    step = max(_FINEST, (x1 - x0) / _ACROSS, (y1 - y0) / _ACROSS)
    gx, gy = np.meshgrid(_steps(x0, x1, step), _steps(y0, y1, step))
    grid = np.c_[gx.ravel(), gy.ravel()]
    grid = grid[shapely.intersects_xy(room, grid[:, 0], grid[:, 1])]
    if len(grid) == 0:
        p = room.representative_point()
        grid = np.array([[p.x, p.y]])
    return np.asarray(grid)


def _steps(a: float, b: float, step: float) -> Float:
    return np.linspace(a, b, max(2, math.ceil((b - a) / step) + 1)) if b - a > 1e-9 else np.array([a])


def from_the_back(
    material: shapely.Geometry, free: shapely.Geometry, half: float, height: float, wall: float
) -> Float:
    """(N, 2) places for keys let in from the low edge of a face: right, and where the material begins there.

    All of the width and the walls beside it must be filled from that edge upwards, to the wall over the key.

    Parameters
    ----------
    material, free : Polygon or MultiPolygon
        All of the material, whose edge is the back, and what of it other keys have left, mm.
    half, height : float
        Half the width of the key, and how high it reaches, mm.
    """
    if material.is_empty:
        return np.empty((0, 2))
    x0, _, x1, _ = material.bounds
    reach = half + wall
    if x1 - x0 < 2 * reach:
        return np.empty((0, 2))
    xs, lows, _ = columns(material)
    us = _steps(x0 + reach, x1 - reach, max(0.5, (x1 - x0) / _ACROSS))
    first, last = np.searchsorted(xs, us - reach - 1e-9), np.searchsorted(xs, us + reach + 1e-9)
    begin = np.array([lows[a:b].max() if b > a else np.nan for a, b in zip(first, last, strict=True)])
    us, begin = us[~np.isnan(begin)], begin[~np.isnan(begin)]
    shapely.prepare(free)
    filled = shapely.covers(
        free,
        shapely.box(us - reach + _NEAR, begin + _NEAR, us + reach - _NEAR, begin + height + wall - _NEAR),
    )
    return np.asarray(np.c_[us, begin][filled])


def columns(material: shapely.Geometry, count: int = 400) -> tuple[Float, Float, Float]:
    """Where a region begins and ends at places along its width: right, low and high; (count,) each.

    Parameters
    ----------
    material : Polygon or MultiPolygon
        mm.
    count : int

    Returns
    -------
    tuple of ndarray, (count,), float64
        NaN where there is nothing.
    """
    x0, y0, x1, y1 = material.bounds
    xs = np.linspace(x0, x1, count)
    xs[0], xs[-1] = x0 + 1e-6 * (x1 - x0), x1 - 1e-6 * (x1 - x0)
    ends = np.stack([np.c_[xs, np.full(count, y0 - 1)], np.c_[xs, np.full(count, y1 + 1)]], 1)
    bounds = shapely.bounds(shapely.intersection(shapely.linestrings(ends), material))
    return xs, bounds[:, 1], bounds[:, 3]


def wanted(span: float, own: int) -> int:
    """How many keys a face of a span gets: two, and one more for every `STRETCH` mm.

    `own` when the maker said so.
    """
    return own or min(4, max(2, 1 + math.ceil(span / STRETCH)))


def spread(grid: Float, count: int, least: float) -> list[int]:
    """Numbers of places as far from one another as they can be.

    Parameters
    ----------
    count : int
        At most so many.
    least : float
        Least distance between two, mm.
    """
    if len(grid) == 0 or count == 0:
        return []
    centre = grid.mean(0)
    axis = np.linalg.svd(grid - centre, full_matrices=False)[2][0] if len(grid) > 1 else np.array([1.0, 0.0])
    along = (grid - centre) @ axis
    off = np.abs((grid - centre) @ np.array([-axis[1], axis[0]]))
    # Of the places at either end take the one nearest the middle line.
    end = along.min() + max(_FINEST, 0.01 * np.ptp(along))
    chosen = [int(np.argmin(np.where(along <= end, off, np.inf)))]
    distance = np.full(len(grid), np.inf)
    while len(chosen) < count:
        distance = np.minimum(distance, np.hypot(*(grid - grid[chosen[-1]]).T))
        best = int(np.argmax(distance - 0.2 * off))
        if distance[best] < least:
            break
        chosen.append(best)
    return chosen


def variants(grid: Float, base: list[int], step: float, most: int = 60) -> Iterator[list[int]]:
    """Other choices like a given one.

    The last key, the one before ... moved towards the middle of the others by more and more steps.

    Parameters
    ----------
    grid : ndarray, (N, 2), float64
        mm.
    base : list of int
        Numbers of places of the grid.
    step : float
        mm.
    most : int
        How many are given.
    """
    yield base
    if len(base) < 2:
        return
    for n in range(1, most):
        k = len(base) - 1 - (n - 1) % (len(base) - 1)
        others = grid[[b for i, b in enumerate(base) if i != k]]
        way = others.mean(0) - grid[base[k]]
        length = float(np.hypot(*way))
        shift = step * ((n - 1) // (len(base) - 1) + 1)
        if length < 1e-6 or shift > 0.6 * length:
            continue
        moved = int(np.argmin(np.hypot(*(grid - (grid[base[k]] + way * shift / length)).T)))
        if moved not in base:
            yield [moved if i == k else b for i, b in enumerate(base)]


def corners(grid: Float, count: int, step: float, chance: np.random.Generator) -> list[int]:
    """Places near the corners of a broad face, each moved inwards along both ways by some steps of its own.

    Parameters
    ----------
    count : int
        3 or 4 of the corners.
    step : float
        mm; places of two faces that differ by less are the same to their keys.
    """
    low, high = grid.min(0), grid.max(0)
    ends = np.array([(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])])
    inwards = np.sign((low + high) / 2 - ends)
    steps = np.maximum(1, (CORNER * (high - low) / step).astype(int))
    moved = ends + inwards * step * np.stack([chance.integers(0, n + 1, 4) for n in steps], 1)
    kept = np.roll(np.arange(4), int(chance.integers(4)))[:count]
    return list(dict.fromkeys(int(np.argmin(np.hypot(*(grid - moved[k]).T))) for k in kept))


def width_of(keys: Sequence[Key]) -> float:
    """Distance between the two keys farthest apart, mm."""
    return max((math.hypot(a.u - b.u, a.v - b.v) for a, b in combinations(keys, 2)), default=0.0)


def apart(keys: Sequence[Key], least: float) -> bool:
    """Whether all keys are so far from one another, nearly.

    The pockets of keys from the back go all the way down: beside one another they have to lie.
    """
    return all(
        math.hypot(a.u - b.u, 0.0 if a.form.of.from_back else a.v - b.v) >= 0.8 * least
        for a, b in combinations(keys, 2)
    )


def eroded(room: shapely.Geometry, w: float, h: float, angle: float) -> shapely.Geometry:
    """Places for the middle of a turned rectangle of half measures w and h inside a region.

    What its corners' shifts have in common.

    Parameters
    ----------
    room : Polygon or MultiPolygon
        mm.
    w, h : float
        Half its measures, mm.
    angle : float
        By which it is turned, degrees.
    """
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    inner = room.buffer(-min(w, h))
    reach = max(w, h) - min(w, h)
    along = (c, s) if w >= h else (-s, c)
    for t in np.linspace(-reach, reach, 9):
        inner = intersection(
            inner, shapely.transform(room.buffer(-min(w, h)), lambda p, t=t: p - t * np.array(along))
        )
    # The discs along the rectangle leave its corners out.
    for sx in (-1, 1):
        for sy in (-1, 1):
            corner = np.array([sx * w * c - sy * h * s, sx * w * s + sy * h * c])
            inner = intersection(inner, shapely.transform(room, lambda p, corner=corner: p - corner))
    return inner


def widest(area: shapely.Geometry) -> float:
    """How wide the largest piece of a face is where it is widest, mm."""
    largest = max((g for g in shapely.get_parts(area) if g.geom_type == "Polygon"), key=lambda g: g.area)
    return 2 * float(shapely.maximum_inscribed_circle(largest, tolerance=0.2).length)
