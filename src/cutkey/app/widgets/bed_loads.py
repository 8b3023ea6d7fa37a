"""Bed loads in plan: what is printed together, on which bed."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen

from cutkey.app.drafting import hatch
from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.kit.bed import Spot
from cutkey.core.model.printer import Printer
from cutkey.worker.shown import KitView, UnitView


class BedLoads(Strip):
    """One square a bed, the true outlines of the units on it."""

    bed_chosen = Signal(int)  # from 1

    def __init__(self) -> None:
        super().__init__(self.tr("Bed loads"))
        self.setToolTip(self.tr("Click a bed to see its film"))
        self._boxes: list[QRectF] = []
        self._kit: KitView | None = None
        self._printer = Printer()

    def show_kit(self, kit: KitView | None, printer: Printer) -> None:
        """Show the beds of a kit."""
        self._kit, self._printer = kit, printer
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the beds."""
        painter = self.begin(self.tr("Beds"), self._printer.name if self._kit else "")
        if self._kit is None:
            return
        loads = 1 + max((s.load for s in self._kit.spots), default=-1)
        bx, by, _ = self._printer.bed
        per_row = max(1, loads)
        side = min(self.height() - 58, (self.width() - 28) / per_row - 12)
        if side < 34:
            per_row = -(-loads // 2)
            side = min((self.height() - 62) / 2, (self.width() - 28) / per_row - 12)
        # A section that is too large is drawn whole, running over its bed.
        largest = max([bx, by, *(v + self._printer.margin for u in self._kit.units for v in u.size[:2])])
        scale = side / largest
        self._boxes = []
        for load in range(loads):
            x, y = 14 + (load % per_row) * (side + 12), 30 + (load // per_row) * (side + 16)
            self._paint_bed(painter, QRectF(x, y + (largest - by) * scale, bx * scale, by * scale), scale, load)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a bed."""
        for n, box in enumerate(self._boxes, 1):
            if box.contains(event.position()):
                self.bed_chosen.emit(n)

    def _paint_bed(self, painter: QPainter, box: QRectF, scale: float, load: int) -> None:
        assert self._kit is not None
        self._boxes.append(box)
        painter.setPen(QPen(theme.colour("ink"), 1.3))
        painter.setBrush(theme.colour("field"))
        m = self._printer.margin * scale
        draw = painter.drawEllipse if self._printer.shape == "round" else painter.drawRect
        draw(box)
        pen = QPen(theme.colour("line"), 1.0)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        draw(box.adjusted(m, m, -m, -m))
        for left, low, w, d in self._printer.keep_out:
            out = QPainterPath()
            out.addRect(QRectF(box.left() + left * scale, box.bottom() - (low + d) * scale, w * scale, d * scale))
            hatch(painter, out, theme.colour("madder_wash"), 5.0)
        for spot in self._kit.spots:
            if spot.load == load:
                self._paint_unit(painter, box, scale, self._kit.units[spot.unit], spot)
        painter.setFont(drawing_font(12))
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            QRectF(box.left(), box.bottom() + 1, box.width(), 15), Qt.AlignmentFlag.AlignCenter, self.tr("bed {0}").format(load + 1)
        )

    def _paint_unit(self, painter: QPainter, box: QRectF, scale: float, unit: UnitView, spot: Spot) -> None:
        c, s = math.cos(math.radians(spot.angle)), math.sin(math.radians(spot.angle))

        def place(p: np.ndarray) -> np.ndarray:
            q = p @ np.array([[c, s], [-s, c]]) + np.array([spot.x, spot.y])
            return np.stack([box.left() + q[:, 0] * scale, box.bottom() - q[:, 1] * scale], -1)

        path = path_of(unit.outline, place)
        too_large = not spot.fits
        body = QColor(unit.pieces[0][1].colour)
        painter.setPen(QPen(theme.colour("madder" if too_large else "ink"), 1.0))
        painter.setBrush(theme.colour("ultramarine") if unit.is_key else body)
        painter.drawPath(path)
        if not unit.is_key:
            painter.setFont(drawing_font(15, True))
            painter.setPen(theme.colour("madder") if too_large else QColor("#1E2A33" if body.lightnessF() > 0.4 else "#FBF9F4"))
            middle = path.boundingRect().center()
            painter.drawText(QRectF(middle.x() - 40, middle.y() - 12, 80, 24), Qt.AlignmentFlag.AlignCenter, unit.name)
