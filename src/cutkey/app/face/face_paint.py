"""What the square-on view draws of a face.

Its outline, what lies on it, centre lines, what is kept clear, guides.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from cutkey.app.hands.hands import Hands
from cutkey.app.hands.things import Face, Thing
from cutkey.app.paths import path_of
from cutkey.app.theme import theme
from cutkey.worker.shown import PlacedView

ToWidget = Callable[[float, float], QPointF]


def paint_things(
    painter: QPainter, outline: QPainterPath, hands: Hands, paths: Mapping[int, QPainterPath]
) -> None:
    """The face and what lies on it, in mm of its plane; `paths` by the rings they were made of."""
    painter.setPen(_pen("ink", 1.4))
    painter.setBrush(theme.colour("stage_low"))
    painter.drawPath(outline)
    # A channel that runs on past its face is cut off, a loop over the edge is not.
    painter.setClipPath(outline.united(_boxes(hands.things)), Qt.ClipOperation.IntersectClip)
    held = {t.id: t for t in hands.preview()}
    for now in hands.things:
        thing = held.get(now.id, now)
        factor = (thing.high[0] - thing.low[0]) / max(now.high[0] - now.low[0], 1e-9)
        for (colour, _), (_, rings) in zip(thing.fills, now.fills, strict=True):
            path = paths.get(id(rings)) or path_of(rings)
            painter.setPen(_pen("ink", 0.8 if colour else 1.2))
            painter.setBrush(_fill(colour))
            for x, y, spin, mirror in thing.places:
                move = QTransform().translate(x, y).rotate(spin).scale(-factor if mirror else factor, factor)
                painter.drawPath(move.map(path))


def paint_centre_lines(painter: QPainter, box: QRectF, to_widget: ToWidget, over: float) -> None:
    """Lines through the middle of the face, `over` mm past its box."""
    pen = QPen(theme.colour("rule"), 1.0)
    pen.setDashPattern([12, 3, 2, 3])
    painter.setPen(pen)
    painter.drawLine(to_widget(0, box.top() - over), to_widget(0, box.bottom() + over))
    painter.drawLine(to_widget(box.left() - over, 0), to_widget(box.right() + over, 0))


def paint_clear(
    painter: QPainter,
    face: Face,
    guides: tuple[float | None, float | None],
    to_widget: ToWidget,
    size: QRectF,
) -> None:
    """What is kept clear of edges, dashed, and the guides that a dragged thing is drawn to."""
    if isinstance(face, PlacedView) and face.clear is not None:
        pen = QPen(theme.colour("madder"), 1.0)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for ring in face.clear.rings():
            painter.drawPolygon(QPolygonF([to_widget(float(x), float(y)) for x, y in ring]))
    painter.setPen(QPen(theme.colour("ultramarine"), 1.0))
    x, y = guides
    if x is not None:
        p = to_widget(x, 0)
        painter.drawLine(QPointF(p.x(), 30), QPointF(p.x(), size.height() - 6))
    if y is not None:
        p = to_widget(0, y)
        painter.drawLine(QPointF(6, p.y()), QPointF(size.width() - 6, p.y()))


def _pen(colour: str, width: float) -> QPen:
    pen = QPen(theme.colour(colour), width)
    pen.setCosmetic(True)
    return pen


def _fill(colour: str) -> QColor:
    """An add-on is shown through; where material is taken away no colour is left."""
    if not colour:
        return theme.colour("madder", 40)
    return theme.colour("rule") if colour == "rule" else QColor(colour)


def _boxes(things: Sequence[Thing]) -> QPainterPath:
    path = QPainterPath()
    for t in things:
        for x, y, spin, _ in t.places:
            corners = t._replace(at=(x, y), spin=spin).corners().tolist()
            path.addPolygon(QPolygonF([QPointF(*c) for c in corners]))
            path.closeSubpath()
    return path
