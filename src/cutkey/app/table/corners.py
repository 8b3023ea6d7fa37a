"""The four corners of a sheet, in the hand."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from cutkey.app.arrows import arrow_of
from cutkey.app.table.gesture import Gesture, Place
from cutkey.app.theme import theme

#: So near, px, a corner is under the mouse; so far an arrow key moves it, px, with Shift so many times.
_NEAR, _STEP, _FAR = 14.0, 1.0, 10


class Corners(Gesture):
    """Moves four corners; Enter gives them to `done`."""

    def __init__(
        self,
        prompt: str,
        places: Sequence[Place],
        done: Callable[[list[Place]], None],
        ended: Callable[[], None],
    ) -> None:
        super().__init__("corners", prompt, done, True, True, ended=ended)
        self.places = list(places)
        self.picked = 0
        self._taken = False
        self._scale = 1.0

    def press(self, place: Place) -> bool:
        """Take hold of the corner under the mouse."""
        near = min(range(len(self.places)), key=lambda k: math.dist(self.places[k], place))
        self._taken = math.dist(self.places[near], place) * self._scale <= _NEAR
        if self._taken:
            self.picked = near
        return False

    def drag(self, place: Place) -> None:
        """Move it."""
        if self._taken:
            self.places[self.picked] = place

    def release(self) -> bool:
        """Let it go."""
        self._taken = False
        return False

    def key(self, key: int, far: bool) -> bool:
        """Arrows move the picked corner, Page up and down go to the next, Enter takes all four."""
        way = arrow_of(key)
        if way is not None:
            step = _STEP * (_FAR if far else 1) / self._scale
            x, y = self.places[self.picked]
            self.places[self.picked] = (x + step * way[0], y + step * way[1])
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.picked = (self.picked + (1 if key == Qt.Key.Key_PageDown else -1)) % len(self.places)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.done(list(self.places))
        else:
            return False
        return True

    def paint(self, painter: QPainter, at: Callable[[Place], QPointF], scale: float, mouse: QPointF) -> None:
        """What lies outside them dimmed, their sides and themselves."""
        self._scale = scale
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = [at(p) for p in self.places]
        inside, outside = QPainterPath(), QPainterPath()
        inside.addPolygon(QPolygonF([*points, points[0]]))
        outside.addRect(painter.clipBoundingRect())
        painter.fillPath(outside.subtracted(inside), theme.colour("sheet", 120))
        ink = theme.colour("ultramarine")
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(ink, 1.6))
        painter.drawPath(inside)
        for k, p in enumerate(points):
            # Open in the middle, so that the corner itself is seen.
            painter.setPen(QPen(theme.colour("field"), 5))
            painter.drawEllipse(p, 9, 9)
            painter.setPen(QPen(theme.colour("madder") if k == self.picked else ink, 2.4))
            painter.drawEllipse(p, 9, 9)
