"""Rings of regions as painter paths."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainterPath, QPolygonF

from cutkey.worker.shown import Rings

Map = Callable[[np.ndarray], np.ndarray]


def path_of(rings: Rings, place: Map | None = None) -> QPainterPath:
    """Closed path of all rings (even-odd), moved by `place` when given."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    points = place(rings.points) if place else rings.points
    for a, b in zip(rings.first[:-1].tolist(), rings.first[1:].tolist(), strict=True):
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in points[a:b].tolist()]))
        path.closeSubpath()
    return path
