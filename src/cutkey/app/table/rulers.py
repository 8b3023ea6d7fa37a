"""The rulers of the light table."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from cutkey.app.theme import drawing_font, theme
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.app.table.light_table import LightTable

#: Breadth of a ruler, px.
RULER = 22


def paint_rulers(painter: QPainter, table: LightTable) -> None:
    """Rulers in mm along the upper and the left edge."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    w, h = table.width(), table.height()
    painter.fillRect(QRectF(0, 0, w, RULER), theme.colour("panel"))
    painter.fillRect(QRectF(0, 0, RULER, h), theme.colour("panel"))
    painter.setFont(drawing_font(11))
    a, b = table.to_mm(QPointF(RULER, RULER)), table.to_mm(QPointF(w, h))
    step = table.tick()
    for k in range(math.floor(a.x() / step * 5), math.ceil(b.x() / step * 5)):
        x = table.to_widget(k * step / 5, 0).x()
        if x >= RULER:
            painter.setPen(theme.colour("rule"))
            painter.drawLine(int(x), RULER - (9 if k % 5 == 0 else 4), int(x), RULER)
            if k % 5 == 0:
                painter.setPen(theme.colour("soft"))
                painter.drawText(
                    QRectF(x - 30, 0, 60, 13), Qt.AlignmentFlag.AlignCenter, format_mm(k * step / 5)
                )
    for k in range(math.floor(a.y() / step * 5), math.ceil(b.y() / step * 5)):
        y = table.to_widget(0, k * step / 5).y()
        if y >= RULER:
            painter.setPen(theme.colour("rule"))
            painter.drawLine(RULER - (9 if k % 5 == 0 else 4), int(y), RULER, int(y))
            if k % 5 == 0:
                painter.save()
                painter.translate(7, y)
                painter.rotate(-90)
                painter.setPen(theme.colour("soft"))
                painter.drawText(
                    QRectF(-30, -7, 60, 13), Qt.AlignmentFlag.AlignCenter, format_mm(-k * step / 5)
                )
                painter.restore()
    painter.fillRect(QRectF(0, 0, RULER, RULER), theme.colour("panel"))
    painter.setPen(theme.colour("soft"))
    painter.drawText(QRectF(0, 0, RULER, RULER), Qt.AlignmentFlag.AlignCenter, "mm")
    painter.setPen(theme.colour("rule"))
    painter.drawLine(0, RULER, w, RULER)
    painter.drawLine(RULER, 0, RULER, h)
