"""The layer ladder: a ruler of layers with the bands of colour.

The changes are its rungs, a cursor is on the layer that is looked at.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from cutkey.app.theme import drawing_font, theme
from cutkey.core.model.colouring import Stripe
from cutkey.core.model.printer import Printer
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import KitView

#: Colour bands are this wide at most, px; so near, px, a rung is under the mouse.
BAND, _NEAR = 15.0, 6.0


class LayerLadder(QWidget):
    """A Z ruler: one band a colour, or, by height, one that changes at rungs."""

    layer_chosen = Signal(int)  # from 1
    # number of the change, layer after which it comes, whether it was let go
    rung_dragged = Signal(int, int, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(190)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(self.tr("Layer ladder"))
        self.setToolTip(
            self.tr(
                "Click a layer to see it; arrows go up and down, Page up and down by ten. Drag a change to"
                " another layer."
            )
        )
        self._bands: list[tuple[str, float, float]] = []
        self._low, self._high, self._printer = 0.0, 0.0, Printer()
        self._stripes: tuple[Stripe, ...] = ()
        self._colours: dict[str, str] = {}
        self.layer = 0  # that is looked at, 0 for none
        self.rung: int | None = None  # picked
        self._drag = ""

    # -- content
    def show_bands(self, kit: KitView | None, printer: Printer) -> None:
        """Show the colours of a kit."""
        self._bands = kit.bands if kit else []
        self._low, self._high = (kit.low[2], kit.high[2]) if kit else (0.0, 0.0)
        self._printer = printer
        self.show_stripes(kit.heights.stripes if kit and kit.heights else ())
        self.layer = min(self.layer, self.layers)
        self.update()

    def show_stripes(self, stripes: tuple[Stripe, ...], colours: dict[str, str] | None = None) -> None:
        """Show a plan by height."""
        self._stripes = stripes
        if colours is not None:
            self._colours = colours
        if self.rung is not None and self.rung >= len(stripes) - 1:
            self.rung = None
        self.update()

    def show_layer(self, layer: int) -> None:
        """Put the cursor on a layer; 0 takes it away."""
        self.layer = layer
        self.update()

    @property
    def first(self) -> float:
        """Thickness of the first layer, mm."""
        return self._printer.first_layer or self._printer.layer

    @property
    def layers(self) -> int:
        """How many there are."""
        high = max(self._high - self._low, self._stripes[-1].high if self._stripes else 0.0)
        return max(1, 1 + round((high - self.first) / self._printer.layer)) if high > 0 else 0

    def top_of(self, layer: int) -> float:
        """Height of the top of a layer above the bed, mm; 0 is the bed."""
        return 0.0 if layer <= 0 else self.first + (layer - 1) * self._printer.layer

    def layer_at(self, y: float) -> int:
        """The layer at a place of the widget, px."""
        z = (self._frame()[1] - y) / self._scale()
        return int(
            min(
                self.layers,
                max(1, 1 + (z > self.first) + max(0.0, z - self.first - 1e-9) // self._printer.layer),
            )
        )

    # -- geometry
    def _frame(self) -> tuple[float, float]:
        """Top and bottom of the ruler, px."""
        return 62.0, self.height() - 26.0

    def _scale(self) -> float:
        top, bottom = self._frame()
        return (bottom - top) / max(self._printer.layer, self.top_of(self.layers))

    def y_of(self, z: float) -> float:
        """Place of a height above the bed, px."""
        return self._frame()[1] - z * self._scale()

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the ruler, the bands, the changes and the cursor."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        painter.setPen(theme.colour("line"))
        painter.drawLine(0, 0, 0, self.height())
        if not self._bands:
            return
        x = 84.0
        painter.setFont(drawing_font(14, True))
        painter.setPen(theme.colour("ink"))
        title = self.tr("{0} layers of {1} mm").format(self.layers, format_mm(self._printer.layer))
        painter.drawText(QRectF(12, 10, self.width() - 20, 20), Qt.AlignmentFlag.AlignLeft, title)
        self._paint_ruler(painter, x)
        if self._stripes:
            self._paint_stripes(painter, x)
        else:
            self._paint_bands(painter, x)
        self._paint_cursor(painter)

    def _paint_ruler(self, painter: QPainter, x: float) -> None:
        painter.setPen(QPen(theme.colour("rule"), 0.8))
        step = self._printer.layer * self._scale()
        every = next(
            n for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if step * n >= 5 or n == 5000
        )
        for n in range(0, self.layers + 1, every):
            y = self.y_of(self.top_of(n))
            painter.drawLine(QPointF(x - 12 - (4 if n % (5 * every) == 0 else 0), y), QPointF(x - 6, y))

    def _paint_bands(self, painter: QPainter, x: float) -> None:
        width = min(BAND, (self.width() - x - 8) / len(self._bands))
        for k, (colour, z0, z1) in enumerate(self._bands):
            painter.setPen(QPen(theme.colour("ink"), 1.0))
            painter.setBrush(QColor(colour))
            top = self.y_of(z1 - self._low)
            painter.drawRect(QRectF(x + k * width, top, width - 2, self.y_of(z0 - self._low) - top))
        self._paint_heights(
            painter, x, sorted({round(z - self._low, 3) for _, z0, z1 in self._bands for z in (z0, z1)})
        )

    def _paint_stripes(self, painter: QPainter, x: float) -> None:
        wide = self.width() - x - 12
        for s in self._stripes:
            painter.setPen(QPen(theme.colour("ink"), 1.0))
            colour = QColor(self._colours.get(s.filament, "#888888"))
            painter.setBrush(colour)
            box = QRectF(x, self.y_of(s.high), wide, self.y_of(s.low) - self.y_of(s.high))
            painter.drawRect(box)
            if box.height() > 15:
                painter.setFont(drawing_font(12, True))
                painter.setPen(theme.colour("ink") if colour.lightnessF() > 0.5 else QColor("#ffffff"))
                painter.drawText(
                    box.adjusted(5, 0, -3, 0),
                    Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                    s.filament,
                )
        for k, s in enumerate(self._stripes[1:]):
            y = self.y_of(s.low)
            picked = k == self.rung
            painter.setPen(QPen(theme.colour("ultramarine" if picked else "madder"), 2.6 if picked else 1.8))
            painter.drawLine(QPointF(x - 14, y), QPointF(self.width() - 6, y))
            painter.setBrush(theme.colour("field"))
            painter.drawEllipse(QPointF(self.width() - 9, y), 4, 4)
        self._paint_heights(painter, x, [s.low for s in self._stripes] + [self._stripes[-1].high])

    def _paint_heights(self, painter: QPainter, x: float, heights: list[float]) -> None:
        painter.setFont(drawing_font(13, True))
        last = 1e9
        for z in heights:
            y = self.y_of(z)
            if last - y < 13:
                continue
            last = y
            painter.setPen(theme.colour("madder"))
            painter.drawLine(QPointF(x - 18, y), QPointF(x - 2, y))
            text = self.tr("{0} mm").format(format_mm(z))
            painter.drawText(
                QRectF(6, y - 9, x - 28, 18),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )

    def _paint_cursor(self, painter: QPainter) -> None:
        if not self.layer:
            return
        y = self.y_of((self.top_of(self.layer) + self.top_of(self.layer - 1)) / 2)
        blue = theme.colour("ultramarine")
        painter.setPen(QPen(blue, 1.6))
        painter.drawLine(QPointF(4, y), QPointF(self.width() - 2, y))
        painter.setFont(drawing_font(13, True))
        label = QRectF(4, 28, self.width() - 12, 17)
        painter.drawText(
            label,
            Qt.AlignmentFlag.AlignLeft,
            self.tr("layer {0}, to {1} mm").format(self.layer, format_mm(self.top_of(self.layer), 2)),
        )

    # -- hands
    def _rung_at(self, y: float) -> int | None:
        near = [(abs(self.y_of(s.low) - y), k) for k, s in enumerate(self._stripes[1:])]
        distance, k = min(near, default=(1e9, 0))
        return k if distance <= _NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a change, or look at a layer."""
        if event.button() != Qt.MouseButton.LeftButton or not self._bands:
            return
        y = event.position().y()
        rung = self._rung_at(y) if event.position().x() > 70 else None
        self.rung, self._drag = rung, "rung" if rung is not None else "layer"
        if rung is None:
            self._choose(self.layer_at(y))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        y = event.position().y()
        if self._drag == "layer":
            self._choose(self.layer_at(y))
        elif self._drag == "rung" and self.rung is not None:
            self.rung_dragged.emit(self.rung, self._below(y), False)
        else:
            over = self._rung_at(y) is not None and event.position().x() > 70
            self.setCursor(Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self._drag == "rung" and self.rung is not None:
            self.rung_dragged.emit(self.rung, self._below(event.position().y()), True)
        self._drag = ""

    def _below(self, y: float) -> int:
        """The layer whose top is nearest to a place."""
        return min(range(1, max(2, self.layers)), key=lambda n: abs(self.y_of(self.top_of(n)) - y))

    def _choose(self, layer: int) -> None:
        layer = min(self.layers, max(1, layer))
        if layer != self.layer:
            self.layer = layer
            self.update()
            self.layer_chosen.emit(layer)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A layer up or down."""
        if self._bands:
            self._choose((self.layer or self.layers) + (1 if event.angleDelta().y() > 0 else -1))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the picked change, or go from layer to layer; Esc shows everything."""
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 10, Qt.Key.Key_PageDown: -10}
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Escape and (self.layer or self.rung is not None):
            self.rung = None
            self.layer = 0
            self.update()
            self.layer_chosen.emit(0)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End) and self._bands:
            self._choose(1 if key == Qt.Key.Key_Home else self.layers)
        elif key in steps and self.rung is not None:
            self.rung_dragged.emit(self.rung, self._stripes[self.rung].last + steps[key], True)
        elif key in steps and self._bands:
            self._choose((self.layer or self.layers) + steps[key])
        else:
            super().keyPressEvent(event)
