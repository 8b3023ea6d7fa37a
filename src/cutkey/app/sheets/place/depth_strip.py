"""The depth strip: a true section across the middle of the picked graphic, with layer lines and numbers."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen

from cutkey.app.drafting import dimension, hatch, note
from cutkey.app.paths import path_of
from cutkey.app.theme import theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.units import format_mm
from cutkey.worker.shown import PlacedView

#: Ways of standing over the face.
UP = ("raised", "level")


class DepthStrip(Strip):
    """Heights are drawn larger than lengths; the scale says how much."""

    def __init__(self) -> None:
        super().__init__(self.tr("Depth strip"))
        self._face: PlacedView | None = None
        self._placement: Placement | None = None
        self._layer = 0.2
        self._depths: list[Depth] = []

    def show_section(
        self, face: PlacedView | None, placement: Placement | None, layer: float, colours: Sequence[str] = ()
    ) -> None:
        """Show the section of a placement, whose graphic has these colours."""
        self._face, self._placement, self._layer = face, placement, layer
        self._depths = []
        if placement is not None:
            self._depths = [placement.depth_of(c) for c in colours] or list(placement.depths)
        self.update()

    def heights(self) -> tuple[float, float]:
        """Return how far the graphic stands over its face and how far it is sunk into it, mm."""
        rim = self._face.rim if self._face is not None else 0.0
        over = [d.mm if d.mode == "raised" else rim + d.mm for d in self._depths if d.mode in UP]
        into = [d.mm for d in self._depths if d.mode in ("recessed", "flush")]
        return max(over, default=0.0), max(into, default=0.0)

    def step_text(self) -> str:
        """Return what is written beside the step of the graphic; "" where it has none."""
        over, into = self.heights()
        modes = {d.mode for d in self._depths}
        if over > 1e-6:
            layers = format_mm(over / self._layer, 1)
            return self.tr("+{0} · {1} layers").format(format_mm(over), layers)
        if into > 1e-6:
            layers = format_mm(into / self._layer, 1)
            text = self.tr("flush {0} · {1} layers") if modes == {"flush"} else self.tr("−{0} · {1} layers")
            return text.format(format_mm(into), layers)
        return self.tr("cut through") if "through" in modes else ""

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the section."""
        if self._face is None or not self._face.section or self._placement is None:
            painter = self.begin(self.tr("Depth strip"))
            text = self.tr("A section through the placed graphic shows heights and the floor that is left.")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        every = np.concatenate([r.points for _, r in self._face.section])
        (x0, _), (x1, high) = every.min(0), every.max(0)
        over, deepest = self.heights()
        # Show from a little under the floor's top: the middle of a thick body says nothing.
        low = max(float(every[:, 1].min()), -max(6.0, 2.5 * deepest, 4 * high))
        kx = (self.width() - 208) / max(1e-6, x1 - x0)
        ky = min((self.height() - 62) / max(0.5, high - low), kx * 12)
        left, ground = 60.0, 34 + (high * ky)

        def at(p: np.ndarray) -> np.ndarray:
            return np.stack([left + (p[:, 0] - x0) * kx, ground - p[:, 1] * ky], -1)

        title = self.tr("Depth strip A–A, heights {0} times as large").format(format_mm(ky / kx, 1))
        painter = self.begin(title)
        window = QPainterPath()
        window.addRect(QRectF(left - 1, 26, (x1 - x0) * kx + 2, ground - low * ky - 25))
        painter.save()
        painter.setClipPath(window)
        for colour, rings in self._face.section:
            path = path_of(rings, at)
            hatch(painter, path, QColor(colour), 7.0, 45.0 if QColor(colour).lightnessF() > 0.3 else 60.0)
            painter.setPen(QPen(theme.colour("ink"), 1.0))
            painter.drawPath(path)
        painter.restore()
        self._paint_layers(painter, left, left + (x1 - x0) * kx, ground, ky, high, low)
        right = left + (x1 - x0) * kx
        painter.setPen(QPen(theme.colour("ink"), 1.0))
        # A rim, a neighbour or the fall of the surface may reach elsewhere: the graphic's own step is told.
        text = self.step_text()
        if text:
            top, bottom = ground - over * ky, ground + (0.0 if over > 1e-6 else deepest) * ky
            box = dimension(painter, QPointF(right + 14, bottom), QPointF(right + 14, top), "")
            where = QPointF(box.right() + 6, (top + bottom) / 2)
            note(painter, where, text, "ultramarine", Qt.AlignmentFlag.AlignLeft)
        floor = self._face.floor - deepest
        if self._face.floor > 0:
            bottom = max(low, -self._face.floor)
            thin = floor < 2 * self._layer
            text = self.tr("floor {0} · {1} layers").format(
                format_mm(floor), format_mm(floor / self._layer, 1)
            )
            p = QPointF(right + 14, ground - bottom * ky)
            dimension(
                painter, p, QPointF(p.x(), ground + deepest * ky), "", "madder" if thin else "ultramarine"
            )
            note(
                painter,
                QPointF(p.x() + 10, (p.y() + ground) / 2),
                text,
                "madder" if thin else "ultramarine",
                Qt.AlignmentFlag.AlignLeft,
            )

    def _paint_layers(
        self, painter: QPainter, left: float, right: float, ground: float, ky: float, high: float, low: float
    ) -> None:
        """Layer boundaries counted from the face, where they can be told apart."""
        if self._layer * ky < 3:
            return
        pen = QPen(theme.colour("ink", 70), 0.7)
        pen.setDashPattern([2, 3])
        painter.setPen(pen)
        for n in range(int(np.ceil(low / self._layer)), int(high / self._layer) + 2):
            y = ground - n * self._layer * ky
            painter.drawLine(QPointF(left - 8, y), QPointF(right + 8, y))
