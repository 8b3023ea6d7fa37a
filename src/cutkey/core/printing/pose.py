"""How an outline lies on the printer's bed."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import shapely
from shapely import affinity

from cutkey.core.geometry.areas import difference
from cutkey.core.model.printer import SLACK, Printer


def bed_area(printer: Printer) -> shapely.Polygon:
    """The part of the bed that may be printed on, from the bed's lower left corner."""
    x, y, _ = printer.bed
    if printer.shape == "round":
        # The polygon lies around the circle by less than SLACK of its radius, so that what just fits is
        # taken.
        bed: shapely.Geometry = shapely.Point(x / 2, x / 2).buffer(x / 2 - printer.margin, quad_segs=256)
    else:
        bed = shapely.box(printer.margin, printer.margin, x - printer.margin, y - printer.margin)
    for px, py, w, d in printer.keep_out:
        bed = difference(bed, shapely.box(px, py, px + w, py + d))
    return bed


def takes(printer: Printer, size: tuple[float, float, float]) -> bool:
    """Whether a box of this size fits, turned as it must be."""
    if size[2] > printer.usable[2] + SLACK:
        return False
    return pose_on_bed(shapely.box(0, 0, size[0], size[1]), printer) is not None


def too_long(length: float, printer: Printer) -> bool:
    """Whether nothing of this length lies on the bed, turned as it may be."""
    ux, uy, _ = printer.usable
    return length > math.hypot(ux, uy if printer.shape != "round" else 0) + SLACK


class Pose(NamedTuple):
    """How an outline lies on the bed: turned by an angle about its own origin, then moved."""

    angle: float  # degrees
    x: float
    y: float


#: Angles tried, degrees; upright and square ones first, then as little turned as will do.
_ANGLES = np.array(
    [0.0, 90.0, *sorted((a for a in range(1, 180) if a != 90), key=lambda a: min(a, 180 - a, abs(a - 90)))]
)

_TURNS = np.exp(1j * np.radians(_ANGLES))
#: Directions in which an outline's farthest points are looked at first.
_FAN = np.stack([np.cos(np.radians(np.arange(0, 360, 30))), np.sin(np.radians(np.arange(0, 360, 30)))])


def pose_on_bed(outline: shapely.Geometry, printer: Printer) -> Pose | None:
    """A way to lay an outline on the bed at any angle, None when there is none.

    The bed is convex but for its keep-outs, so without these the convex hull decides, in whole degrees and at
    the angles of its own sides, which is exact for the narrowest lie.
    """
    around = outline.convex_hull
    if around.geom_type != "Polygon":
        return None
    hull = shapely.get_coordinates(around)[:-1]
    ux, uy, _ = printer.usable
    if printer.shape == "round":
        circle = shapely.minimum_bounding_circle(outline)
        radius = shapely.minimum_bounding_radius(outline)
        if radius > ux / 2 + SLACK:
            return None
        if not printer.keep_out:
            c = circle.centroid
            return Pose(0.0, printer.bed[0] / 2 - c.x, printer.bed[0] / 2 - c.y)
        uy = ux
    way = (np.roll(hull, -1, axis=0) - hull) @ np.array([1.0, 1j])
    way = way.conj() / np.maximum(np.abs(way), 1e-12)
    turns = np.concatenate([_TURNS, way, 1j * way])
    if np.ptp(hull, axis=0).max() < min(ux, uy) and not printer.keep_out:
        turns = turns[:1]
    # A few of its points rule out most angles.
    few = np.unique(np.argmax(hull @ _FAN, axis=0))
    points = hull @ np.array([1.0, 1j])
    turned = turns[:, None] * points[few]
    may = np.flatnonzero(
        (np.ptp(turned.real, axis=1) <= ux + SLACK) & (np.ptp(turned.imag, axis=1) <= uy + SLACK)
    )
    if len(may) == 0:
        return None
    angles = np.mod(np.degrees(np.angle(turns[may])), 180.0)
    turned = np.exp(1j * np.radians(angles))[:, None] * points
    x, y = turned.real, turned.imag
    w, h = np.ptp(x, axis=1), np.ptp(y, axis=1)
    for k in np.flatnonzero((w <= ux + SLACK) & (h <= uy + SLACK)).tolist():
        low = (printer.margin - x[k].min(), printer.margin - y[k].min())
        if not printer.keep_out and printer.shape != "round":
            return Pose(float(angles[k]), low[0] + max(0.0, ux - w[k]) / 2, low[1] + max(0.0, uy - h[k]) / 2)
        found = _beside_keep_outs(
            outline, printer, float(angles[k]), low, (max(0.0, ux - w[k]), max(0.0, uy - h[k]))
        )
        if found:
            return found
    return None


def _beside_keep_outs(
    outline: shapely.Geometry,
    printer: Printer,
    angle: float,
    low: tuple[float, float],
    free: tuple[float, float],
) -> Pose | None:
    """A place for a turned outline clear of the keep-outs: looked for on a grid of the freedom there is."""
    turned = turned_by(outline, angle)
    bed = bed_area(printer).buffer(SLACK * 10)
    shapely.prepare(bed)
    for fy in np.linspace(0, 1, 9 if free[1] > 0.1 else 1):
        for fx in np.linspace(0, 1, 9 if free[0] > 0.1 else 1):
            x, y = low[0] + fx * free[0], low[1] + fy * free[1]
            if bed.contains(affinity.translate(turned, x, y)):
                return Pose(angle, float(x), float(y))
    return None


def turned_by(outline: shapely.Geometry, angle: float) -> shapely.Geometry:
    """An outline turned about the origin by degrees."""
    turned: shapely.Geometry = affinity.rotate(outline, angle, origin=(0, 0))
    return turned
