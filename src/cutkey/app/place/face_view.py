"""The face a graphic lies on, seen square on at true scale, with dimensions that can be typed into."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from cutkey.app.drafting import chain_line, dimension
from cutkey.app.paths import path_of
from cutkey.app.theme import theme
from cutkey.core.errors import BadInput
from cutkey.core.relief.frame import flat_transform
from cutkey.core.relief.placement import Placement
from cutkey.core.units import format_mm, parse_number
from cutkey.worker.shown import GraphicView, PlacedView


class FaceView(QWidget):
    """Drag the graphic to move it (Alt does without guides); click a figure to type the distance; drag the line of the section."""

    moved = Signal(float, float, bool)  # offset in mm; True when the drag has ended
    cut = Signal(float, float, float)  # a place on the section line, mm, and its direction, degrees

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(200, 200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Face, square on"))
        self._face: PlacedView | None = None
        self._placement: Placement | None = None
        self._outline = QPainterPath()
        self._regions: list[tuple[str, QPainterPath]] = []
        self._rings: list[np.ndarray] = []  # of the graphic, turned, at offset 0
        self._shown: tuple[Any, ...] | None = None  # what the paths below were made of
        self._box = QRectF()  # of the placed graphic at offset 0, mm, y up
        self._zoom = 1.0
        self._dragging = False
        self._gone = False  # whether the mouse has moved since it was pressed
        self._line: tuple[float, float, float] | None = None  # of the section, None through the graphic's middle
        self._turning: str = ""  # what of the line is being dragged
        self._last = QPointF()
        self._from = (0.0, 0.0)  # offset at the start of a drag
        self._others: list[tuple[float, float]] = []  # middles of other graphics on the face
        self._guides: tuple[float | None, float | None] = (None, None)  # what the dragged graphic is drawn to, x and y
        self._boxes: dict[str, QRectF] = {}
        self._editor = QLineEdit(self)
        self._editor.hide()
        self._editor.editingFinished.connect(self._typed)
        self._edited = ""

    def show_placement(
        self,
        face: PlacedView | None,
        placement: Placement | None,
        graphic: GraphicView | None,
        filament: dict[str, str],
        others: Sequence[tuple[float, float]] = (),
    ) -> None:
        """Show a placement on its face; `filament` gives the printed colour of each colour, `others` where other graphics lie."""
        self._face, self._placement, self._others = face, placement, list(others)
        if face is None or placement is None or graphic is None:
            self._regions, self._rings, self._shown = [], [], None
            self.update()
            return
        self._outline = path_of(face.outline)
        # While it is only moved, the graphic's own paths stay.
        shown = (graphic, placement.spin, placement.mirror, placement.depths, filament, theme.name)
        if self._shown is None or self._shown[0] is not graphic or self._shown[1:] != shown[1:]:
            self._shown = shown
            self._take_regions(placement, graphic, filament)
        self.update()

    def _take_regions(self, placement: Placement, graphic: GraphicView, filament: dict[str, str]) -> None:
        self._regions, self._rings = [], []
        matrix = flat_transform(placement)[:, :2]
        points = []
        for colour, rings in graphic.regions:
            # Where material is taken away no colour is left to show.
            gone = placement.depth_of(colour).mode in ("recessed", "through")
            shown = theme.colour("rule").name() if gone else filament.get(colour, colour)
            self._regions.append((shown, path_of(rings, lambda p: p @ matrix.T)))
            points.append(rings.points @ matrix.T)
            self._rings += [r @ matrix.T for r in rings.rings()]
        every = np.concatenate(points) if points else np.zeros((1, 2))
        low, high = every.min(0), every.max(0)
        self._box = QRectF(low[0], low[1], high[0] - low[0], high[1] - low[1])

    # -- coordinates
    def _scale(self) -> float:
        b = self._outline.boundingRect()
        if b.isEmpty():
            return 1.0
        if self._face is not None and self._face.grid is not None:
            # Of a large curved surface only what lies about the graphic.
            g = self.graphic_box()
            near = QRectF(-1, -1, 2, 2).united(g)
            b = b.intersected(near.adjusted(-g.width() / 2, -g.width() / 2, g.width() / 2, g.width() / 2))
        return self._zoom * min((self.width() - 176) / b.width(), (self.height() - 170) / b.height())

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2 + 18, self.height() / 2 + 10)

    def to_widget(self, x: float, y: float) -> QPointF:
        """Widget place of face coordinates in mm."""
        k, c = self._scale(), self._middle()
        return QPointF(c.x() + x * k, c.y() - y * k)

    def graphic_box(self) -> QRectF:
        """Box of the graphic on the face, mm, y up."""
        if self._placement is None:
            return QRectF()
        return self._box.translated(*self._placement.offset)

    def placed_outlines(self) -> list[np.ndarray]:
        """Outlines of the graphic on the face, mm, closed, no more points each than the eye needs."""
        if self._placement is None:
            return []
        shift = np.array(self._placement.offset)
        return [np.concatenate([r[:: max(1, len(r) // 240)], r[:1]]) + shift for r in self._rings]

    def distances(self) -> dict[str, float]:
        """Distance of the graphic's box to each edge of the face's box, mm."""
        f, g = self._outline.boundingRect(), self.graphic_box()
        return {"left": g.left() - f.left(), "right": f.right() - g.right(), "below": g.top() - f.top(), "above": f.bottom() - g.bottom()}

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the face, the graphic and the dimensions."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = QFont("Barlow SemiBold")
        font.setPixelSize(12)
        painter.setFont(font)
        painter.setPen(theme.colour("soft"))
        self._boxes = {}
        if self._face is None or self._placement is None:
            text = self.tr("The face a graphic lies on is drawn here,\nsquare on and at true scale.")
            painter.drawText(self.rect().adjusted(20, 20, -20, -20), Qt.AlignmentFlag.AlignCenter, text)
            return
        ratio = self._scale() * 25.4 / max(60.0, self.logicalDpiX())
        scale = f"{format_mm(ratio, 1)} : 1" if ratio >= 1 else f"1 : {format_mm(1 / ratio, 1)}"
        painter.drawText(QRectF(10, 8, self.width() - 20, 20), Qt.AlignmentFlag.AlignLeft, self.tr("square on, {0}").format(scale))
        c, k = self._middle(), self._scale()
        painter.save()
        painter.translate(c)
        painter.scale(k, -k)
        pen = QPen(theme.colour("ink"), 1.4)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(theme.colour("stage_low"))
        painter.drawPath(self._outline)
        pen.setWidthF(0.8)
        painter.setPen(pen)
        painter.translate(*self._placement.offset)
        for colour, path in self._regions:
            painter.setBrush(QColor(colour))
            painter.drawPath(path)
        painter.restore()
        self._paint_centre_lines(painter)
        self._paint_clear(painter)
        a, b = self.line_ends()
        chain_line(painter, a, b, "A", strong=bool(self._turning))
        self._paint_dimensions(painter)

    def _paint_centre_lines(self, painter: QPainter) -> None:
        b = self._outline.boundingRect()
        pen = QPen(theme.colour("rule"), 1.0)
        pen.setDashPattern([12, 3, 2, 3])
        painter.setPen(pen)
        over = 8 / self._scale()
        painter.drawLine(self.to_widget(0, b.top() - over), self.to_widget(0, b.bottom() + over))
        painter.drawLine(self.to_widget(b.left() - over, 0), self.to_widget(b.right() + over, 0))

    def _paint_clear(self, painter: QPainter) -> None:
        """What is kept clear of edges, dashed, and the guides that a dragged graphic is drawn to."""
        assert self._placement is not None and self._face is not None
        if self._face.clear is not None:
            pen = QPen(theme.colour("madder"), 1.0)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for ring in self._face.clear.rings():
                painter.drawPolygon(QPolygonF([self.to_widget(float(x), float(y)) for x, y in ring]))
        painter.setPen(QPen(theme.colour("ultramarine"), 1.0))
        x, y = self._guides
        if x is not None:
            p = self.to_widget(x, 0)
            painter.drawLine(QPointF(p.x(), 30), QPointF(p.x(), self.height() - 6))
        if y is not None:
            p = self.to_widget(0, y)
            painter.drawLine(QPointF(6, p.y()), QPointF(self.width() - 6, p.y()))

    def _paint_dimensions(self, painter: QPainter) -> None:
        f, g = self._outline.boundingRect(), self.graphic_box()
        d = self.distances()
        lines = {
            "left": ((g.left(), g.center().y()), (f.left(), g.center().y())),
            "right": ((g.right(), g.center().y()), (f.right(), g.center().y())),
            "below": ((g.center().x(), g.top()), (g.center().x(), f.top())),
            "above": ((g.center().x(), g.bottom()), (g.center().x(), f.bottom())),
        }
        for name, (a, b) in lines.items():
            colour = "ultramarine" if d[name] >= 0 else "madder"
            self._boxes[name] = dimension(painter, self.to_widget(*a), self.to_widget(*b), format_mm(d[name], 2), colour)
        top, bottom = self.to_widget(f.left(), f.bottom()), self.to_widget(f.right(), f.bottom())
        dimension(painter, top, bottom, format_mm(f.width(), 2), "ink", 44)
        dimension(painter, self.to_widget(f.left(), f.top()), self.to_widget(f.left(), f.bottom()), format_mm(f.height(), 2), "ink", 74)

    def figure_box(self, name: str) -> QRectF:
        """Where a figure (left, right, above, below) stands."""
        return self._boxes.get(name, QRectF())

    # -- the section line
    def set_line(self, line: tuple[float, float, float] | None) -> None:
        """Where the section is taken: a place, mm, and a direction, degrees; None goes level through the graphic's middle."""
        self._line = line
        self.update()

    def line(self) -> tuple[float, float, float]:
        """The section line as it is shown."""
        if self._line is not None:
            return self._line
        return (*self._placement.offset, 0.0) if self._placement is not None else (0.0, 0.0, 0.0)

    def line_ends(self) -> tuple[QPointF, QPointF]:
        """Ends of the section line in the widget."""
        x, y, angle = self.line()
        b = self._outline.boundingRect()
        if self._face is not None and self._face.grid is not None:
            g = self.graphic_box()
            b = b.intersected(g.adjusted(-g.width() / 2, -g.width() / 2, g.width() / 2, g.width() / 2))
        # Past the outline, and past the figures that stand beside it.
        half = math.hypot(b.width() * math.cos(math.radians(angle)), b.height() * math.sin(math.radians(angle))) / 2 + 44 / self._scale()
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        # About the middle of the face, so that the ends stay in sight.
        along = (b.center().x() - x) * c + (b.center().y() - y) * s
        return self.to_widget(x + c * (along - half), y + s * (along - half)), self.to_widget(
            x + c * (along + half), y + s * (along + half)
        )

    def _grip(self, p: QPointF) -> str:
        """What of the section line lies under the mouse: an end to turn it by, the line to move it, or nothing."""
        if self._placement is None:
            return ""
        a, b = self.line_ends()
        for name, end in (("start", a), ("end", b)):
            if math.hypot(p.x() - end.x(), p.y() - end.y()) < 18:
                return name
        length = math.hypot(b.x() - a.x(), b.y() - a.y()) or 1.0
        away = abs((p.x() - a.x()) * (b.y() - a.y()) - (p.y() - a.y()) * (b.x() - a.x())) / length
        along = ((p.x() - a.x()) * (b.x() - a.x()) + (p.y() - a.y()) * (b.y() - a.y())) / length
        return "line" if away < 5 and 0 < along < length else ""

    def _drag_line(self, p: QPointF) -> None:
        x, y, angle = self.line()
        k, c = self._scale(), self._middle()
        mx, my = (p.x() - c.x()) / k, (c.y() - p.y()) / k
        if self._turning == "line":
            x, y = mx, my
        elif math.hypot(mx - x, my - y) > 1e-6:
            turned = math.degrees(math.atan2(my - y, mx - x)) + (180 if self._turning == "start" else 0)
            nearest = round(turned / 15) * 15
            angle = nearest if abs(turned - nearest) < 3 else turned
            angle = (angle + 180) % 360 - 180
        self.set_line((round(x, 3), round(y, 3), round(angle, 2)))
        self.cut.emit(*self.line())

    # -- hands
    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Type into a figure, or start dragging the graphic."""
        p = event.position()
        for name, box in self._boxes.items():
            if box.adjusted(-3, -3, 3, 3).contains(p):
                self._edit(name, box)
                return
        k, c = self._scale(), self._middle()
        self._turning = self._grip(p)
        inside = self.graphic_box().contains(QPointF((p.x() - c.x()) / k, (c.y() - p.y()) / k))
        if self._turning and not (self._turning == "line" and inside):
            return
        self._turning = ""
        self._dragging, self._gone = inside and self._placement is not None, False
        self._last = p
        self._from = self._placement.offset if self._placement is not None else (0.0, 0.0)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the graphic, or the section line."""
        if self._turning:
            self._drag_line(event.position())
        elif self._dragging:
            away = event.position() - self._last
            # A click alone must not draw the graphic to a guide.
            self._gone |= math.hypot(away.x(), away.y()) > 2
            if not self._gone:
                return
            self._shift(event.position(), False, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End the drag."""
        self._turning = ""
        if self._dragging and self._gone:
            self._shift(event.position(), True, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        self._dragging = False

    def _shift(self, p: QPointF, done: bool, free: bool = False) -> None:
        assert self._placement is not None
        d = (p - self._last) * (1 / self._scale())
        x, y = self._from[0] + d.x(), self._from[1] - d.y()
        self._guides = (None, None)
        if not free:
            x, y = self._snapped(x, y)
        if done:
            self._guides = (None, None)
        self.moved.emit(round(x, 4), round(y, 4), done)

    def _snapped(self, x: float, y: float) -> tuple[float, float]:
        """The middle of the face, of its holes and of other graphics draw the dragged one to them, within a few pixels."""
        near = 5 / self._scale()
        found: list[float | None] = []
        f, g = self._outline.boundingRect(), self._box
        keep = self._placement.margin if self._placement is not None else 0.0
        # Flush with the face's edges, or as far from them as is kept clear.
        flush = (
            (f.left() + keep - g.left(), f.right() - keep - g.right()),
            (f.top() + keep - g.top(), f.bottom() - keep - g.bottom()),
        )
        for k, at in enumerate((x, y)):
            away, best = min((abs(m - at), m) for m in (*(p[k] for p in self._magnets()), *flush[k]))
            found.append(best if away < near else None)
        self._guides = (found[0], found[1])
        return (x if found[0] is None else found[0], y if found[1] is None else found[1])

    def _magnets(self) -> list[tuple[float, float]]:
        places = [(0.0, 0.0), *self._others]
        centres = self.hole_centres()
        if len(centres) > 1:
            low, high = np.min(centres, 0), np.max(centres, 0)
            places.append((float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2))
        return places

    def hole_centres(self) -> list[tuple[float, float]]:
        """Middles of the face's holes, mm."""
        if self._face is None:
            return []
        rings = self._face.outline.rings()
        boxes = [(r.min(0), r.max(0)) for r in rings]
        whole = max((float(np.prod(high - low)) for low, high in boxes), default=0.0)
        holes = [(low + high) / 2 for low, high in boxes if 0 < np.prod(high - low) < 0.25 * whole]
        return [(float(c[0]), float(c[1])) for c in holes]

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom."""
        self._zoom = min(20.0, max(0.3, self._zoom * 1.0015 ** event.angleDelta().y()))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show the whole face again, and the section through the graphic's middle."""
        self._zoom = 1.0
        self.set_line(None)
        self.cut.emit(*self.line())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows nudge by 0.1 mm, with Shift by 1 mm."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        if event.key() in steps and self._placement is not None:
            size = 1.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.1
            dx, dy = steps[Qt.Key(event.key())]
            x, y = self._placement.offset
            self.moved.emit(round(x + dx * size, 4), round(y + dy * size, 4), True)
        else:
            super().keyPressEvent(event)

    def _edit(self, name: str, box: QRectF) -> None:
        self._edited = name
        self._editor.setGeometry(box.adjusted(-14, -4, 14, 4).toRect())
        self._editor.setText(format_mm(self.distances()[name], 2))
        self._editor.setAccessibleName(self.tr("Distance {0}").format(name))
        self._editor.selectAll()
        self._editor.show()
        self._editor.setFocus()

    def _typed(self) -> None:
        name, self._edited = self._edited, ""
        self._editor.hide()
        if not name or self._placement is None:
            return
        try:
            change = parse_number(self._editor.text()) - self.distances()[name]
        except BadInput:
            return
        if math.isclose(change, 0, abs_tol=5e-3):
            return
        x, y = self._placement.offset
        dx, dy = {"left": (change, 0.0), "right": (-change, 0.0), "below": (0.0, change), "above": (0.0, -change)}[name]
        self.moved.emit(round(x + dx, 4), round(y + dy, 4), True)
