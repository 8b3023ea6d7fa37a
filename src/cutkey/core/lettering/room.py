"""Room for writing on a face: the largest that goes in, as near to a place as it can be."""

from __future__ import annotations

import cv2
import numpy as np
import shapely
from shapely import affinity

from cutkey.core.geometry.graphic import rings_of
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.text import TextLook, text_area

FONT = "Barlow Bold"
#: Thinnest stroke of its capitals and figures as a share of their height, measured by opening.
STROKE = 0.14
#: A groove narrower than this times the nozzle closes, common practice, no source.
OPEN = 1.2
#: Material left behind writing on the back, mm.
FLOOR = 0.8
#: Material left around the writing, mm.
EDGE = 0.6


def least_height(nozzle: float) -> float:
    """Height of the smallest capitals whose strokes a nozzle leaves open, mm."""
    return OPEN * nozzle / STROKE


def writing_in(
    text: str, free: shapely.Geometry, side: int, height: float, least: float, aim: shapely.Point
) -> tuple[float, tuple[float, float], shapely.Geometry] | None:
    """Writing as one reads it looking at the face, as near to a place as there is room.

    Its height, place and outline.

    Parameters
    ----------
    text : str
    free : Polygon or MultiPolygon
        Where it may be, mm.
    side : int
        Below 0 the face is looked at as it is drawn; above, from behind, where right is left.
    height, least : float
        Of its capitals, mm: as wished, and the least.
    aim : Point
        It comes as near to this as there is room.
    """
    while height >= least - 1e-9:
        area = text_area(font_bytes(FONT), text, TextLook(height), 0.02)
        x0, y0, x1, y1 = area.bounds
        place = _room_for((x1 - x0) / 2, (y1 - y0) / 2, free, aim)
        if place is not None:
            # The far section is looked at from the other side of the plane, where right is left.
            flip = 1.0 if side < 0 else -1.0
            shift = (place[0] - flip * (x0 + x1) / 2, place[1] - (y0 + y1) / 2)
            placed = affinity.affine_transform(area, [flip, 0, 0, 1, *shift])
            return height, place, shapely.orient_polygons(placed)
        height = height * 0.85 if height * 0.85 >= least else (least if height > least * 1.001 else 0.0)
    return None


def _room_for(w: float, h: float, free: shapely.Geometry, aim: shapely.Point) -> tuple[float, float] | None:
    """Middle of a box of half measures w and h inside a region, as near to a place as it goes.

    Looked for in a picture, then proved.
    """
    if free.is_empty:
        return None
    left, low, right, high = free.bounds
    if right - left < 2 * w or high - low < 2 * h:
        return None
    px = max(0.2, (right - left) / 1000, (high - low) / 1000)
    mask = np.zeros((int((high - low) / px) + 3, int((right - left) / px) + 3), np.uint8)
    rings = [np.round(((r - (left, low)) / px + 1) * 16 - 8).astype(np.int32) for r in rings_of(free)]
    cv2.fillPoly(mask, rings, 255, cv2.LINE_8, 4)
    # One pixel less than the box, as pixels at the edge count when half filled; the exact test follows.
    kernel = np.ones((max(1, int(2 * h / px) - 1), max(1, int(2 * w / px) - 1)), np.uint8)
    found = np.argwhere(cv2.erode(mask, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=0))
    u, v = left + (found[:, 1] - 0.5) * px, low + (found[:, 0] - 0.5) * px
    u, v = np.clip(u, left + w, right - w), np.clip(v, low + h, high - h)
    order = np.argsort(np.hypot(u - aim.x, v - aim.y))[:: max(1, len(found) // 400)]
    shapely.prepare(free)
    for k in order.tolist():
        if free.covers(shapely.box(u[k] - w, v[k] - h, u[k] + w, v[k] + h).buffer(-1e-6)):
            return float(u[k]), float(v[k])
    return None
