"""Setting out: islands with their names, and which numbered spacer goes where."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen

from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.worker.shown_kit import SettingView


class SettingStrip(Strip):
    """The setting-out sheet, small, and the order beside it."""

    def __init__(self) -> None:
        super().__init__(self.tr("Setting out"))
        self._setting: SettingView | None = None

    def show_setting(self, setting: SettingView | None) -> None:
        """Show the spacers of a kit."""
        self._setting = setting
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw islands, spacers and the first steps."""
        setting = self._setting
        note = self.tr("{0} spacers").format(len(setting.pieces)) if setting else ""
        painter = self.begin(self.tr("Setting out"), note)
        if setting is None or len(setting.islands) < 2:
            painter.setPen(theme.colour("soft"))
            text = self.tr(
                "Spacers hold loose islands in their places while they are put up.\nSwitch them on at the"
                " left."
            )
            painter.drawText(self.rect().adjusted(20, 30, -20, 0), Qt.AlignmentFlag.AlignCenter, text)
            return
        points = np.concatenate([r.points for _, r, _ in setting.islands])
        low, high = points.min(0), points.max(0)
        box = QRectF(16, 36, self.width() * 0.55 - 20, self.height() - 46)
        scale = min(box.width() / (high[0] - low[0]), box.height() / (high[1] - low[1]))

        def place(p: np.ndarray) -> np.ndarray:
            return np.stack(
                [box.left() + (p[:, 0] - low[0]) * scale, box.bottom() - (p[:, 1] - low[1]) * scale], -1
            )

        painter.setFont(drawing_font(11))
        for name, rings, at in setting.islands:
            free = name in setting.free
            painter.setPen(QPen(theme.colour("madder" if free else "ink"), 1.0))
            painter.setBrush(theme.colour("field"))
            painter.drawPath(path_of(rings, place))
            self._write(painter, place(np.array([at]))[0], name, "madder" if free else "soft")
        painter.setFont(drawing_font(12, True))
        for number, rings, peg, _ in setting.pieces:
            painter.setPen(QPen(theme.colour("ultramarine"), 1.2))
            painter.setBrush(theme.colour("ultramarine_wash"))
            painter.drawPath(path_of(rings, place))
            at = place(np.array([peg]))[0]
            painter.setBrush(theme.colour("ultramarine"))
            painter.drawEllipse(QPointF(at[0], at[1]), 7.5, 7.5)
            self._write(painter, at, str(number), "sheet")
        self._paint_order(painter, setting, box.left() + float(high[0] - low[0]) * scale + 36)

    @staticmethod
    def _write(painter: QPainter, at: np.ndarray, text: str, colour: str) -> None:
        painter.setPen(theme.colour(colour))
        painter.drawText(QRectF(at[0] - 30, at[1] - 8, 60, 16), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_order(self, painter: QPainter, setting: SettingView, x: float) -> None:
        painter.setFont(drawing_font(13))
        painter.setPen(theme.colour("ink"))
        y = 40.0
        rows = int((self.height() - 50) / 16)
        lines = []
        for n, (name, spacers) in enumerate(setting.order):
            what = (
                self.tr("against {0}").format(", ".join(map(str, spacers)))
                if spacers
                else self.tr("by the template")
            )
            lines.append(f"{n + 1}.  {name}  {what}")
        columns = 1 if len(lines) <= rows else 2
        shown = (
            lines
            if len(lines) <= rows * columns
            else [*lines[: rows * columns - 1], self.tr("… see the sheet")]
        )
        wide = (self.width() - x - 10) / columns
        for n, line in enumerate(shown):
            column, row = divmod(n, rows)
            painter.drawText(
                QRectF(x + column * wide, y + row * 16, wide, 16), Qt.AlignmentFlag.AlignVCenter, line
            )
