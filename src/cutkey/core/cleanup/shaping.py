"""Outlines of pieces made wider where they are narrow, rounder, smoother."""

from __future__ import annotations

import math

import numpy as np
import shapely

from cutkey.core.cleanup.thin import narrower
from cutkey.core.geometry.areas import difference, sound, union
from cutkey.core.geometry.arrays import Float
from cutkey.core.lettering.outline import Line, filled

#: Strokes taper: what is left narrow is grown again so often at most.
_ROUNDS = 4
#: What is grown by it differs from itself, mm.
_GRID = 1e-6


def widened(piece: shapely.Polygon, line: float) -> shapely.Geometry:
    """A piece whose narrow stretches are grown to a width; what is wide enough keeps its outline.

    Parameters
    ----------
    piece : Polygon
        mm.
    line : float
        The least width, mm.
    """
    out: shapely.Geometry = piece
    for _ in range(_ROUNDS):
        rest = narrower(out, line)
        if not rest:
            break
        more = []
        for part in rest:
            wide = 2 * float(shapely.maximum_inscribed_circle(part, tolerance=0.01).length)
            # A hair more, so that the next look finds it wide enough.
            more.append(shapely.buffer(part, max(0.0, line - wide) / 2 + 0.01, quad_segs=8))
        out = union([out, *more])
    return out


def rounded(piece: shapely.Polygon, radius: float) -> shapely.Geometry:
    """A piece with round corners, inner and outer; what is nowhere as wide as the rounding stays as it is.

    Parameters
    ----------
    piece : Polygon
        mm.
    radius : float
        mm.
    """
    opened = piece.buffer(-radius, quad_segs=32).buffer(radius, quad_segs=32)
    thin = sound(difference(piece, opened.buffer(_GRID)))
    kept = [
        g
        for g in shapely.get_parts(thin)
        if g.buffer(-0.45 * radius).is_empty and g.area > 0.5 * radius * radius
    ]
    body = union([opened, *kept]) if kept else opened
    return body.buffer(radius, quad_segs=32).buffer(-radius, quad_segs=32)


def smoothed(piece: shapely.Polygon, mm: float) -> shapely.Geometry:
    """A piece without the bumps that are shorter than a length.

    Parameters
    ----------
    piece : Polygon
        mm.
    mm : float
        The length.
    """
    from scipy.ndimage import gaussian_filter1d

    def ring(points: Float) -> Float:
        line = shapely.LinearRing(points)
        n = max(16, min(20000, math.ceil(line.length / (mm / 8))))
        even = shapely.get_coordinates(shapely.line_interpolate_point(line, np.arange(n) * line.length / n))
        return np.asarray(gaussian_filter1d(even, mm / 2 / (line.length / n), axis=0, mode="wrap"))

    rings = [ring(shapely.get_coordinates(r)[:-1]) for r in (piece.exterior, *piece.interiors)]
    return filled([Line(r, True) for r in rings], "evenodd")
