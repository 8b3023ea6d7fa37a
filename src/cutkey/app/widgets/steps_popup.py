"""The steps of the job, to go back to any of them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from cutkey.app.theme import theme
from cutkey.app.widgets.basics import label


class StepsPopup(QFrame):
    """A list over the window; Return or a click goes to a step, Esc leaves everything as it is."""

    def __init__(self, parent: QWidget, go_to: Callable[[int], None]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setProperty("role", "panel")
        self._go_to = go_to
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 9, 10, 10)
        layout.addWidget(label(self.tr("Steps of this job"), "title"))
        self.list = QListWidget()
        self.list.setAccessibleName(self.tr("Steps of this job"))
        self.list.itemActivated.connect(self._take)
        self.list.itemClicked.connect(self._take)
        layout.addWidget(self.list)

    def show_steps(self, texts: list[str], at: int, where: QPoint) -> None:
        """Open under a place of the screen; what was undone is grey."""
        self.list.clear()
        for k, text in enumerate(texts):
            item = QListWidgetItem(f"{k}   {text}" if k else self.tr("as it was opened"))
            item.setForeground(theme.colour("faint" if k > at else "ink"))
            if k == at:
                font = item.font()
                font.setBold(True)
                item.setFont(font)
                item.setText(self.tr("{0}   (now)").format(item.text()))
            self.list.addItem(item)
        self.resize(300, min(420, 62 + 24 * len(texts)))
        self.move(where - QPoint(self.width(), 0))
        self.show()
        self.list.setFocus()
        self.list.setCurrentRow(at)

    def _take(self, item: QListWidgetItem) -> None:
        row = self.list.row(item)
        # A click may come as an activation too.
        if self.isVisible():
            self.hide()
            self._go_to(row)
