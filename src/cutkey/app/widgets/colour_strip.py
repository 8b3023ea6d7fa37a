"""The printed colours of a graphic, each by itself."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainterPath, QPaintEvent, QPen

from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.model.filament import Filament
from cutkey.worker.shown import GraphicView, Rings

#: Points of a ring that are drawn.
MOST = 120


class ColourStrip(Strip):
    """Each printed colour of the picked graphic by itself, the others in outline: gaps would show here."""

    def __init__(self) -> None:
        super().__init__(self.tr("Colours one by one"))
        self._view: GraphicView | None = None
        self._printed: dict[str, Filament] = {}
        self._paths: list[tuple[str, QPainterPath]] = []

    def show_graphic(self, view: GraphicView | None, printed: dict[str, Filament]) -> None:
        """Show a graphic in its filaments."""
        if view is not self._view:
            # Seen a finger wide: as many points as that needs.
            self._paths = [(c, path_of(_thinned(r))) for c, r in view.regions] if view is not None else []
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
            for colour, path in self._paths:
                mine = (self._printed[colour].name if colour in self._printed else colour) == name
                pen = QPen(theme.colour("ink" if mine else "line"), 0.8)
                pen.setCosmetic(True)
                painter.setPen(pen)
                shown = self._printed[colour].colour if colour in self._printed else colour
                painter.setBrush(QColor(shown) if mine else Qt.BrushStyle.NoBrush)
                painter.drawPath(path)
            painter.restore()
            painter.setFont(drawing_font(13))
            painter.setPen(theme.colour("soft"))
            painter.drawText(QRectF(x, self.height() - 24, side, 16), Qt.AlignmentFlag.AlignCenter, name)


def _thinned(rings: Rings) -> Rings:
    """Rings of no more points than a small picture shows."""
    thin = [r[:: max(1, len(r) // MOST)] for r in rings.rings()]
    first = np.r_[0, np.cumsum([len(r) for r in thin])].astype(np.int32)
    return Rings(np.concatenate(thin) if thin else np.zeros((0, 2)), first)
