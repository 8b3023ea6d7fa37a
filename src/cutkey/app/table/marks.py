"""Marks on the light table: the fringe, specks, thin places, open lines, picked pieces."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from cutkey.app.drafting import note
from cutkey.app.table.pieces import pieces_of
from cutkey.app.theme import theme
from cutkey.core.units import format_mm
from cutkey.worker.shown import GraphicView

#: Strokes of the fringe are this many times as long as the trace is off, but no longer than so many px, and
#: not drawn when shorter.
_TIMES, _LONGEST, _SHORTEST = 10.0, 26.0, 1.5


def paint_fringe(
    painter: QPainter, view: GraphicView, at: Callable[[float, float], QPointF], scale: float, area: QRectF
) -> None:
    """Strokes along the boundary, the longer the further the trace lies from the picture."""
    off = view.off
    if off is None or len(off.offs) == 0:
        return
    origin, unit = at(0, 0), scale
    xy = off.places * (unit, -unit) + (origin.x(), origin.y())
    long = off.offs * (_TIMES * scale)
    seen = (
        (xy[:, 0] > area.left())
        & (xy[:, 0] < area.right())
        & (xy[:, 1] > area.top())
        & (xy[:, 1] < area.bottom())
        & (long > _SHORTEST)
    )
    xy, long = xy[seen][:6000], np.minimum(long[seen][:6000], _LONGEST)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    # Outwards at a slant, as a drawn fringe.
    ends = xy + long[:, None] * np.array([0.6, -0.8])
    lines = [QLineF(a, b, c, d) for (a, b), (c, d) in zip(xy.tolist(), ends.tolist(), strict=True)]
    painter.setPen(QPen(theme.colour("madder", 150), 1))
    painter.drawLines(lines)


def paint_worst(
    painter: QPainter, view: GraphicView, at: Callable[[float, float], QPointF], area: QRectF
) -> None:
    """Where the trace lies furthest from the picture, and how far."""
    off = view.off
    if off is None or len(off.offs) == 0:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    worst = at(off.worst[0], off.worst[1])
    if area.contains(worst):
        painter.setPen(QPen(theme.colour("madder"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(worst, 9, 9)
        right = worst.x() < area.center().x()
        tip = worst + QPointF(70 if right else -70, -46)
        tip.setY(max(tip.y(), area.top() + 16))
        painter.drawLine(worst + QPointF(6 if right else -6, -6), tip)
        anchor = Qt.AlignmentFlag.AlignLeft if right else Qt.AlignmentFlag.AlignRight
        note(painter, tip, f"furthest off: {format_mm(off.most, 2)} mm", "madder", anchor)


def paint_specks(
    painter: QPainter, view: GraphicView, at: Callable[[float, float], QPointF], scale: float
) -> None:
    """A ring round each speck that took the colour around it."""
    if view.picture is None:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("madder"), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for x, y, r in view.picture.specks[:3000].tolist():
        size = max(3.0, r * scale + 2)
        painter.drawEllipse(at(x, y), size, size)


def paint_thin(painter: QPainter, path: QPainterPath) -> None:
    """Necks and slits that the nozzle cannot draw."""
    pen = QPen(theme.colour("madder"), 1.4)
    pen.setCosmetic(True)
    painter.setPen(pen)
    painter.setBrush(theme.colour("madder", 120))
    painter.drawPath(path)


def paint_open_lines(painter: QPainter, view: GraphicView, at: Callable[[float, float], QPointF]) -> None:
    """Lines of a drawing that are not closed, their free ends marked."""
    pen = QPen(theme.colour("madder"), 1.2, Qt.PenStyle.DashLine)
    for line in view.open_lines:
        points = [at(x, y) for x, y in line.tolist()]
        painter.setPen(pen)
        painter.drawPolyline(points)
        painter.setPen(QPen(theme.colour("madder"), 1.2))
        for p in (points[0], points[-1]):
            painter.drawEllipse(p, 4, 4)


def paint_picked(painter: QPainter, path: QPainterPath) -> None:
    """The picked pieces."""
    pen = QPen(theme.colour("ultramarine"), 3)
    pen.setCosmetic(True)
    painter.setPen(pen)
    painter.setBrush(theme.colour("ultramarine", 40))
    painter.drawPath(path)


def paint_regions(painter: QPainter, paths: Sequence[tuple[str, QPainterPath]], lit: str | None) -> None:
    """The regions in their colours, or one colour alone."""
    pen = QPen(theme.colour("ink"), 1.0)
    pen.setCosmetic(True)
    for colour, path in paths:
        alone = lit is None or lit == colour
        painter.setPen(pen if alone else QPen(theme.colour("rule"), 0))
        painter.setBrush(QColor(colour) if alone else Qt.BrushStyle.NoBrush)
        painter.drawPath(path)


def picked_path(
    paths: Sequence[tuple[str, QPainterPath]], picks: Sequence[tuple[float, float]]
) -> QPainterPath:
    """Outline of the picked pieces."""
    out = QPainterPath()
    for _, path in paths:
        for piece in pieces_of(path):
            if any(piece.contains(QPointF(x, -y)) for x, y in picks):
                out.addPath(piece)
    return out
