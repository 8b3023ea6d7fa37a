"""What the strips below the drawing share: a heading on paper."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from cutkey.app.theme import theme, writing_font


class Strip(QWidget):
    """A strip below the drawing."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)

    def begin(self, heading: str, right: str = "") -> QPainter:
        """A painter that has written the heading, and a note at the right end."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(writing_font(12))
        painter.setPen(theme.colour("soft"))
        line = QRectF(14, 8, self.width() - 28, 18)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft, heading)
        painter.drawText(line, Qt.AlignmentFlag.AlignRight, right)
        return painter
