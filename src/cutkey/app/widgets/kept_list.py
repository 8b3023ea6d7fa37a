"""Copies of unsaved jobs that windows left behind: with picture, name and time.

Each brought back, left or thrown away.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QBuffer, QDateTime, QIODevice, QLocale, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import button, clear, label, row
from cutkey.core.model.kept import Kept

#: Pixels of a picture, and copies shown before the list scrolls out of reach: the newest.
PICTURE = QSize(132, 82)
_MOST = 4


def small_picture(widget: QWidget) -> bytes | None:
    """PNG of a widget as it is now, small."""
    # The middle of it, in the proportion that is shown.
    whole = widget.rect()
    box = QRect(QPoint(), PICTURE.scaled(whole.size(), Qt.AspectRatioMode.KeepAspectRatio))
    box.moveCenter(whole.center())
    shown = widget.grab(box).scaled(
        PICTURE * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    )
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    return bytes(buffer.data().data()) if shown.save(buffer, "PNG") else None


class KeptList(QFrame):
    """Hidden while there is none."""

    wanted = Signal(object)  # the copy to go on with

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "message")
        self.setProperty("calm", True)
        self.setAccessibleName(self.tr("Kept copies"))
        self.copies: list[Kept] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        self._text = label("", wrap=True)
        leave = button(self.tr("leave them"), tip=self.tr("They are kept for thirty days: Job, Kept copies"))
        leave.clicked.connect(self._leave_all)
        top = row(self._text, leave)
        top.setStretch(0, 1)
        layout.addLayout(top)
        self._rows = QHBoxLayout()
        self._rows.setSpacing(14)
        layout.addLayout(self._rows)
        self.hide()

    def show_copies(self, copies: Sequence[Kept]) -> None:
        """Show these copies, the newest first."""
        self.copies = list(copies)
        clear(self._rows)
        for one in self.copies[:_MOST]:
            self._rows.addWidget(self._card(one))
        self._rows.addStretch(1)
        more = len(self.copies) - _MOST
        text = self.tr("These jobs were not closed in good order; their last state was kept.")
        self._text.setText(f"{text} {self.tr('{0} older ones follow.').format(more)}" if more > 0 else text)
        self.setVisible(bool(self.copies))

    def _card(self, one: Kept) -> QWidget:
        holder = QWidget()
        inner = QVBoxLayout(holder)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(3)
        picture = QLabel()
        picture.setFixedSize(PICTURE)
        picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        shown = QPixmap(str(one.picture)) if one.picture is not None else QPixmap()
        if shown.isNull():
            picture.setText(self.tr("no picture"))
        else:
            picture.setPixmap(
                shown.scaled(
                    PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )
        when = QLocale().toString(QDateTime.fromSecsSinceEpoch(int(one.when)), QLocale.FormatType.ShortFormat)
        name = label(one.name, "title")
        name.setToolTip(str(one.path or ""))
        take = button(self.tr("bring it back"))
        take.setAccessibleName(self.tr("Bring {0} back").format(one.name))
        take.clicked.connect(lambda: self.wanted.emit(one))
        drop = button("", "flat", "close", self.tr("Throw the copy of {0} away").format(one.name))
        drop.clicked.connect(partial(self._drop, one))
        for widget in (picture, name, label(when, "small")):
            inner.addWidget(widget)
        inner.addLayout(row(take, drop, 1, spacing=2))
        return holder

    def _drop(self, one: Kept) -> None:
        one.discard()
        self.show_copies([k for k in self.copies if k.folder != one.folder])

    def _leave_all(self) -> None:
        for one in self.copies:
            one.leave()
        self.show_copies([])
