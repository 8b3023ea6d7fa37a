"""What the Place sheet draws on the stage beside its hands.

The cutting plane, rims of holes, outlines of what is moved.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPen

from cutkey.app.drafting import chain_line
from cutkey.app.hands.on_surface import on_surface
from cutkey.app.hands.things import Face
from cutkey.app.stage.stage import Stage
from cutkey.app.theme import theme
from cutkey.worker.shown import PlacedView


def paint_plane(
    painter: QPainter, stage: Stage, face: PlacedView, line: tuple[float, float, float], width: float
) -> None:
    """The line that the section of the depth strip is taken along; `width` of the graphic, mm."""
    half = np.hypot(*np.ptp(face.outline.points, axis=0)) / 2 * 0.8
    if face.grid is not None:
        half = min(half, 1.2 * width / 2 + 4)
    x, y, angle = line
    u = np.array([math.cos(math.radians(angle)), math.sin(math.radians(angle))])
    # Of a flat face the line goes right across; of a curved one, past the graphic.
    middle = np.array([x, y]) if face.grid is not None else np.array([x, y]) - u * (np.array([x, y]) @ u)
    ends = np.array([middle + u * s * half for s in (-1, 1)])
    a, b = (stage.to_widget(p) for p in on_surface(face, ends, 0.01))
    chain_line(painter, a, b, "A")


def paint_rims(painter: QPainter, stage: Stage, rims: Sequence[np.ndarray]) -> None:
    """Rims of holes, each ringed so that small ones are seen."""
    painter.setPen(QPen(theme.colour("madder"), 2.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for rim in rims:
        (line,) = stage.lines_on(np.concatenate([rim, rim[:1]]), [len(rim) + 1])
        painter.drawPolyline(line)
        box = line.boundingRect()
        if max(box.width(), box.height()) < 16:
            painter.drawEllipse(box.center(), 10, 10)


def paint_outlines(painter: QPainter, stage: Stage, face: Face, outlines: Sequence[np.ndarray]) -> None:
    """The outlines of what is moved where it will be, until the solid is there."""
    if not outlines:
        return
    painter.setPen(QPen(theme.colour("ultramarine"), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    # All at once: a drag must not wait for its own preview.
    places = on_surface(face, np.concatenate(outlines), 0.05)
    for line in stage.lines_on(places, [len(o) for o in outlines]):
        painter.drawPolyline(line)
