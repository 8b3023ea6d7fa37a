"""The layer ladder: which colours there are at which height, against the layers."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from cutkey.app.theme import drawing_font, theme
from cutkey.core.units import format_mm
from cutkey.worker.shown import KitView

#: Colour bands are this wide at most, px.
BAND = 15.0


class LayerLadder(QWidget):
    """A Z ruler with one band a colour."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(190)
        self.setAccessibleName(self.tr("Layer ladder"))
        self._bands: list[tuple[str, float, float]] = []
        self._low, self._high, self._layer = 0.0, 1.0, 0.2

    def show_bands(self, kit: KitView | None, layer: float) -> None:
        """Show the colours of a kit."""
        self._bands = kit.bands if kit else []
        if kit:
            self._low, self._high = kit.low[2], kit.high[2]
        self._layer = layer
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the ruler, the bands and the heights at which a colour begins or ends."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        painter.setPen(theme.colour("line"))
        painter.drawLine(0, 0, 0, self.height())
        if not self._bands:
            return
        high, layer = self._high - self._low, self._layer
        top, bottom, x = 48.0, self.height() - 26.0, 84.0
        scale = (bottom - top) / max(layer, high)
        count = max(1, round(high / layer))
        painter.setFont(drawing_font(14, True))
        painter.setPen(theme.colour("ink"))
        title = self.tr("{0} layers of {1} mm").format(count, format_mm(layer))
        painter.drawText(QRectF(12, 10, self.width() - 20, 20), Qt.AlignmentFlag.AlignLeft, title)
        painter.setPen(QPen(theme.colour("rule"), 0.8))
        every = next(n for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if layer * scale * n >= 5 or n == 5000)
        for n in range(0, count + 1, every):
            y = bottom - n * layer * scale
            painter.drawLine(QPointF(x - 12 - (4 if n % (5 * every) == 0 else 0), y), QPointF(x - 6, y))
        width = min(BAND, (self.width() - x - 8) / len(self._bands))
        for k, (colour, z0, z1) in enumerate(self._bands):
            painter.setPen(QPen(theme.colour("ink"), 1.0))
            painter.setBrush(QColor(colour))
            painter.drawRect(QRectF(x + k * width, bottom - (z1 - self._low) * scale, width - 2, (z1 - z0) * scale))
        painter.setFont(drawing_font(13, True))
        last = 1e9
        for z in sorted({round(z - self._low, 3) for _, z0, z1 in self._bands for z in (z0, z1)}):
            y = bottom - z * scale
            if last - y < 13:
                continue
            last = y
            painter.setPen(theme.colour("madder"))
            painter.drawLine(QPointF(x - 18, y), QPointF(x - 2, y))
            text = self.tr("{0} mm").format(format_mm(z))
            painter.drawText(QRectF(6, y - 9, x - 28, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
