"""The old and the new picture side by side while another one is tried.

And which new colour takes the rules of which old one.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from cutkey.app.paths import path_of
from cutkey.app.swapping import Swapping, Trial
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.basics import button, row
from cutkey.app.widgets.strip import Strip
from cutkey.core.colour.names import plain_name
from cutkey.core.units import format_mm
from cutkey.worker.shown import GraphicView

#: Side of a swatch and of the room each pair takes, px.
_SWATCH, _ROOM = 22, 62
_TOP = 33


class SwapStrip(Strip):
    """Drag a new colour onto an old one to give it that one's depth and filament, or away from it.

    By keyboard: left and right pick a new colour, up and down give it to the old colour before or after.
    """

    def __init__(self, swapping: Swapping) -> None:
        super().__init__(swapping.tr("Old and new colours"))
        self._swapping = swapping
        self._picked = ""
        self._drag: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.keep = button(
            self.tr("keep the new picture"), tip=self.tr("The old one can still be had back with undo")
        )
        self.leave = button(self.tr("leave it"), tip=self.tr("Back to the old picture"))
        self.keep.clicked.connect(swapping.keep)
        self.leave.clicked.connect(swapping.leave)
        holder = QWidget(self)
        holder.setLayout(row(self.leave, self.keep))
        self._buttons = holder

    # -- places
    def _columns(self, trial: Trial) -> list[str]:
        """Old colours in their order, then "" for what is new."""
        return [*(c for c, _ in trial.old.regions), ""]

    def _at(self, k: int) -> QRectF:
        """Room of a column."""
        left, right = 118.0, self.width() - 118.0
        trial = self._swapping.trial
        count = len(self._columns(trial)) if trial else 1
        wide = min(_ROOM * 1.4, (right - left) / max(1, count))
        begin = (left + right - wide * count) / 2
        return QRectF(begin + k * wide, _TOP, wide, self.height() - _TOP - 34)

    def place_of(self, new: str) -> QPointF:
        """Middle of the swatch of a new colour."""
        trial = self._swapping.trial
        assert trial is not None
        columns = self._columns(trial)
        k = columns.index(trial.matches.get(new, ""))
        mine = [c for c, _ in trial.new.regions if trial.matches.get(c, "") == columns[k]]
        box, n = self._at(k), mine.index(new)
        if columns[k]:
            return QPointF(box.center().x(), box.top() + 72)
        # What takes no rules stands in a heap, three beside each other.
        return QPointF(box.left() + 14 + (n % 3) * 26, box.top() + 46 + (n // 3) * 26)

    def place_of_old(self, old: str) -> QPointF:
        """Middle of the swatch of an old colour; "" where those without rules lie."""
        trial = self._swapping.trial
        assert trial is not None
        box = self._at(self._columns(trial).index(old))
        return QPointF(box.center().x(), box.top() + 16 if old else box.top() + 60)

    def _new_at(self, p: QPointF) -> str:
        trial = self._swapping.trial
        near = (
            [c for c, _ in trial.new.regions if (self.place_of(c) - p).manhattanLength() < _SWATCH]
            if trial
            else []
        )
        return near[0] if near else ""

    # -- drawing
    def resizeEvent(self, event: object) -> None:
        """Keep the buttons under the colours."""
        self._buttons.adjustSize()
        self._buttons.move(
            (self.width() - self._buttons.width()) // 2, self.height() - self._buttons.height() - 6
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        """Old figure left, new figure right, the colours between them."""
        trial = self._swapping.trial
        painter = self.begin(
            self.tr("Another picture: drag a new colour onto the old one whose depth and filament it takes")
        )
        if trial is None:
            return
        self._picture(painter, QRectF(12, 34, 96, self.height() - 62), trial.old, self.tr("before"))
        self._picture(
            painter, QRectF(self.width() - 108, 34, 96, self.height() - 62), trial.new, self.tr("after")
        )
        for k, old in enumerate(self._columns(trial)):
            self._column(painter, self._at(k), old, trial)
        for colour, _ in trial.new.regions:
            p = self.place_of(colour)
            if colour == self._picked and self._drag is not None:
                p = self._drag
            self._swatch(painter, p, colour, colour == self._picked)

    def _picture(self, painter: QPainter, box: QRectF, view: GraphicView, name: str) -> None:
        w, h = view.size
        scale = min(box.width() / max(w, 1e-9), box.height() / max(h, 1e-9))
        painter.save()
        painter.translate(box.center())
        painter.scale(scale, -scale)
        for colour, rings in view.regions:
            pen = QPen(theme.colour("ink"), 0.6)
            pen.setCosmetic(True)
            painter.setPen(pen)
            painter.setBrush(QColor(colour))
            painter.drawPath(path_of(rings))
        painter.restore()
        painter.setFont(drawing_font(13))
        painter.setPen(theme.colour("soft"))
        size = f"{name} · {format_mm(w, 1)} × {format_mm(h, 1)}"
        painter.drawText(
            QRectF(box.left() - 10, box.bottom() + 2, box.width() + 20, 16),
            Qt.AlignmentFlag.AlignCenter,
            size,
        )

    def _column(self, painter: QPainter, box: QRectF, old: str, trial: Trial) -> None:
        taken = [c for c, o in trial.matches.items() if o == old]
        painter.setFont(drawing_font(13))
        if not old:
            loose = [c for c, _ in trial.new.regions if c not in trial.matches]
            painter.setPen(theme.colour("madder" if loose else "soft"))
            text = self.tr("new, to be settled") if loose else self.tr("none is new")
            painter.drawText(
                QRectF(box.left(), box.top() + 4, box.width() + 30, 18), Qt.AlignmentFlag.AlignLeft, text
            )
            return
        middle = box.center().x()
        self._swatch(painter, QPointF(middle, box.top() + 16), old, False)
        painter.setPen(
            QPen(
                theme.colour("ink" if taken else "madder"),
                1.2,
                Qt.PenStyle.SolidLine if taken else Qt.PenStyle.DashLine,
            )
        )
        painter.drawLine(QPointF(middle, box.top() + 30), QPointF(middle, box.top() + 58))
        if not taken:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(middle - _SWATCH / 2, box.top() + 72 - _SWATCH / 2, _SWATCH, _SWATCH))
        painter.setPen(theme.colour("soft" if taken else "madder"))
        text = plain_name(old) if taken else self.tr("gone")
        fitted = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(
            QRectF(box.left(), box.top() + 88, box.width(), 16), Qt.AlignmentFlag.AlignCenter, fitted
        )

    @staticmethod
    def _swatch(painter: QPainter, p: QPointF, colour: str, picked: bool) -> None:
        painter.setPen(QPen(theme.colour("ultramarine" if picked else "ink"), 2.4 if picked else 1.0))
        painter.setBrush(QColor(colour))
        painter.drawRect(QRectF(p.x() - _SWATCH / 2, p.y() - _SWATCH / 2, _SWATCH, _SWATCH))

    # -- hands
    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a new colour."""
        self._picked = self._new_at(event.position())
        self._drag = event.position() if self._picked else None
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """It follows the mouse."""
        if self._drag is not None:
            self._drag = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go on an old colour, or beside them."""
        trial = self._swapping.trial
        if self._drag is None or trial is None:
            return
        self._drag = None
        columns = self._columns(trial)
        # The row of colours is a target over its whole height, so that nobody has to aim.
        k = next(
            (
                k
                for k in range(len(columns))
                if self._at(k).adjusted(0, -30, 0, 30).contains(event.position())
            ),
            -1,
        )
        if k >= 0 and columns[k] != trial.matches.get(self._picked, ""):
            self._swapping.match(self._picked, columns[k])
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows pick a new colour and give it to another old one."""
        trial = self._swapping.trial
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(
            Qt.Key(event.key())
        )
        if trial is None or step is None:
            super().keyPressEvent(event)
            return
        news = [c for c, _ in trial.new.regions]
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) or self._picked not in news:
            at = news.index(self._picked) + step if self._picked in news else 0
            self._picked = news[at % len(news)]
        else:
            columns = self._columns(trial)
            to = columns[(columns.index(trial.matches.get(self._picked, "")) + step) % len(columns)]
            self._swapping.match(self._picked, to)
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Show what the keys act on."""
        trial = self._swapping.trial
        if trial is not None and not self._picked:
            self._picked = trial.new.regions[0][0] if trial.new.regions else ""
        self.update()


def swap_page(swapping: Swapping, show: Callable[[bool], None]) -> SwapStrip:
    """A strip that comes with a trial and goes with it."""
    strip = SwapStrip(swapping)

    def follow() -> None:
        show(swapping.trial is not None)
        strip.update()

    swapping.tried.connect(follow)
    return strip
