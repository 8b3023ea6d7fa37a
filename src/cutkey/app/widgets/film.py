"""The film of the print.

A layer of a bed in plan, every line at its true width, and a slider through the layers.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.basics import button
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.told import Told
from cutkey.core.units import format_mm
from cutkey.worker.shown_film import FilmView, RehearsalView

#: Layers a second when it plays; how much a notch of the wheel enlarges.
RATE, _NOTCH = 12, 1.2
_HEAD, _FOOT, _ROOM = 40.0, 58.0, 12.0


class Drawn:
    """The paths of a layer, mm, y down."""

    def __init__(self, view: FilmView) -> None:
        self._line = view.line
        up = np.array([1.0, -1.0])
        self._paths = [
            (QColor(a.colour).lighter(112), path_of(a.rings, lambda p: p * up), True) for a in view.areas
        ]
        self._paths += [
            (QColor(colour), path_of(lines, lambda p: p * up), False) for colour, lines in view.lines
        ]
        pairs = (("ultramarine", view.hangs), ("madder", view.closed), ("madder", view.lost))
        self._marks = [(name, path_of(rings, lambda p: p * up)) for name, rings in pairs]

    def paint(self, painter: QPainter, scale: float) -> None:
        """Draw the layer from the origin of the painter, so many px a mm."""
        painter.scale(scale, scale)
        for colour, path, filled in self._paths:
            if filled:
                # What lies between the lines is seen through.
                soft = QColor(colour)
                soft.setAlpha(70)
                painter.fillPath(path, soft)
                continue
            pen = QPen(colour, self._line * 0.94)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        for name, path in self._marks:
            painter.setPen(QPen(theme.colour(name), max(self._line / 2, 2.5 / scale)))
            painter.setBrush(theme.colour(name))
            painter.drawPath(path)

    def picture(
        self, place: tuple[float, float], size: tuple[int, int], shows: float, ratio: float
    ) -> QPixmap:
        """A small picture about a place on the bed, so many mm wide."""
        out = QPixmap(round(size[0] * ratio), round(size[1] * ratio))
        out.setDevicePixelRatio(ratio)
        out.fill(theme.colour("sheet"))
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = size[0] / shows
        painter.translate(size[0] / 2 - place[0] * scale, size[1] / 2 + place[1] * scale)
        self.paint(painter, scale)
        painter.end()
        return out


class Film(QWidget):
    """One bed, one layer."""

    wanted = Signal(int, int)  # bed and layer, from 1
    staged = Signal(bool)  # whether the stage is to show the print too

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(self.tr("Film of the print"))
        self.setMinimumWidth(260)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(self.tr("Layer"))
        self.slider.setToolTip(
            self.tr(
                "Arrows go from layer to layer, Page up and down by ten; marks are layers in which something"
                " was found"
            )
        )
        self.slider.setRange(1, 1)
        self.slider.setPageStep(10)
        self.slider.valueChanged.connect(self._slid)
        self.play = button(self.tr("play"), "link", tip=self.tr("Print it, layer by layer"))
        self.play.clicked.connect(self._toggle)
        self.stage = QCheckBox(self.tr("on the stage"))
        self.stage.setToolTip(self.tr("The stage shows the bed printed so far, instead of the kit"))
        self.stage.toggled.connect(self.staged)
        foot = QHBoxLayout()
        foot.addWidget(self.play)
        foot.addWidget(self.slider, 1)
        foot.addWidget(self.stage)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 0, 12, 8)
        box.addStretch(1)
        box.addLayout(foot)
        self._timer = QTimer(self)
        self._timer.setInterval(1000 // RATE)
        self._timer.timeout.connect(self._next)
        self._printer = Printer()
        self.view: FilmView | None = None
        self.bed, self._found = 1, list[Told]()
        self._drawn: Drawn | None = None
        self._zoom, self._pan = 1.0, QPointF(0, 0)
        self._held: QPointF | None = None

    # -- content
    def show_rehearsal(self, found: RehearsalView | None, printer: Printer, keep_view: bool = False) -> None:
        """Take over what the print of a kit comes to.

        Parameters
        ----------
        found : RehearsalView or None
            None while it is not known.
        printer : Printer
        keep_view : bool
            The bed, the layer and what is looked at stay: the kit is one of the same job.
        """
        self._printer = printer
        if found is None and keep_view:
            self._found = []
            self.update()
            return
        if found is None:
            self._zoom, self._pan = 1.0, QPointF(0, 0)
            self.stage.setChecked(False)
            self.slider.blockSignals(True)
            self.slider.setRange(1, 1)
            self.slider.blockSignals(False)
        self._found = found.found if found is not None else []
        if found is None or self.bed > len(found.beds):
            self.bed = 1
        if found is not None:
            self._set_layers(found.beds[self.bed - 1].layers)
        self.update()

    def _set_layers(self, count: int) -> None:
        self.slider.blockSignals(True)
        top = self.slider.value() >= self.slider.maximum()
        self.slider.setRange(1, max(1, count))
        if top:
            self.slider.setValue(count)
        self.slider.blockSignals(False)

    @property
    def layer(self) -> int:
        """The layer that is shown, from 1."""
        return self.slider.value()

    def go_to(self, bed: int, layer: int, layers: int) -> None:
        """Show a layer of a bed."""
        self.bed = bed
        self._set_layers(layers)
        self.slider.blockSignals(True)
        self.slider.setValue(layer)
        self.slider.blockSignals(False)
        self.wanted.emit(self.bed, self.layer)

    def show_layer(self, view: FilmView | None) -> None:
        """Show a layer, or nothing."""
        self.view = view
        self._drawn = None
        if view is not None:
            self._set_layers(view.layers)
            self._drawn = Drawn(view)
        self.update()

    # -- playing
    def _toggle(self) -> None:
        if self._timer.isActive():
            self._stop()
            return
        if self.slider.value() >= self.slider.maximum():
            self.slider.setValue(1)
        self._timer.start()
        self.play.setText(self.tr("pause"))

    def _stop(self) -> None:
        self._timer.stop()
        self.play.setText(self.tr("play"))

    def _next(self) -> None:
        # Not faster than it is drawn.
        if self.view is not None and self.view.number != self.slider.value():
            return
        if self.slider.value() >= self.slider.maximum() or not self.isVisible():
            self._stop()
        else:
            self.slider.setValue(self.slider.value() + 1)

    def _slid(self, layer: int) -> None:
        self.wanted.emit(self.bed, layer)

    # -- looking
    def _scale(self) -> float:
        bx, by, _ = self._printer.bed
        return self._zoom * min((self.width() - 2 * _ROOM) / bx, (self.height() - _HEAD - _FOOT) / by)

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, _HEAD + (self.height() - _HEAD - _FOOT) / 2) + self._pan

    def at(self, x: float, y: float) -> QPointF:
        """Widget place of a place on the bed, mm from its lower left corner."""
        bx, by, _ = self._printer.bed
        return self._middle() + QPointF(x - bx / 2, by / 2 - y) * self._scale()

    def show_place(self, x: float, y: float) -> None:
        """Look at a place of the bed from near."""
        bx, by, _ = self._printer.bed
        self._zoom = 6.0
        self._pan = -QPointF(x - bx / 2, by / 2 - y) * self._scale()
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Larger or smaller about the mouse."""
        old = self._zoom
        self._zoom = min(60.0, max(1.0, old * _NOTCH ** (event.angleDelta().y() / 120)))
        from_middle = event.position() - self._middle()
        self._pan = QPointF(0, 0) if self._zoom == 1 else self._pan + from_middle * (1 - self._zoom / old)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the picture."""
        self._held = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it."""
        if self._held is not None:
            self._pan += event.position() - self._held
            self._held = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        self._held = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The whole bed again."""
        self._zoom, self._pan = 1.0, QPointF(0, 0)
        self.update()

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the bed, the lines, what is lost, and the marks of the slider."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        view = self.view
        painter.save()
        painter.setClipRect(QRectF(0, _HEAD, self.width(), self.height() - _HEAD - _FOOT))
        self._paint_bed(painter)
        if self._drawn is not None:
            painter.translate(self.at(0, 0))
            self._drawn.paint(painter, self._scale())
        painter.restore()
        painter.setPen(theme.colour("line"))
        painter.drawLine(0, 0, 0, self.height())
        painter.setFont(drawing_font(14, True))
        painter.setPen(theme.colour("ink"))
        head = QRectF(12, 9, self.width() - 24, 20)
        if view is None:
            painter.drawText(
                head, Qt.AlignmentFlag.AlignLeft, self.tr("The film of the print is made once there is a kit")
            )
            return
        names = ", ".join(a.filament for a in view.areas)
        title = self.tr("bed {0}: layer {1} of {2}, to {3} mm").format(
            view.bed, view.number, view.layers, format_mm(view.top, 2)
        )
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, title)
        painter.setFont(drawing_font(13))
        painter.setPen(theme.colour("soft"))
        painter.drawText(head, Qt.AlignmentFlag.AlignRight, names)
        self._paint_marks(painter)

    def _paint_bed(self, painter: QPainter) -> None:
        bx, by, _ = self._printer.bed
        box = QRectF(self.at(0, by), self.at(bx, 0))
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        painter.setBrush(theme.colour("field"))
        (painter.drawEllipse if self._printer.shape == "round" else painter.drawRect)(box)

    def marks(self) -> Sequence[Told]:
        """What was found on the bed that is shown."""
        return [t for t in self._found if t.bed == self.bed and t.finding.waits]

    def _paint_marks(self, painter: QPainter) -> None:
        """Layers in which something was found, over the slider."""
        groove = self.slider.geometry()
        span = max(1, self.slider.maximum() - 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("madder"))
        for t in self.marks():
            left = groove.left() + 7 + (groove.width() - 14) * (t.first - 1) / span
            right = groove.left() + 7 + (groove.width() - 14) * (t.last - 1) / span
            painter.drawRect(QRectF(left - 1.5, groove.top() - 6, max(3.0, right - left + 3), 4))
