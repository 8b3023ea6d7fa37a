"""Outlines of what is let into a face."""

from __future__ import annotations

import math

import shapely

#: Straight pieces of a quarter circle.
QUARTER = 24


def disc(diameter: float) -> shapely.Geometry:
    """A circle, circumscribed, so that what is to fit does fit."""
    return shapely.Point(0, 0).buffer(diameter / 2 / math.cos(math.pi / 4 / QUARTER), quad_segs=QUARTER)
