"""Distances of a thing to the edges of its face: drawn as dimensions, and typed into."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QLineEdit, QWidget

from cutkey.app.drafting import dimension
from cutkey.core.errors import BadInput
from cutkey.core.units import format_mm, parse_number

Box = tuple[float, float, float, float]  # left, bottom, right, top, mm
ToWidget = Callable[[float, float], QPointF]
_WAYS = {"left": (1.0, 0.0), "right": (-1.0, 0.0), "below": (0.0, 1.0), "above": (0.0, -1.0)}


def distances_of(face: Box, thing: Box) -> dict[str, float]:
    """Distance of a thing's box to each edge of its face's box, mm."""
    return {
        "left": thing[0] - face[0],
        "right": face[2] - thing[2],
        "below": thing[1] - face[1],
        "above": face[3] - thing[3],
    }


class Dimensions:
    """Four figures on a drawing; a click opens one, `moved` takes how far the thing is to go."""

    def __init__(self, parent: QWidget, moved: Callable[[float, float], None]) -> None:
        self._moved = moved
        self._boxes: dict[str, QRectF] = {}
        self._distances: dict[str, float] = {}
        self._edited = ""
        self.editor = QLineEdit(parent)
        self.editor.hide()
        self.editor.editingFinished.connect(self._typed)

    def clear(self) -> None:
        """Nothing is drawn."""
        self._boxes = {}

    def box(self, name: str) -> QRectF:
        """Where a figure (left, right, above, below) stands."""
        return self._boxes.get(name, QRectF())

    def paint(self, painter: QPainter, face: Box, thing: Box, to_widget: ToWidget) -> None:
        """Draw them, and the size of the face."""
        d = self._distances = distances_of(face, thing)
        x, y = (thing[0] + thing[2]) / 2, (thing[1] + thing[3]) / 2
        lines = {
            "left": ((thing[0], y), (face[0], y)),
            "right": ((thing[2], y), (face[2], y)),
            "below": ((x, thing[1]), (x, face[1])),
            "above": ((x, thing[3]), (x, face[3])),
        }
        self._boxes = {}
        for name, (a, b) in lines.items():
            colour = "ultramarine" if d[name] >= 0 else "madder"
            self._boxes[name] = dimension(
                painter, to_widget(*a), to_widget(*b), format_mm(d[name], 2), colour
            )
        corner = to_widget(face[0], face[3])
        dimension(painter, corner, to_widget(face[2], face[3]), format_mm(face[2] - face[0], 2), "ink", 44)
        dimension(painter, to_widget(face[0], face[1]), corner, format_mm(face[3] - face[1], 2), "ink", 74)

    def open_at(self, p: QPointF) -> bool:
        """Type into the figure at a place; False when there is none."""
        name = next((n for n, box in self._boxes.items() if box.adjusted(-3, -3, 3, 3).contains(p)), "")
        if not name:
            return False
        self._edited = name
        self.editor.setGeometry(self._boxes[name].adjusted(-14, -4, 14, 4).toRect())
        self.editor.setText(format_mm(self._distances[name], 2))
        self.editor.setAccessibleName(self.editor.tr("Distance {0}").format(name))
        self.editor.selectAll()
        self.editor.show()
        self.editor.setFocus()
        return True

    def _typed(self) -> None:
        name, self._edited = self._edited, ""
        self.editor.hide()
        if not name:
            return
        try:
            change = parse_number(self.editor.text()) - self._distances[name]
        except BadInput:
            return
        if not math.isclose(change, 0, abs_tol=5e-3):
            x, y = _WAYS[name]
            self._moved(change * x, change * y)
