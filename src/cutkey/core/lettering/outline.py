"""Outlines: curves flattened to rings, rings to areas by a fill rule, lines to areas by their stroke."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import shapely
from fontTools.pens.basePen import BasePen

from cutkey.core.errors import TooMuch
from cutkey.core.geometry.areas import sound, union
from cutkey.core.geometry.arrays import Float

#: More dashes in one stroke than this are a grey, not dashes.
MOST_DASHES = 20_000
#: An outline that crosses itself more often than this takes minutes to fill.
MOST_CROSSINGS = 3e6


class Line(NamedTuple):
    """A flattened subpath."""

    points: Float  # (N, 2), the first point not repeated
    closed: bool


class Stroke(NamedTuple):
    """How a line is drawn; lengths in the line's own units."""

    width: float
    cap: str = "butt"  # butt, round, square
    join: str = "miter"  # miter, round, bevel
    miter_limit: float = 4.0
    dashes: tuple[float, ...] = ()
    dash_offset: float = 0.0


class Flattener(BasePen):  # type: ignore[misc]  # of a package without types
    """A pen that flattens what is drawn with it to lines within a tolerance.

    `glyphs` are those that composite glyphs are made of.
    """

    def __init__(self, tolerance: float, glyphs: Mapping[str, Any] | None = None) -> None:
        super().__init__(glyphs)
        self.lines: list[Line] = []
        self._tolerance = tolerance
        self._points: list[tuple[float, float]] = []

    def _moveTo(self, pt: tuple[float, float]) -> None:
        self._finish(False)
        self._points = [pt]

    def _lineTo(self, pt: tuple[float, float]) -> None:
        self._points.append(pt)

    def _curveToOne(
        self, pt1: tuple[float, float], pt2: tuple[float, float], pt3: tuple[float, float]
    ) -> None:
        x0, y0 = self._points[-1]
        (x1, y1), (x2, y2), (x3, y3) = pt1, pt2, pt3
        d = max(
            math.hypot(x0 - 2 * x1 + x2, y0 - 2 * y1 + y2), math.hypot(x1 - 2 * x2 + x3, y1 - 2 * y2 + y3)
        )
        n = min(200, max(1, math.ceil(math.sqrt(0.75 * d / self._tolerance))))
        for k in range(1, n):
            t = k / n
            s = 1 - t
            a, b, c, e = s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t
            self._points.append((a * x0 + b * x1 + c * x2 + e * x3, a * y0 + b * y1 + c * y2 + e * y3))
        self._points.append(pt3)

    def _closePath(self) -> None:
        start = self._points[0] if self._points else None
        self._finish(True)
        # What follows without a move goes on from the start of the closed subpath.
        self._points = [start] if start else []

    def _endPath(self) -> None:
        self._finish(False)

    def _finish(self, closed: bool) -> None:
        p = np.array(self._points, float).reshape(-1, 2)
        self._points = []
        if len(p) == 0 or not np.isfinite(p).all():
            return
        keep = np.r_[True, (np.diff(p, axis=0) != 0).any(1)]
        moved = len(p) > 1
        p = p[keep]
        if closed and len(p) > 1 and (p[0] == p[-1]).all():
            p = p[:-1]
        if len(p) > 1 or moved or closed:
            self.lines.append(Line(p, closed))

    def finished(self) -> list[Line]:
        """All lines drawn so far."""
        self._finish(False)
        return self.lines


def filled(lines: Sequence[Line], rule: str = "nonzero") -> shapely.Geometry:
    """Area inside lines, open ones closed, by the rule "nonzero" or "evenodd" of SVG."""
    rings = [line.points for line in lines if len(line.points) >= 3]
    if not rings:
        return shapely.Polygon()
    if len(rings) == 1:
        one = shapely.Polygon(rings[0])
        if one.is_valid:
            return one
    if _crossings(rings) > MOST_CROSSINGS:
        raise TooMuch(
            "holds an outline that crosses itself millions of times; simplify it where it was drawn."
        )
    from manifold3d import CrossSection, FillRule

    # Centred and scaled, since the polygon library works on a fixed grid.
    everything = np.concatenate(rings)
    middle = (everything.min(0) + everything.max(0)) / 2
    scale = 1000 / max(float(np.ptp(everything, axis=0).max()), 1e-9)
    section = CrossSection(
        [(r - middle) * scale for r in rings], FillRule.EvenOdd if rule == "evenodd" else FillRule.NonZero
    )
    polygons = []
    for part in section.decompose():
        outline = sorted(
            (np.asarray(r, float) / scale + middle for r in part.to_polygons()), key=lambda r: -abs(_area(r))
        )
        if outline and len(outline[0]) >= 3:
            polygons.append(shapely.Polygon(outline[0], [r for r in outline[1:] if len(r) >= 3]))
    return (
        sound(shapely.multipolygons([p for p in polygons if p.area > 0])) if polygons else shapely.Polygon()
    )


def _crossings(rings: Sequence[Float]) -> float:
    """About how often outlines cross themselves and one another, told from some of their sides."""
    a = np.concatenate(rings)
    if len(a) < 4000:
        return 0.0
    b = np.concatenate([np.roll(r, -1, axis=0) for r in rings])
    e = b - a
    chosen = np.random.default_rng(0).choice(len(a), 200, replace=False)
    found = 0
    for k in chosen.tolist():
        p, d = a[k], e[k]
        begins, ends = (d[0] * (q[:, 1] - p[1]) - d[1] * (q[:, 0] - p[0]) for q in (a, b))
        here, there = (e[:, 0] * (q[1] - a[:, 1]) - e[:, 1] * (q[0] - a[:, 0]) for q in (p, p + d))
        found += int(((begins * ends < 0) & (here * there < 0)).sum())
    return found / len(chosen) * len(a) / 2


