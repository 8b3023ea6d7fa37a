"""The brightness of the picture, below the light table."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPaintEvent, QPen

from cutkey.app.theme import theme
from cutkey.app.widgets.strip import Strip


class Histogram(Strip):
    """Brightness of the picture; thresholds are dragged here."""

    moved = Signal(float, bool)  # the only one
    all_moved = Signal(list)  # all of several

    def __init__(self) -> None:
        super().__init__(self.tr("Brightness"))
        self._counts: list[float] = []
        self._lines: list[float] = []
        self._held = -1
        self._hint = ""

    def show_counts(self, counts: list[int], lines: Sequence[float] | None, hint: str) -> None:
        """Show a histogram and the thresholds in use."""
        top = max(1.0, sorted(counts)[-4] if len(counts) > 4 else 1.0)
        self._counts = [min(1.25, c / top) for c in counts]
        if self._held < 0:
            self._lines = list(lines or ())
        self._hint = hint
        self.update()

    def _span(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 34, -8, -22)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the bars and the thresholds."""
        painter = self.begin(self.tr("Brightness"), self._hint)
        span = self._span()
        n = max(1, len(self._counts))
        for k, c in enumerate(self._counts):
            h = span.height() * c / 1.25
            w = span.width() / n
            grey = round(40 + 200 * (k + 0.5) / n)
            painter.fillRect(
                QRectF(span.left() + k * w, span.bottom() - h, w - 1, h),
                QColor(grey, grey, round(grey * 0.97)),
            )
        painter.setPen(theme.colour("rule"))
        painter.drawLine(span.bottomLeft(), span.bottomRight())
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            QRectF(span.left(), span.bottom() + 3, 80, 16), Qt.AlignmentFlag.AlignLeft, self.tr("black")
        )
        painter.drawText(
            QRectF(span.right() - 80, span.bottom() + 3, 80, 16),
            Qt.AlignmentFlag.AlignRight,
            self.tr("white"),
        )
        pen = QPen(theme.colour("madder"), 1.6)
        pen.setDashPattern([8, 3, 2, 3])
        painter.setPen(pen)
        for line in self._lines:
            x = span.left() + span.width() * line
            painter.drawLine(QPointF(x, span.top() - 8), QPointF(x, span.bottom()))
            painter.drawText(
                QRectF(x - 40, span.bottom() + 3, 80, 16), Qt.AlignmentFlag.AlignCenter, f"{line:.2f}"
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the nearest threshold."""
        if self._lines:
            share = self._share(event)
            self._held = min(range(len(self._lines)), key=lambda k: abs(self._lines[k] - share))
            self._pull(event, False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it."""
        self._pull(event, False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        self._pull(event, True)
        self._held = -1

    def _share(self, event: QMouseEvent) -> float:
        span = self._span()
        return round(min(0.99, max(0.01, (event.position().x() - span.left()) / max(1.0, span.width()))), 3)

    def _pull(self, event: QMouseEvent, done: bool) -> None:
        if self._held < 0:
            return
        self._lines[self._held] = self._share(event)
        self.update()
        if len(self._lines) == 1:
            self.moved.emit(self._lines[0], done)
        else:
            self.all_moved.emit(sorted(self._lines))
