"""Bed loads in plan: what is printed together, on which bed.

Where that may be, pieces are dragged from bed to bed.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPainterPathStroker,
    QPaintEvent,
    QPen,
    QTransform,
)

from cutkey.app.drafting import hatch
from cutkey.app.paths import path_of
from cutkey.app.theme import drawing_font, theme
from cutkey.app.widgets.strip import Strip
from cutkey.core.kit.bed import GAP, Spot
from cutkey.core.model.printer import Printer
from cutkey.worker.shown_kit import KitView, UnitView

#: A mouse that has gone so far drags, px; and mm that a piece may lie nearer to another than is asked, which
#: is how fine the mouse is.
_DRAG, _FINE = 4.0, 0.3


class _Drag(NamedTuple):
    spot: int
    begun: QPointF
    at: Spot  # where it would lie
    moving: bool = False


class BedLoads(Strip):
    """One square a bed, the true outlines of the units on it."""

    bed_chosen = Signal(int)  # from 1
    picked = Signal(int)  # number of the spot, -1 for none
    put = Signal(int, object)  # number of the spot, and where it was dragged to
    asked = Signal(int, object)  # number of the spot and the place on the screen, for its menu

    def __init__(self, editable: bool = False) -> None:
        super().__init__(self.tr("Bed loads"))
        self._editable = editable
        film = self.tr("Click a bed to see its film")
        self.setToolTip(
            self.tr("Click a piece to say how it lies; drag it to another place or bed") if editable else film
        )
        self._boxes: list[QRectF] = []
        self._paths: list[tuple[int, QPainterPath]] = []
        self._outlines: dict[int, QPainterPath] = {}  # of each unit as it lies, mm
        self._scale = 1.0
        self._kit: KitView | None = None
        self._printer = Printer()
        self._drag: _Drag | None = None
        self.chosen = -1  # number of the picked spot

    def show_kit(self, kit: KitView | None, printer: Printer) -> None:
        """Show the beds of a kit."""
        if kit is not self._kit:
            self._drag = None
            self._outlines.clear()
        self._kit, self._printer = kit, printer
        if kit is None or self.chosen >= len(kit.spots):
            self.chosen = -1
        self.update()

    # -- drawing
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the beds."""
        painter = self.begin(self.tr("Beds"), self._printer.name if self._kit else "")
        if self._kit is None:
            return
        drag = self._drag if self._drag is not None and self._drag.moving else None
        # Room for a new bed is there as soon as a piece is picked, so that nothing moves when it is dragged.
        loads = 1 + max((s.load for s in self._kit.spots), default=-1) + (self.chosen >= 0)
        bx, by, _ = self._printer.bed
        per_row = max(1, loads)
        side = min(self.height() - 58, (self.width() - 28) / per_row - 12)
        if side < 34:
            per_row = -(-loads // 2)
            side = min((self.height() - 62) / 2, (self.width() - 28) / per_row - 12)
        # A section that is too large is drawn whole, running over its bed.
        largest = max([bx, by, *(v + self._printer.margin for u in self._kit.units for v in u.on_bed[:2])])
        self._scale = scale = side / largest
        self._boxes, self._paths = [], []
        for load in range(loads):
            x, y = 14 + (load % per_row) * (side + 12), 30 + (load // per_row) * (side + 16)
            self._boxes.append(QRectF(x, y + (largest - by) * scale, bx * scale, by * scale))
            self._paint_bed(painter, load, new=self.chosen >= 0 and load == loads - 1)
        if drag is not None:
            self._paint_unit(painter, drag.spot, drag.at, bad=bool(self._over(drag.spot, drag.at)))

    def _paint_bed(self, painter: QPainter, load: int, new: bool) -> None:
        assert self._kit is not None
        box, scale = self._boxes[load], self._scale
        pen = QPen(theme.colour("line" if new else "ink"), 1.3)
        if new:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.setBrush(theme.colour("field"))
        m = self._printer.margin * scale
        draw = painter.drawEllipse if self._printer.shape == "round" else painter.drawRect
        draw(box)
        pen = QPen(theme.colour("line"), 1.0)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        draw(box.adjusted(m, m, -m, -m))
        for left, low, w, d in self._printer.keep_out:
            out = QPainterPath()
            out.addRect(
                QRectF(box.left() + left * scale, box.bottom() - (low + d) * scale, w * scale, d * scale)
            )
            hatch(painter, out, theme.colour("madder_wash"), 5.0)
        for number, spot in enumerate(self._kit.spots):
            if spot.load == load and not (
                self._drag is not None and self._drag.moving and self._drag.spot == number
            ):
                self._paint_unit(painter, number, spot, bad=not spot.fits)
        painter.setFont(drawing_font(12))
        painter.setPen(theme.colour("soft"))
        text = self.tr("new bed") if new else self.tr("bed {0}").format(load + 1)
        painter.drawText(
            QRectF(box.left(), box.bottom() + 1, box.width(), 15), Qt.AlignmentFlag.AlignCenter, text
        )

    def _paint_unit(self, painter: QPainter, number: int, spot: Spot, bad: bool) -> None:
        assert self._kit is not None
        unit = self._kit.units[spot.unit]
        box, scale = self._boxes[min(spot.load, len(self._boxes) - 1)], self._scale

        if spot.unit not in self._outlines:
            self._outlines[spot.unit] = path_of(unit.outline)
        on_screen = QTransform(scale, 0, 0, -scale, box.left(), box.bottom())
        path = on_screen.translate(spot.x, spot.y).rotate(spot.angle).map(self._outlines[spot.unit])
        self._paths.append((number, path))
        body = QColor(unit.pieces[0][1].colour)
        picked = number == self.chosen
        painter.setPen(
            QPen(
                theme.colour("madder" if bad else "ultramarine" if picked else "ink"), 2.0 if picked else 1.0
            )
        )
        painter.setBrush(theme.colour("ultramarine") if unit.is_key else body)
        painter.drawPath(path)
        if not unit.is_key:
            painter.setFont(drawing_font(15, True))
            painter.setPen(
                theme.colour("madder") if bad else QColor("#1E2A33" if body.lightnessF() > 0.4 else "#FBF9F4")
            )
            middle = path.boundingRect().center()
            painter.drawText(
                QRectF(middle.x() - 40, middle.y() - 12, 80, 24), Qt.AlignmentFlag.AlignCenter, unit.name
            )

    # -- where a piece may lie
    def why_not(self, number: int, at: Spot) -> str:
        """Why a piece cannot lie at a place, in words; "" when it can."""
        over = self._over(number, at)
        return self.tr("{0} has no room there: {1}.").format(self._unit(number).name, over) if over else ""

    def numbers_of(self, name: str) -> list[int]:
        """Numbers of the spots of a unit."""
        return (
            [n for n, s in enumerate(self._kit.spots) if self._kit.units[s.unit].name == name]
            if self._kit is not None
            else []
        )

    def _unit(self, number: int) -> UnitView:
        assert self._kit is not None
        return self._kit.units[self._kit.spots[number].unit]

    def _over(self, number: int, at: Spot) -> str:
        """What is in the way of a piece at a place."""
        assert self._kit is not None
        p, unit = self._printer, self._unit(number)
        points = _laid(unit.outline.points, at)
        (x0, y0), (x1, y1) = points.min(0), points.max(0)
        m = p.margin - 1e-3
        outside = x0 < m or y0 < m or x1 > p.bed[0] - m or y1 > p.bed[1] - m
        if p.shape == "round":
            outside = bool(np.hypot(*(points - p.bed[0] / 2).T).max() > p.bed[0] / 2 - m)
        if outside:
            return self.tr("it would lie over the edge of the bed")
        path = _path(unit, at)
        for x, y, w, d in p.keep_out:
            if path.intersects(QRectF(x, y, w, d)):
                return self.tr("that part of the bed is kept free")
        stroker = QPainterPathStroker()
        stroker.setWidth(2 * (GAP - _FINE))
        wide = stroker.createStroke(path) | path
        for n, spot in enumerate(self._kit.spots):
            if n == number or spot.load != at.load:
                continue
            other = self._kit.units[spot.unit]
            if wide.intersects(_path(other, spot)):
                return self.tr("{0} lies there").format(other.name)
        return ""

    # -- hands
    def _at(self, p: QPointF) -> int:
        """Number of the spot under a place, -1 for none; the smallest of several."""
        found = [
            (path.boundingRect().width() * path.boundingRect().height(), n)
            for n, path in self._paths
            if path.contains(p)
        ]
        return min(found)[1] if found else -1

    def pick(self, number: int) -> None:
        """Pick a piece, or none with -1."""
        self.chosen = number
        self.picked.emit(number)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick a piece, or choose a bed."""
        if event.button() != Qt.MouseButton.LeftButton or self._kit is None:
            return
        number = self._at(event.position()) if self._editable else -1
        if self._editable:
            self.pick(number)
        if number >= 0:
            self._drag = _Drag(number, event.position(), self._kit.spots[number])
            return
        for n, box in enumerate(self._boxes, 1):
            if box.contains(event.position()):
                self.bed_chosen.emit(n)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag a piece."""
        drag, kit = self._drag, self._kit
        if drag is None or kit is None:
            return
        p = event.position()
        far = math.hypot(p.x() - drag.begun.x(), p.y() - drag.begun.y())
        if not drag.moving and far < _DRAG:
            return
        spot = kit.spots[drag.spot]
        beds = [n for n, b in enumerate(self._boxes) if b.adjusted(-6, -6, 6, 6).contains(p)]
        bed = beds[0] if beds else drag.at.load
        box, home = self._boxes[bed], self._boxes[spot.load]
        # What was taken hold of stays under the mouse, on whichever bed.
        x = spot.x + ((p.x() - box.left()) - (drag.begun.x() - home.left())) / self._scale
        y = spot.y - ((p.y() - box.bottom()) - (drag.begun.y() - home.bottom())) / self._scale
        at = self._kept_in(drag.spot, spot._replace(load=bed, x=x, y=y, fits=True))
        self._drag = drag._replace(at=at, moving=True)
        self.update()

    def _kept_in(self, number: int, at: Spot) -> Spot:
        """A place moved so far that the piece lies inside the edges of its bed, where it can."""
        p = self._printer
        points = _laid(self._unit(number).outline.points, at)
        (x0, y0), (x1, y1) = points.min(0), points.max(0)
        x = max(p.margin - x0, min(0.0, p.bed[0] - p.margin - x1))
        y = max(p.margin - y0, min(0.0, p.bed[1] - p.margin - y1))
        return at._replace(x=float(at.x + x), y=float(at.y + y))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Leave a piece where it was dragged to."""
        drag, self._drag = self._drag, None
        if drag is not None and drag.moving:
            self.put.emit(drag.spot, drag.at)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with a piece."""
        number = self._at(QPointF(event.pos()))
        if self._editable and number >= 0:
            self.pick(number)
            self.asked.emit(number, event.globalPos())

    def turned(self, number: int) -> Spot:
        """Where a piece lies when it is turned by a quarter about its middle."""
        assert self._kit is not None
        spot = self._kit.spots[number]
        points = self._unit(number).outline.points
        before, new = _laid(points, spot), spot._replace(angle=(spot.angle + 90.0) % 360.0)
        after = _laid(points, new)
        x, y = ((before.min(0) + before.max(0)) - (after.min(0) + after.max(0))) / 2
        return self._kept_in(number, new._replace(x=float(new.x + x), y=float(new.y + y)))


def _laid(points: np.ndarray, spot: Spot) -> np.ndarray:
    """Points of a unit on its bed, mm."""
    c, s = math.cos(math.radians(spot.angle)), math.sin(math.radians(spot.angle))
    return np.asarray(np.asarray(points, float) @ np.array([[c, s], [-s, c]]) + np.array([spot.x, spot.y]))


def _path(unit: UnitView, spot: Spot) -> QPainterPath:
    """A unit on its bed, mm."""
    return path_of(unit.outline, lambda p: _laid(p, spot))
