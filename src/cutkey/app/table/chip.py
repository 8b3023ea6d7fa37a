"""The chip of a colour on the light table's right."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QMouseEvent

from cutkey.app.widgets.basics import Card, Swatch
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.graphic import Measure
from cutkey.core.units import format_mm

COLOUR_MIME = "application/x-cutkey-colour"


class Chip(Card):
    """A colour of the graphic; dropped on another it becomes that one."""

    merged = Signal(str, str)

    def __init__(self, measure: Measure, nozzle: float, name: str = "") -> None:
        thin = measure.narrowest < nozzle
        pieces = self.tr("{0} pieces").format(measure.pieces) if measure.pieces != 1 else self.tr("1 piece")
        text = self.tr("{0} mm² · {1} · {2} mm thin").format(
            format_mm(measure.area, 0), pieces, format_mm(measure.narrowest, 1)
        )
        super().__init__(name or plain_name(measure.colour), text, Swatch(measure.colour, 32))
        self.colour = measure.colour
        self.setAcceptDrops(True)
        self.setToolTip(
            self.tr(
                "Drop this colour on another to make it that colour. Thin: the largest disc that fits in its"
                " slimmest piece."
            )
        )
        if thin:
            self.subtitle.setProperty("role", "warn")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the colour away."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            drag = QDrag(self)
            data = QMimeData()
            data.setData(COLOUR_MIME, self.colour.encode())
            drag.setMimeData(data)
            drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take another colour."""
        if event.mimeData().hasFormat(COLOUR_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Merge the colour dropped into this one."""
        source = bytes(event.mimeData().data(COLOUR_MIME).data()).decode()
        if source != self.colour:
            event.acceptProposedAction()
            self.merged.emit(source, self.colour)
