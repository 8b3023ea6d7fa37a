"""The frame of a drawing sheet (ISO 5457): a double border with the letters and numbers of the zones."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from cutkey.app.theme import drawing_font, theme

BORDER = 17
COLUMNS, ROWS = 6, 4


class SheetFrame(QFrame):
    """Holds the drawing."""

    def __init__(self, content: QWidget) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(BORDER, BORDER, BORDER, BORDER)
        layout.addWidget(content)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the border."""
        painter = QPainter(self)
        outer = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.fillRect(outer, theme.colour("sheet"))
        pen = painter.pen()
        pen.setColor(theme.colour("ink"))
        pen.setWidthF(1.6)
        painter.setPen(pen)
        painter.drawRect(outer)
        pen.setWidthF(1.0)
        pen.setColor(theme.colour("rule"))
        painter.setPen(pen)
        inner = QRectF(self.rect()).adjusted(BORDER - 1, BORDER - 1, -BORDER, -BORDER)
        painter.drawRect(inner)
        painter.setFont(drawing_font(11))
        for k in range(COLUMNS):
            x = inner.left() + inner.width() * k / COLUMNS
            w = inner.width() / COLUMNS
            for top in (outer.top(), inner.bottom()):
                painter.setPen(theme.colour("soft"))
                painter.drawText(QRectF(x, top, w, BORDER - 2), Qt.AlignmentFlag.AlignCenter, str(k + 1))
                painter.setPen(pen)
                if k:
                    painter.drawLine(int(x), int(top + 3), int(x), int(top + BORDER - 5))
        for k in range(ROWS):
            y = inner.top() + inner.height() * k / ROWS
            h = inner.height() / ROWS
            for left in (outer.left(), inner.right()):
                painter.setPen(theme.colour("soft"))
                painter.drawText(QRectF(left, y, BORDER - 2, h), Qt.AlignmentFlag.AlignCenter, chr(65 + k))
                painter.setPen(pen)
                if k:
                    painter.drawLine(int(left + 3), int(y), int(left + BORDER - 5), int(y))
