"""The wipe bar between picture and trace, what is written beside it, and the grid under both."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QCoreApplication, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from cutkey.app.theme import theme, writing_font

if TYPE_CHECKING:
    from cutkey.app.table.light_table import LightTable


def _tr(text: str) -> str:
    return QCoreApplication.translate("LightTable", text)


def paint_grid(painter: QPainter, table: LightTable, area: QRectF) -> None:
    """Lines at the numbers of the rulers."""
    step = table.tick()
    painter.setPen(theme.colour("line", 110))
    a, b = table.to_mm(area.topLeft()), table.to_mm(area.bottomRight())
    for x in np.arange(math.ceil(a.x() / step) * step, b.x(), step):
        painter.drawLine(table.to_widget(x, a.y()), table.to_widget(x, b.y()))
    for y in np.arange(math.ceil(a.y() / step) * step, b.y(), step):
        painter.drawLine(table.to_widget(a.x(), y), table.to_widget(b.x(), y))


def paint_labels(
    painter: QPainter, area: QRectF, split: float, picture: bool, prompt: str, draft: bool
) -> None:
    """What lies on either side of the wipe bar, and what the tool in hand asks for."""
    painter.setFont(writing_font(12))

    def tag(x: float, text: str, right: bool) -> None:
        w = painter.fontMetrics().horizontalAdvance(text) + 14
        box = QRectF(x - w if right else x, area.top() + 8, w, 20)
        painter.setPen(theme.colour("line"))
        painter.setBrush(theme.colour("sheet", 225))
        painter.drawRect(box)
        painter.setPen(theme.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    text = _tr("{0}; Esc lays the tool down").format(prompt) if prompt else ""
    wide = painter.fontMetrics().horizontalAdvance(text) + 18
    # Where the table is narrow what is asked for comes first.
    if picture and split > area.left() + 70 and (not text or wide < area.width() - 150):
        tag(area.left() + 8, _tr("picture"), False)
    if split < area.right() - 60:
        tag(area.right() - 8, _tr("draft, still tracing") if draft else _tr("trace"), True)
    if text:
        tag(area.center().x() + wide / 2, text, True)


def paint_wipe(painter: QPainter, area: QRectF, split: float) -> None:
    """The bar between picture and trace."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("madder"), 1.6))
    painter.drawLine(QPointF(split, area.top()), QPointF(split, area.bottom()))
    knob = QPointF(split, area.center().y())
    painter.setBrush(theme.colour("sheet"))
    painter.drawEllipse(knob, 11, 11)
    for s in (-1, 1):
        tip = QPointF(split + s * 7, knob.y())
        painter.drawLine(tip, tip + QPointF(-s * 3.5, -3.5))
        painter.drawLine(tip, tip + QPointF(-s * 3.5, 3.5))
