"""The brightness of the picture, below the light table."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPaintEvent, QPen

from cutkey.app.theme import theme
from cutkey.app.widgets.strip import Strip


class Histogram(Strip):
    """Brightness of the picture; in threshold mode the cut-off is dragged here."""

    cut_off = Signal(float, bool)

    def __init__(self) -> None:
        super().__init__(self.tr("Brightness"))
        self._counts: list[float] = []
        self._threshold: float | None = None
        self._hint = ""

    def show_counts(self, counts: list[int], threshold: float | None, hint: str) -> None:
        """Show a histogram and the cut-off in use."""
        top = max(1.0, sorted(counts)[-4] if len(counts) > 4 else 1.0)
        self._counts = [min(1.25, c / top) for c in counts]
        self._threshold, self._hint = threshold, hint
        self.update()

    def _span(self) -> QRectF:
        return QRectF(self.rect()).adjusted(18, 34, -18, -24)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the bars and the cut-off."""
        painter = self.begin(self.tr("Brightness"), self._hint)
        span = self._span()
        n = max(1, len(self._counts))
        for k, c in enumerate(self._counts):
            h = span.height() * c / 1.25
            w = span.width() / n
            grey = round(40 + 200 * (k + 0.5) / n)
            painter.fillRect(QRectF(span.left() + k * w, span.bottom() - h, w - 1, h), QColor(grey, grey, round(grey * 0.97)))
        painter.setPen(theme.colour("rule"))
        painter.drawLine(span.bottomLeft(), span.bottomRight())
        painter.drawText(QRectF(span.left(), span.bottom() + 3, 80, 16), Qt.AlignmentFlag.AlignLeft, self.tr("black"))
        painter.drawText(QRectF(span.right() - 80, span.bottom() + 3, 80, 16), Qt.AlignmentFlag.AlignRight, self.tr("white"))
        if self._threshold is not None:
            x = span.left() + span.width() * self._threshold
            pen = QPen(theme.colour("madder"), 1.6)
            pen.setDashPattern([8, 3, 2, 3])
            painter.setPen(pen)
            painter.drawLine(QPointF(x, span.top() - 8), QPointF(x, span.bottom()))
            painter.drawText(QRectF(x - 40, span.bottom() + 3, 80, 16), Qt.AlignmentFlag.AlignCenter, f"{self._threshold:.2f}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the cut-off."""
        self._pull(event, False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it."""
        self._pull(event, False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        self._pull(event, True)

    def _pull(self, event: QMouseEvent, done: bool) -> None:
        if self._threshold is not None:
            span = self._span()
            share = (event.position().x() - span.left()) / max(1.0, span.width())
            self.cut_off.emit(round(min(0.99, max(0.01, share)), 3), done)
