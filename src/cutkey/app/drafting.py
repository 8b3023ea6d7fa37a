"""The drawing conventions of the open standards.

Dimensions (ISO 129), cutting planes and lines (ISO 128), hatching.
"""

from __future__ import annotations

import math
from functools import lru_cache

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPixmap, QTransform

from cutkey.app.theme import drawing_font, theme, writing_font


def dimension(
    painter: QPainter, a: QPointF, b: QPointF, text: str, colour: str = "ultramarine", lift: float = 0.0
) -> QRectF:
    """A dimension line between two places with arrowheads and its figure; gives the box of the figure.

    Parameters
    ----------
    lift : float
        Distance, px, of the line from the places, to the left of the way from a to b; extension lines are
        drawn.
    """
    length = math.hypot(b.x() - a.x(), b.y() - a.y())
    ux, uy = ((b.x() - a.x()) / length, (b.y() - a.y()) / length) if length > 1e-6 else (1.0, 0.0)
    normal = QPointF(uy * lift, -ux * lift)
    p, q = a + normal, b + normal
    painter.setPen(QPen(theme.colour(colour), 1.0))
    if abs(lift) > 1:
        over = QPointF(uy, -ux) * math.copysign(4, lift)
        painter.drawLine(a, p + over)
        painter.drawLine(b, q + over)
    painter.drawLine(p, q)
    size = 7.0
    inward = 1.0 if length > 30 else -1.0
    for tip, s in ((p, inward), (q, -inward)):
        for side in (1, -1):
            painter.drawLine(
                tip,
                QPointF(tip.x() + s * ux * size - side * uy * 2.2, tip.y() + s * uy * size + side * ux * 2.2),
            )
    painter.setFont(drawing_font(14, True))
    metrics = painter.fontMetrics()
    w, h = metrics.horizontalAdvance(text) + 8, metrics.height()
    middle = (p + q) * 0.5
    if length < w + 18:
        middle = q + QPointF(ux, uy) * (w / 2 + 8)
    box = QRectF(middle.x() - w / 2, middle.y() - h / 2, w, h)
    painter.fillRect(box, theme.colour("sheet", 225))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box


def chain_line(painter: QPainter, a: QPointF, b: QPointF, letter: str = "", strong: bool = False) -> None:
    """A cutting plane: long-dashed short-dashed line with heavy ends and its letter."""
    pen = QPen(theme.colour("madder"), 1.6 if strong else 1.1)
    pen.setDashPattern([10, 3, 2, 3])
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    painter.drawLine(a, b)
    length = math.hypot(b.x() - a.x(), b.y() - a.y())
    if length < 1:
        return
    u = (b - a) * (1 / length)
    painter.setPen(QPen(theme.colour("madder"), 3.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
    painter.drawLine(a, a + u * 12)
    painter.drawLine(b - u * 12, b)
    if letter:
        painter.setFont(drawing_font(17, True))
        for p in (a - u * 12, b + u * 12):
            painter.drawText(QRectF(p.x() - 12, p.y() - 12, 24, 24), Qt.AlignmentFlag.AlignCenter, letter)


def hatch(
    painter: QPainter, area: QPainterPath, colour: QColor, spacing: float = 7.0, angle: float = 45.0
) -> None:
    """A cut face: filled, with thin lines across."""
    ink = QColor(theme.colour("hatch"))
    if colour.lightnessF() < 0.35:
        ink = ink.lighter(150)
    ink.setAlpha(150)
    ratio = painter.device().devicePixelRatioF()
    brush = QBrush(_lines(ink.rgba(), max(2, round(spacing * abs(math.sin(math.radians(angle))) * ratio))))
    box = area.boundingRect()
    brush.setTransform(
        QTransform().translate(box.left(), box.bottom()).rotate(-angle).scale(1 / ratio, 1 / ratio)
    )
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.fillPath(area, colour)
    painter.fillPath(area, brush)
    painter.restore()


@lru_cache(maxsize=32)
def _lines(rgba: int, apart: int) -> QPixmap:
    """Thin lines so many px apart, as a tile: line by line under a clip takes ten times as long."""
    tile = QPixmap(16, apart)
    tile.fill(Qt.GlobalColor.transparent)
    painter = QPainter(tile)
    painter.fillRect(0, 0, 16, 1, QColor.fromRgba(rgba))
    painter.end()
    return tile


def note(
    painter: QPainter,
    p: QPointF,
    text: str,
    colour: str = "ink",
    anchor: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignCenter,
) -> QRectF:
    """A short text on the drawing, on a strip of paper."""
    painter.setFont(drawing_font(14, True))
    w, h = painter.fontMetrics().horizontalAdvance(text) + 10, painter.fontMetrics().height() + 2
    x = p.x() - w / 2
    if anchor == Qt.AlignmentFlag.AlignLeft:
        x = p.x()
    elif anchor == Qt.AlignmentFlag.AlignRight:
        x = p.x() - w
    box = QRectF(x, p.y() - h / 2, w, h)
    painter.fillRect(box, theme.colour("sheet", 225))
    painter.setPen(theme.colour(colour))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box


def empty_sheet(painter: QPainter, box: QRect, text: str) -> None:
    """A drawing with nothing on it yet: what to do first, in a dashed frame."""
    painter.fillRect(box, theme.colour("sheet"))
    frame = QRectF(box).adjusted(40, 40, -40, -40)
    painter.setPen(QPen(theme.colour("rule"), 1.2, Qt.PenStyle.DashLine))
    painter.drawRect(frame)
    painter.setFont(writing_font(17, bold=False))
    painter.setPen(theme.colour("soft"))
    painter.drawText(
        frame.adjusted(30, 0, -30, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text
    )
