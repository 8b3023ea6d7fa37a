"""The printed colours of a graphic, each by itself."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPaintEvent, QPen

from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.colour.filament import Filament
from cutkey.worker.shown import GraphicView


class ColourStrip(Strip):
    """Each printed colour of the picked graphic by itself, the others in outline: gaps would show here."""

    def __init__(self) -> None:
        super().__init__(self.tr("Colours one by one"))
        self._view: GraphicView | None = None
        self._printed: dict[str, Filament] = {}

    def show_graphic(self, view: GraphicView | None, printed: dict[str, Filament]) -> None:
        """Show a graphic in its filaments."""
        self._view, self._printed = view, printed
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw one small picture a filament."""
        painter = self.begin(self.tr("Each colour by itself"))
        if self._view is None:
            return
        names = list(dict.fromkeys(self._printed[c].name if c in self._printed else c for c, _ in self._view.regions))
        w, h = self._view.size
        side = min((self.width() - 24) / max(1, len(names)) - 12, (self.height() - 56) * max(1.0, w / h))
        scale = min(side / w, (self.height() - 58) / h)
        for k, name in enumerate(names):
            x = 14 + k * (side + 12)
            painter.save()
            painter.translate(x + side / 2, 30 + (self.height() - 58) / 2)
            painter.scale(scale, -scale)
            for colour, rings in self._view.regions:
                mine = (self._printed[colour].name if colour in self._printed else colour) == name
                pen = QPen(theme.colour("ink" if mine else "line"), 0.8)
                pen.setCosmetic(True)
                painter.setPen(pen)
                shown = self._printed[colour].colour if colour in self._printed else colour
                painter.setBrush(QColor(shown) if mine else Qt.BrushStyle.NoBrush)
                painter.drawPath(path_of(rings))
            painter.restore()
            painter.setFont(drawing_font(13))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(x, self.height() - 24, side, 16), Qt.AlignmentFlag.AlignCenter, name)
