"""The chosen layer in plan, at true scale, with the area of each filament."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen

from cutkey.app.drafting import hatch
from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.units import format_mm
from cutkey.worker.shown import LayerView


class LayerStrip(Strip):
    """What each filament prints of a layer, seen from above; gaps between colours are hatched."""

    def __init__(self) -> None:
        super().__init__(self.tr("The layer in plan"))
        self._view: LayerView | None = None
        self._paths: list[tuple[str, QPainterPath]] = []
        self._gaps = QPainterPath()

    @property
    def view(self) -> LayerView | None:
        """The layer that is shown."""
        return self._view

    def show_layer(self, view: LayerView | None) -> None:
        """Show a layer, or nothing."""
        self._view = view
        # Turned over, what was at the front lies at the back.
        side = (1, 1 if view is not None and view.face_down else -1)
        self._paths = [(a.colour, path_of(a.rings, lambda p: p * side)) for a in view.areas] if view else []
        self._gaps = path_of(view.gaps, lambda p: p * side) if view else QPainterPath()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the plan, and the list beside it."""
        v = self._view
        if v is None:
            self.begin(self.tr("Layer in plan")).end()
            return
        painter = self.begin(
            (
                self.tr("Layer {0} of {1} from the face, as the nozzle sees it")
                if v.face_down
                else self.tr("Layer {0} of {1}, seen from above")
            ).format(v.number, v.layers)
        )
        box = QRectF()
        for _, path in self._paths:
            box = box.united(path.boundingRect())
        room = QRectF(14, 32, max(60.0, self.width() - 250.0), self.height() - 44.0)
        if not box.isEmpty():
            scale = min(room.width() / box.width(), room.height() / box.height())
            painter.save()
            painter.translate(room.center())
            painter.scale(scale, scale)
            painter.translate(-box.center())
            pen = QPen(theme.colour("ink"), 0.8)
            pen.setCosmetic(True)
            for colour, path in self._paths:
                painter.setPen(pen)
                painter.setBrush(QColor(colour))
                painter.drawPath(path)
            painter.restore()
            if not self._gaps.isEmpty():
                painter.save()
                painter.translate(room.center() - box.center() * scale)
                painter.scale(scale, scale)
                hatch(painter, self._gaps, theme.colour("madder"))
                painter.restore()
        self._paint_list(painter, v, QPointF(self.width() - 226.0, 40.0))

    def _paint_list(self, painter: QPainter, v: LayerView, at: QPointF) -> None:
        painter.setFont(drawing_font(13))
        row = max(15.0, min(20.0, (self.height() - 52.0) / max(1, len(v.areas) + 1)))
        y = at.y()
        for a in v.areas:
            painter.setPen(QPen(theme.colour("ink"), 0.8))
            painter.setBrush(QColor(a.colour))
            painter.drawRect(QRectF(at.x(), y + 2, 11, 11))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(at.x() + 18, y, 120, 16), Qt.AlignmentFlag.AlignLeft, a.filament)
            painter.drawText(
                QRectF(at.x() + 118, y, 94, 16),
                Qt.AlignmentFlag.AlignRight,
                self.tr("{0} mm²").format(format_mm(a.area, 0)),
            )
            y += row
        gap = v.widest > 0
        painter.setPen(theme.colour("madder" if gap else "soft"))
        text = (
            self.tr("gap of {0} mm between colours").format(format_mm(v.widest, 2))
            if gap
            else self.tr("no gap between colours")
        )
        text = self.tr("one filament") if len(v.areas) < 2 else text if v.looked else ""
        painter.drawText(QRectF(at.x(), y + 2, 214, 16), Qt.AlignmentFlag.AlignLeft, text)
