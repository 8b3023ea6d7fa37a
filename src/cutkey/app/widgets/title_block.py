"""The title block (ISO 7200) in place of a status bar: what the job is, and what the program is doing."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from cutkey.app.theme import drawing_font, theme, writing_font
from cutkey.app.widgets.basics import button, row


class Cell(NamedTuple):
    """A cell of the block."""

    caption: str
    text: str
    alarm: bool = False  # it wants attention
    late: bool = False  # it belongs to the job as it was before the last change


class TitleBlock(QWidget):
    """Five ruled rows; the last one shows work in progress with its cancel button."""

    cancel = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(180)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Title block"))
        self._cells: list[Cell] = []
        self._now, self._fraction = "", -1.0
        self._cancel = button(self.tr("cancel"), "flat", tip=self.tr("Stop what is being computed (Esc)"))
        self._cancel.clicked.connect(self.cancel)
        self._cancel.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 6, 5)
        layout.addStretch(1)
        layout.addLayout(row(1, self._cancel))

    def set_cells(self, cells: list[Cell]) -> None:
        """Eight cells, row by row."""
        if cells != self._cells:
            self._cells = cells
            self.update()

    def set_now(self, text: str, fraction: float) -> None:
        """What is being done and how far it is (0 to 1); a negative fraction means nothing."""
        self._now, self._fraction = text, fraction
        self._cancel.setVisible(fraction >= 0)
        # Progress is told many times a second, and only the last row shows it.
        self.update(self.rect().adjusted(0, self.height() * 4 // 5 - 2, 0, 0))

    @property
    def now(self) -> str:
        """What the last row says."""
        return self._now

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the block."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("ground"))
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.fillRect(box, theme.colour("sheet"))
        step = box.height() / 5
        painter.setPen(theme.colour("ink"))
        for r in range(1, 5):
            painter.drawLine(
                int(box.left()), int(box.top() + r * step), int(box.right()), int(box.top() + r * step)
            )
        middle = box.left() + box.width() / 2
        painter.drawLine(int(middle), int(box.top()), int(middle), int(box.top() + 4 * step))
        pen = painter.pen()
        pen.setWidthF(2)
        painter.setPen(pen)
        painter.drawRect(box)
        for k, cell in enumerate(self._cells[:8]):
            x = box.left() + 8 + (k % 2) * box.width() / 2
            place = QRectF(x, box.top() + (k // 2) * step, box.width() / 2 - 12, step)
            if place.intersects(QRectF(event.rect())):
                self._paint_cell(painter, place, cell)
        y = box.top() + 4 * step
        width = box.width() - (74 if self._fraction >= 0 else 12)
        self._paint_cell(painter, QRectF(box.left() + 8, y, width, step), Cell(self.tr("NOW"), self._now))
        if self._fraction >= 0:
            bar = QRectF(box.left() + 40, y + 6, box.width() - 120, 4)
            painter.fillRect(bar, theme.colour("line"))
            painter.fillRect(
                QRectF(bar.left(), bar.top(), bar.width() * min(1.0, self._fraction), bar.height()),
                theme.colour("ultramarine"),
            )

    @staticmethod
    def _paint_cell(painter: QPainter, box: QRectF, cell: Cell) -> None:
        painter.setFont(drawing_font(11))
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            box.adjusted(0, 2, 0, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, cell.caption
        )
        painter.setFont(writing_font(13))
        painter.setPen(theme.colour("soft" if cell.late else "madder" if cell.alarm else "ink"))
        text = f"{cell.text} …" if cell.late else cell.text
        fitted = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(
            box.adjusted(0, 0, 0, -2), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, fitted
        )
