"""Gestures on the light table: what the mouse draws for a tool."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from cutkey.app.theme import theme

Place = tuple[float, float]
Kind = Literal["point", "box", "line", "stroke", "lasso", "corners"]


@dataclass
class Gesture:
    """A tool in the hand; places are mm about the graphic's middle, y up."""

    kind: Kind
    prompt: str
    done: Callable[[list[Place]], None]
    on_picture: bool = False  # drawn on the picture, which is shown whole
    stays: bool = False  # the tool stays in the hand afterwards
    width: float = 0.0  # of a brush, mm
    ink: str = ""  # "#rrggbb" of a brush or lasso
    ended: Callable[[], None] = lambda: None
    places: list[Place] = field(default_factory=list)

    def press(self, place: Place) -> bool:
        """The button went down; True when the gesture is complete."""
        if self.kind == "corners":
            self.places.append(place)
            return len(self.places) == 4
        self.places = [place]
        return self.kind == "point"

    def drag(self, place: Place) -> None:
        """The mouse moved with the button down."""
        if self.kind in ("box", "line"):
            self.places = [self.places[0], place] if self.places else []
        elif self.kind in ("stroke", "lasso") and self.places:
            self.places.append(place)

    def release(self) -> bool:
        """The button went up; True when the gesture is complete."""
        if self.kind in ("box", "line"):
            return len(self.places) == 2
        return self.kind in ("stroke", "lasso") and len(self.places) > (2 if self.kind == "lasso" else 0)

    def key(self, key: int, far: bool) -> bool:
        """A key was pressed, with Shift (`far`) or without; True when it was for this tool."""
        return False

    def take(self) -> list[Place]:
        """The places drawn; the gesture starts anew."""
        places, self.places = self.places, []
        return places

    def paint(self, painter: QPainter, at: Callable[[Place], QPointF], scale: float, mouse: QPointF) -> None:
        """Draw what the mouse has drawn so far."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(theme.colour("ultramarine"), 1.6)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        points = [at(p) for p in self.places]
        if self.kind == "box" and len(points) == 2:
            painter.drawRect(QRectF(points[0], points[1]).normalized())
        elif self.kind == "line" and len(points) == 2:
            painter.drawLine(points[0], points[1])
            for p in points:
                painter.drawEllipse(p, 4, 4)
        elif self.kind == "corners" and points:
            for a, b in zip(points, [*points[1:], mouse], strict=True):
                painter.drawLine(a, b)
            for p in points:
                painter.drawEllipse(p, 4, 4)
        elif self.kind in ("stroke", "lasso") and points:
            path = QPainterPath(points[0])
            for p in points[1:]:
                path.lineTo(p)
            if self.kind == "stroke":
                ink = QColor(self.ink) if self.ink.startswith("#") else theme.colour("ultramarine")
                ink.setAlpha(150)
                pen = QPen(ink, max(1.0, self.width * scale))
                pen.setCapStyle(Qt.PenCapStyle.RoundCap)
                pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
                painter.setPen(pen)
            painter.drawPath(path)
        if self.kind == "stroke":
            painter.setPen(QPen(theme.colour("ink"), 1))
            r = max(1.0, self.width * scale / 2)
            painter.drawEllipse(mouse, r, r)
