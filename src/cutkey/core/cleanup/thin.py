"""Necks and slits: places narrower than the nozzle can draw."""

from __future__ import annotations

from collections.abc import Sequence

import shapely

from cutkey.core.geometry.areas import coverage_union, difference
from cutkey.core.geometry.region import Region


def narrower(geometry: shapely.Geometry, width: float) -> list[shapely.Polygon]:
    """What a disc of a width cannot reach inside an area: its morphological opening's remainder.

    At corners, where the opening merely rounds, less than a square of that width is left, and does not count;
    a piece that the disc reaches nowhere does, however small.
    """
    radius = width / 2
    # Traced boundaries have far more points than the answer needs.
    geometry = geometry.simplify(width / 60)
    opened = geometry.buffer(-radius, quad_segs=8).buffer(radius * 1.02, quad_segs=8)
    rest = shapely.get_parts(difference(geometry, opened))
    parts = shapely.get_parts(geometry)
    small = parts[shapely.area(parts) <= width * width]
    whole = small[~shapely.intersects(small, opened)]
    return [*rest[shapely.area(rest) > width * width], *whole]


def necks(regions: Sequence[Region], width: float) -> list[shapely.Polygon]:
    """Parts of regions narrower than a width, mm."""
    return [p for r in regions for p in narrower(r.geometry, width)]


def slits(regions: Sequence[Region], width: float) -> list[shapely.Polygon]:
    """Empty gaps between and inside regions narrower than a width, mm."""
    whole = coverage_union([p for r in regions for p in shapely.get_parts(r.geometry)])
    radius = width / 2
    whole = whole.simplify(width / 60)
    closed = whole.buffer(radius, quad_segs=8).buffer(-radius * 1.02, quad_segs=8)
    rest = shapely.get_parts(difference(closed, whole))
    rest = rest[shapely.area(rest) > width * width]
    return list(rest)