def _area(ring: Float) -> float:
    x, y = ring.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def stroked(lines: Sequence[Line], stroke: Stroke, tolerance: float) -> shapely.Geometry:
    """Area that a stroke covers, with the joins, caps and dashes of SVG.

    Parameters
    ----------
    lines : sequence of Line
    stroke : Stroke
    tolerance : float
        Largest distance between a round join or cap and its straight pieces.
    """
    r = stroke.width / 2
    if r <= 0:
        return shapely.Polygon()
    segments = max(
        2, math.ceil(math.pi / 4 / math.acos(max(0.0, 1 - min(1.0, tolerance / r)))) if tolerance < r else 2
    )
    caps = {"butt": "flat", "round": "round", "square": "square"}
    areas = []
    for line in dashed(lines, stroke):
        p = line.points
        if len(p) == 1:
            if stroke.cap == "round":
                areas.append(shapely.Point(p[0]).buffer(r, quad_segs=segments))
            elif stroke.cap == "square":
                areas.append(shapely.box(*(p[0] - r), *(p[0] + r)))
            continue
        path = shapely.LineString(np.concatenate([p, p[:1]]) if line.closed else p)
        cap = caps.get(stroke.cap, "flat")
        if stroke.join == "round":
            areas.append(path.buffer(r, quad_segs=segments, cap_style=cap, join_style="round"))
        elif stroke.join == "bevel":
            areas.append(path.buffer(r, quad_segs=segments, cap_style=cap, join_style="bevel"))
        else:
            areas += _mitred(path, line, stroke, cap, segments, tolerance)
    return sound(union(areas)) if areas else shapely.Polygon()


def _mitred(
    path: shapely.LineString, line: Line, stroke: Stroke, cap: str, segments: int, tolerance: float
) -> list[shapely.Geometry]:
    """Stroke with mitred joins.

    One that would exceed the limit is bevelled, as SVG 2 section 13.5.6 has it.
    """
    p, r, limit = line.points, stroke.width / 2, stroke.miter_limit
    before, after = (np.roll(p, 1, 0), np.roll(p, -1, 0)) if line.closed else (p[:-2], p[2:])
    at = p if line.closed else p[1:-1]
    if len(at) == 0:
        return [path.buffer(r, quad_segs=segments, cap_style=cap, join_style="mitre", mitre_limit=1e6)]
    u, v = at - before, after - at
    u, v = u / np.maximum(np.hypot(*u.T), 1e-12)[:, None], v / np.maximum(np.hypot(*v.T), 1e-12)[:, None]
    half = np.sqrt(np.clip((1 - (u * v).sum(1)) / 2, 0, 1))  # cosine of half the inner angle
    ratio = 1 / np.sqrt(np.maximum(1 - half**2, 1e-12))
    if (ratio <= limit).all():
        return [path.buffer(r, quad_segs=segments, cap_style=cap, join_style="mitre", mitre_limit=limit + 1)]
    areas = [path.buffer(r, quad_segs=segments, cap_style=cap, join_style="bevel")]
    turn = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    # Where a curve was flattened a bevel is as good.
    k = np.flatnonzero((ratio <= limit) & (np.abs(turn) > 1e-9) & (r * (ratio - 1 / ratio) > tolerance / 4))
    side = -np.sign(turn[k])[:, None]
    n1, n2 = (side * np.stack([-w[k, 1], w[k, 0]], 1) for w in (u, v))
    out = n1 + n2
    tips = at[k] + out * (r * ratio[k] / np.maximum(1e-12, np.hypot(*out.T)))[:, None]
    return [*areas, *shapely.polygons(np.stack([at[k], at[k] + n1 * r, tips, at[k] + n2 * r], 1))]


def too_fine(lines: Sequence[Line], stroke: Stroke) -> bool:
    """Whether a stroke's dashes are more than can be drawn."""
    total = sum(max(0.0, d) for d in stroke.dashes)
    length = sum(float(np.hypot(*np.diff(line.points, axis=0).T).sum()) for line in lines)
    return total > 0 and length / total * len(stroke.dashes) > MOST_DASHES


def dashed(lines: Sequence[Line], stroke: Stroke) -> list[Line]:
    """Lines cut into the dashes of a stroke, or the lines themselves when it has none."""
    pattern = [max(0.0, d) for d in stroke.dashes]
    if len(pattern) % 2:
        pattern *= 2
    total = sum(pattern)
    if total <= 0:
        return list(lines)
    out: list[Line] = []
    for line in lines:
        p = np.concatenate([line.points, line.points[:1]]) if line.closed else line.points
        run = np.r_[0, np.cumsum(np.hypot(*np.diff(p, axis=0).T))]
        at, k = -(stroke.dash_offset % total), 0
        while at < run[-1]:
            end = at + pattern[k % len(pattern)]
            if k % 2 == 0 and end > 0:
                a, b = max(at, 0.0), min(end, run[-1])
                inner = p[(run > a) & (run < b)]
                ends = np.stack([np.interp([a, b], run, p[:, d]) for d in (0, 1)], 1)
                out.append(Line(np.concatenate([ends[:1], inner, ends[1:]]) if b > a else ends[:1], False))
            at, k = end, k + 1
    return out
