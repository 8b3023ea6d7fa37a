"""Layers of a closed triangle mesh, without special cases.

A vertex counts as above a plane when it lies on it, so that none is ever on it: every cut triangle has one
edge by which the outline enters and one by which it leaves, and each cut edge is left once and entered once.
Outlines are the cycles of a permutation; nothing is matched by distance. Material lies left of a segment.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.rehearse.settings import Settings

#: Points of an outline that lie so near to a line that no printer tells are left out, mm.
_FINE = 0.003
#: Less than this is rounding, mm2.
OVER = 1e-3


class Cut(NamedTuple):
    """A layer of a body: closed outlines, counter-clockwise around material."""

    rings: list[Float]
    open_ends: int  # of outlines that do not close
    key: bytes  # equal for equal layers


class Filled(NamedTuple):
    """What outlines enclose, by the positive rule."""

    area: shapely.Geometry  # mm
    size: float  # mm2 of it, before fine points are left out
    over: float  # mm2 that are covered more than once: bodies share it, or one crosses itself
    inside_out: float  # mm2 that are turned inside out
    twice: shapely.Geometry  # where it is covered twice


def heights(low: float, high: float, settings: Settings) -> tuple[Float, Float]:
    """Middles and tops of the layers of a print, mm.

    Parameters
    ----------
    low, high : float
        Of the print, mm.
    settings : Settings

    Returns
    -------
    tuple of ndarray, (N,), float64
    """
    # A layer that the print does not reach half way up is none: nothing is in it.
    more = max(0, int(np.ceil((high - low - settings.first) / settings.layer - 0.5 - 1e-5)))
    tops = low + np.r_[settings.first, settings.first + settings.layer * np.arange(1, more + 1)]
    # Half way up: faces lie on the grid of layers, and a plane through a face belongs to either side.
    return tops - np.diff(np.r_[low, tops]) / 2, tops


class Slicer:
    """Cuts a mesh at rising heights; memory follows the layer, not the print.

    Parameters
    ----------
    vertices : ndarray, (N, 3), float64
        mm.
    triangles : ndarray, (T, 3), int64
        Counter-clockwise from outside.
    """

    def __init__(self, vertices: Float, triangles: Int) -> None:
        self._v = np.ascontiguousarray(vertices, float)
        self._t = np.ascontiguousarray(triangles, np.int64)
        z = self._v[:, 2][self._t]
        self._high = z.max(1)
        low = z.min(1)
        self._order = np.argsort(low, kind="stable")
        self._low = low[self._order]
        self.low, self.high = (float(low.min()), float(self._high.max())) if len(low) else (0.0, 0.0)

    def at(self, planes: Sequence[float]) -> Iterator[Cut]:
        """Cuts at heights, mm, which rise."""
        active = np.empty(0, np.int64)
        begun = 0
        last: Cut | None = None
        for z in planes:
            new = int(np.searchsorted(self._low, z, side="left"))
            active = np.concatenate([active, self._order[begun:new]])
            begun = new
            active = active[self._high[active] >= z]
            last = self._cut(active, z, last)
            yield last

    def segments(self, active: Int, z: float) -> tuple[Float, Int, Float, Int]:
        """Segments of the outline: where each begins, on which edge, where it ends, on which edge.

        Parameters
        ----------
        active : ndarray, (A,), int64
            Triangles that reach the plane.
        z : float
            Of the plane, mm.
        """
        t = self._t[active]
        above = self._v[:, 2][t] >= z
        count = above.sum(1)
        cut = (count == 1) | (count == 2)
        t, above, count = t[cut], above[cut], count[cut]
        odd = np.argmax(above == (count == 1)[:, None], axis=1)
        r = np.arange(len(t))
        a, b, c = t[r, odd], t[r, (odd + 1) % 3], t[r, (odd + 2) % 3]
        up = count == 1
        begin = np.stack([np.where(up, a, c), np.where(up, b, a)], 1)
        end = np.stack([np.where(up, c, a), np.where(up, a, b)], 1)
        return (*self._points(begin, z), *self._points(end, z))

    def _points(self, edges: Int, z: float) -> tuple[Float, Int]:
        # In the same order from both sides: the same point to the last bit.
        edges = np.sort(edges, axis=1)
        p, q = self._v[edges[:, 0]], self._v[edges[:, 1]]
        share = (z - p[:, 2]) / (q[:, 2] - p[:, 2])
        return p[:, :2] + share[:, None] * (q[:, :2] - p[:, :2]), edges[:, 0] * len(self._v) + edges[:, 1]

    def _cut(self, active: Int, z: float, last: Cut | None) -> Cut:
        begin, left, _, entered = self.segments(active, z)
        rings, ends = _rings(begin, left, entered)
        # Straight walls give the same outline layer after layer.
        key = b"".join(np.round(r, 6).tobytes() for r in rings)
        if last is not None and last.key == key and last.open_ends == ends:
            return last
        return Cut(rings, ends, key)


def filled(rings: Sequence[Float]) -> Filled:
    """What outlines enclose.

    Parameters
    ----------
    rings : sequence of ndarray, (N, 2), float64
        Counter-clockwise around material, clockwise around holes, mm.
    """
    signed = sum(_signed(r) for r in rings)
    whole = m3.CrossSection(list(rings), m3.FillRule.Positive)
    area = float(whole.area())
    if abs(signed - area) <= OVER:
        return Filled(_polygons(whole), area, 0.0, 0.0, shapely.Polygon())
    negative = float(m3.CrossSection(list(rings), m3.FillRule.Negative).area())
    # Covered twice is what counting by odd and even leaves out.
    odd = m3.CrossSection(list(rings), m3.FillRule.EvenOdd)
    return Filled(
        _polygons(whole), area, max(0.0, signed - area + negative), negative, _polygons(whole - odd)
    )


def _signed(ring: Float) -> float:
    p = ring - ring[0]
    return 0.5 * float((p[:-1, 0] * p[1:, 1] - p[:-1, 1] * p[1:, 0]).sum())


def _rings(begin: Float, left: Int, entered: Int) -> tuple[list[Float], int]:
    """Closed outlines, and the number of ends that lead nowhere."""
    n = len(left)
    if n == 0:
        return [], 0
    by_left, by_entered = np.argsort(left, kind="stable"), np.argsort(entered, kind="stable")
    if not np.array_equal(left[by_left], entered[by_entered]):
        return [], int(np.setxor1d(left, entered).size)
    following = np.empty(n, np.int64)
    following[by_entered] = by_left
    to, out = following.tolist(), []
    seen = bytearray(n)
    for first in range(n):
        if seen[first]:
            continue
        ring, k = [], first
        while not seen[k]:
            seen[k] = 1
            ring.append(k)
            k = to[k]
        if len(ring) > 2:
            out.append(begin[ring])
    return out, 0


def _polygons(section: m3.CrossSection) -> shapely.Geometry:
    """Areas with their holes."""
    parts = []
    for one in section.simplify(_FINE / 4).decompose():
        rings = [np.asarray(r, float) for r in one.to_polygons()]
        if not rings:
            continue
        outer = max(range(len(rings)), key=lambda k: abs(_signed(rings[k])))
        holes = [r for k, r in enumerate(rings) if k != outer]
        parts.append(shapely.Polygon(rings[outer], holes))
    if not parts:
        return shapely.Polygon()
    whole = shapely.MultiPolygon(parts) if len(parts) > 1 else parts[0]
    return coarser(whole, _FINE)


def coarser(area: shapely.Geometry, mm: float) -> shapely.Geometry:
    """An area without the points that lie nearer than this to its outline.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    mm : float
        How near.
    """
    # Ten times as fast as keeping watch over the topology, which hardly ever needs it.
    quick = shapely.simplify(area, mm, preserve_topology=False)
    if not quick.is_empty and shapely.is_valid(quick):
        return quick
    slow = shapely.simplify(area, mm)
    return slow if shapely.is_valid(slow) else shapely.make_valid(area)
