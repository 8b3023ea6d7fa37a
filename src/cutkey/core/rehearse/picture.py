"""A layer as a picture: filaments in their colours, what is lost and what hangs marked."""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np
import shapely

from cutkey.core.colour.difference import rgb_of
from cutkey.core.rehearse.laying import Layer

#: Side of the picture at most, px, and room around, mm.
SIDE, ROOM = 1400, 3.0
_PAPER, _LOST, _HANGS = (251, 249, 244), (178, 24, 60), (43, 79, 184)


def picture_of(
    layer: Layer, colours: Mapping[str, str], box: tuple[float, float, float, float], dot: float
) -> np.ndarray:
    """A layer from above, (H, W, 3) RGB: madder is what no line draws, ultramarine what nothing carries.

    Parameters
    ----------
    layer : Layer
    colours : mapping of str to str
        Of filaments, "#rrggbb".
    box : tuple of float
        What is shown, mm: left, low, right, high.
    dot : float
        What is smaller, mm2, is the tip of a sharp corner.
    """
    x0, y0, x1, y1 = box[0] - ROOM, box[1] - ROOM, box[2] + ROOM, box[3] + ROOM
    scale = min(20.0, SIDE / max(x1 - x0, y1 - y0))
    out = np.full((max(1, round((y1 - y0) * scale)), max(1, round((x1 - x0) * scale)), 3), _PAPER, np.uint8)

    def paint(area: shapely.Geometry, rgb: tuple[int, int, int]) -> None:
        rings = [
            np.round((shapely.get_coordinates(r) - (x0, y1)) * (16 * scale, -16 * scale)).astype(np.int32)
            for r in shapely.get_rings(shapely.get_parts(area))
        ]
        if rings:
            cv2.fillPoly(out, rings, rgb, cv2.LINE_AA, 4)

    for name, area in layer.areas.items():
        r, g, b = rgb_of(colours.get(name) or "#888888")
        paint(area, (r, g, b))
    for hanging in layer.hanging:
        paint(hanging.area, _HANGS)
    for narrow in [n for some in (*layer.lost.values(), layer.closed) for n in some if n.area.area > dot]:
        # Thinner than a pixel it would not be seen.
        paint(shapely.buffer(narrow.area, 0.8 / scale), _LOST)
    return out
