"""A joint's dowels along its cut."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from cutkey.app.drafting import chain_line, dimension
from cutkey.app.theme import drawing_font, theme
from cutkey.core.split.dowels import Joint
from cutkey.core.split.settings import AXES
from cutkey.core.units import format_mm


class JointSketch(QWidget):
    """Where the dowels of a joint sit, along the cut."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(96)
        self._joint: Joint | None = None
        self._diameter = 4.0

    def show_joint(self, joint: Joint | None, diameter: float) -> None:
        """Show a joint."""
        self._joint, self._diameter = joint, diameter
        self.setVisible(joint is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the places and the distances between them."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("field"))
        painter.setPen(theme.colour("line"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self._joint is None:
            return
        k = AXES.index(self._joint.cut.axis)
        flat = np.array([[c for n, c in enumerate(p) if n != k] for p in self._joint.centres]).reshape(-1, 2)
        painter.setFont(drawing_font(12))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(8, 4, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, self.tr("dowels along the cut, mm"))
        if len(flat) == 0:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.tr("no dowel"))
            return
        main = int(np.argmax(np.ptp(flat, axis=0))) if len(flat) > 1 else 0
        along = np.sort(flat[:, main])
        span = max(1.0, along[-1] - along[0])
        scale = (self.width() - 70) / span
        xs = [35 + (a - along[0]) * scale for a in along.tolist()]
        y = 42.0
        chain_line(painter, QPointF(12, y), QPointF(self.width() - 12, y))
        r = max(5.0, min(10.0, self._diameter * scale / 2))
        for x in xs:
            painter.setPen(QPen(theme.colour("ultramarine"), 1.6))
            painter.setBrush(theme.colour("ultramarine_wash"))
            painter.drawEllipse(QPointF(x, y), r, r)
        for (x0, a), (x1, b) in zip(zip(xs, along.tolist(), strict=True), zip(xs[1:], along[1:].tolist(), strict=True), strict=False):
            dimension(painter, QPointF(x0, 74), QPointF(x1, 74), format_mm(b - a, 1))
