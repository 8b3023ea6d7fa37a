"""The numbered tabs of the sheets along the left edge."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from cutkey.app.theme import theme, writing_font


class SheetTab(QAbstractButton):
    """One tab; the open sheet's tab joins its sheet."""

    def __init__(self, number: int, name: str, tip: str) -> None:
        super().__init__()
        self._number = number
        self.setText(name)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"{number} {name}")
        self.setToolTip(f"{tip} (Ctrl+{number})")
        self._badge = 0

    def set_badge(self, count: int) -> None:
        """Show how many findings wait on this sheet."""
        if count != self._badge:
            self._badge = count
            self.update()

    def sizeHint(self) -> QSize:
        """Fixed size of a tab."""
        return QSize(58, 72)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5 if not self.isChecked() else 4, -0.5)
        painter.setPen(theme.colour("ink" if self.isChecked() else "line"))
        painter.setBrush(theme.colour("sheet" if self.isChecked() or self.underMouse() else "panel"))
        painter.drawRect(box)
        if self.hasFocus():
            painter.setPen(theme.colour("ultramarine"))
            painter.drawRect(box.adjusted(2, 2, -2, -2))
        painter.setFont(writing_font(21))
        painter.setPen(theme.colour("madder" if self.isChecked() else "faint"))
        painter.drawText(QRectF(0, 9, self.width(), 28), Qt.AlignmentFlag.AlignCenter, str(self._number))
        painter.setFont(writing_font(12, bold=self.isChecked()))
        painter.setPen(theme.colour("ink" if self.isChecked() else "soft"))
        painter.drawText(QRectF(0, 39, self.width(), 20), Qt.AlignmentFlag.AlignCenter, self.text())
        if self._badge:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("madder"))
            painter.drawEllipse(QRectF(self.width() - 19, 5, 14, 14))
            painter.setFont(writing_font(10, bold=self.isChecked()))
            painter.setPen(theme.colour("on_ink"))
            painter.drawText(
                QRectF(self.width() - 19, 5, 14, 14), Qt.AlignmentFlag.AlignCenter, str(min(9, self._badge))
            )


class SheetTabs(QWidget):
    """The column of tabs; a sheet is an id, a name and a tip."""

    opened = Signal(str)

    def __init__(self, sheets: Sequence[tuple[str, str, str]]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        group = QButtonGroup(self)
        self.tabs: dict[str, SheetTab] = {}
        for k, (id, name, tip) in enumerate(sheets, 1):
            tab = SheetTab(k, name, tip)
            tab.clicked.connect(lambda _=False, id=id: self.opened.emit(id))
            group.addButton(tab)
            layout.addWidget(tab)
            self.tabs[id] = tab
        layout.addStretch(1)
