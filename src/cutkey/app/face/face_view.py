"""The face of what is picked, seen square on at true scale.

Things are moved, turned and sized by hand, dimensions typed into.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from cutkey.app.arrows import arrow_of
from cutkey.app.drafting import chain_line
from cutkey.app.face.dimensions import Box, Dimensions, distances_of
from cutkey.app.face.face_paint import paint_centre_lines, paint_clear, paint_things
from cutkey.app.face.section_line import SectionGrip
from cutkey.app.hands.hands import DRAWS, Hands, Posed, is_curved
from cutkey.app.hands.snapping import hole_centres
from cutkey.app.hands.things import Face, Thing, same_face
from cutkey.app.paths import path_of
from cutkey.app.theme import theme, writing_font
from cutkey.app.widgets.basics import button
from cutkey.core.units import format_mm
from cutkey.worker.shown import PlacedView, Rings

#: Room round the drawing for its dimensions, px, and the most of a small view that is given to it.
ACROSS, ALONG, MOST = 176, 170, 0.58


class FaceView(QWidget):
    """Drag what lies here to move it (Alt does without guides), its handles to turn and size it.

    Click a figure to type the distance.
    """

    posed = Signal(object, bool)  # Posed of everything that is moved; True when the drag has ended
    picked = Signal(object)  # ids of what is picked
    cut = Signal(float, float, float)  # a place on the section line, mm, and its direction, degrees

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(160, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Face, square on"))
        self.hands = Hands()
        self.section = SectionGrip()
        self.dimensions = Dimensions(self, self._typed)
        # for a place and what lies there
        self.menu: Callable[[tuple[float, float], str], QMenu | None] | None = None
        self._face: Face | None = None
        self._margin = 0.0
        self._outline = QPainterPath()
        self._paths: dict[int, QPainterPath] = {}  # by the rings they were made of
        self._kept: list[Rings] = []  # so that these stay what they are
        self._main = ""  # what the dimensions are of
        self._zoom, self._shift = 1.0, QPointF()
        self._drag, self._last, self._mouse, self._gone = "", QPointF(), QPointF(), False
        tips = (
            self.tr("Show the whole face; so does a double click"),
            self.tr("Fill the view with what is picked"),
        )
        self.fit_face = button(self.tr("whole face"), "link", tip=tips[0])
        self.fit_thing = button(self.tr("what is picked"), "link", tip=tips[1])
        for b, act in ((self.fit_face, self.show_all), (self.fit_thing, self.show_picked)):
            b.setParent(self)
            b.clicked.connect(act)
            b.hide()

    # -- content
    def show_things(
        self, face: Face | None, things: list[Thing], picked: Sequence[str], main: str, margin: float = 0.0
    ) -> None:
        """Show a face and what lies on it.

        The dimensions are those of `main`, `margin` mm are kept clear at the edges.
        """
        if face is None or self._face is None or not same_face(face, self._face):
            self._zoom, self._shift = 1.0, QPointF()
        self._face, self._margin = face, margin
        self.hands.show(things if face is not None else [], picked)
        self._main = main
        # The section is the graphic's, whatever else is picked.
        thing = self.hands.thing(face.placement) if isinstance(face, PlacedView) else None
        self.section.middle = thing.at if thing is not None else (0.0, 0.0)
        if face is not None:
            self._outline = path_of(face.outline)
        self._kept = [rings for t in self.hands.things for _, rings in t.fills]
        self._paths = {id(r): self._paths.get(id(r)) or path_of(r) for r in self._kept}
        for b in (self.fit_face, self.fit_thing):
            b.setVisible(face is not None)
        self._place_buttons()
        self.update()

    def main(self) -> Thing | None:
        """What the dimensions are of."""
        return self.hands.thing(self._main)

    def show_all(self) -> None:
        """The whole face."""
        self._zoom, self._shift = 1.0, QPointF()
        self.update()

    def show_picked(self) -> None:
        """What is picked, as large as it fits."""
        thing = self.main()
        if thing is None:
            return
        x0, y0, x1, y1 = thing.box()
        self._zoom, self._shift = 1.0, QPointF()
        room = min((self.width() - 90) / max(x1 - x0, 0.5), (self.height() - 110) / max(y1 - y0, 0.5))
        self._zoom = min(200.0, max(0.3, room / self._scale()))
        k = self._scale()
        self._shift = QPointF(-(x0 + x1) / 2 * k - 18, (y0 + y1) / 2 * k - 10)
        self.update()

    # -- coordinates
    def _face_box(self) -> Box:
        """What is shown of the face: of a large curved surface only what lies about the thing."""
        b = self._outline.boundingRect()
        thing = self.main()
        if is_curved(self._face) and thing is not None:
            x0, y0, x1, y1 = thing.box()
            near = QRectF(-1, -1, 2, 2).united(QRectF(x0, y0, x1 - x0, y1 - y0))
            by = (x1 - x0) / 2
            b = b.intersected(near.adjusted(-by, -by, by, by))
        return b.left(), b.top(), b.right(), b.bottom()

    def _scale(self) -> float:
        x0, y0, x1, y1 = self._face_box()
        if x1 - x0 <= 0 or y1 - y0 <= 0:
            return 1.0
        across, along = (
            size - min(room, MOST * size) for size, room in ((self.width(), ACROSS), (self.height(), ALONG))
        )
        return max(0.01, self._zoom * min(across / (x1 - x0), along / (y1 - y0)))

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2 + 18, self.height() / 2 + 10) + self._shift

    def to_widget(self, x: float, y: float) -> QPointF:
        """Widget place of face coordinates in mm."""
        k, c = self._scale(), self._middle()
        return QPointF(c.x() + x * k, c.y() - y * k)

    def to_face(self, p: QPointF) -> tuple[float, float]:
        """Face coordinates in mm of a widget place."""
        k, c = self._scale(), self._middle()
        return (p.x() - c.x()) / k, (c.y() - p.y()) / k

    def graphic_box(self) -> QRectF:
        """Box of what the dimensions are of, mm, y up."""
        thing = self.main()
        if thing is None:
            return QRectF()
        x0, y0, x1, y1 = thing.box()
        return QRectF(x0, y0, x1 - x0, y1 - y0)

    def placed_outlines(self) -> list[np.ndarray]:
        """Outlines of everything that is picked, or of what the dimensions are of, as it is wanted."""
        held = {t.id: t for t in self.hands.preview()}
        main = self.main()
        shown = {t.id: t for t in (*self.hands.mine(), *((main,) if main is not None else ()))}
        return [o for id, t in shown.items() for o in held.get(id, t).outlines()]

    def distances(self) -> dict[str, float]:
        """Distance of the thing's box to each edge of the face's box, mm."""
        thing = self.main()
        return distances_of(self._edges(), thing.box()) if thing is not None else {}

    def _edges(self) -> Box:
        b = self._outline.boundingRect()
        return b.left(), b.top(), b.right(), b.bottom()

    def hole_centres(self) -> list[tuple[float, float]]:
        """Middles of the face's holes, mm."""
        return hole_centres(self._face.outline) if self._face is not None else []

    def figure_box(self, name: str) -> QRectF:
        """Where a figure (left, right, above, below) stands."""
        return self.dimensions.box(name)

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the face, what lies on it and the dimensions."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(writing_font(12))
        painter.setPen(theme.colour("soft"))
        self.dimensions.clear()
        if self._face is None:
            text = self.tr("The face a graphic lies on is drawn here,\nsquare on and at true scale.")
            painter.drawText(self.rect().adjusted(20, 20, -20, -20), Qt.AlignmentFlag.AlignCenter, text)
            return
        ratio = self._scale() * 25.4 / max(60.0, self.logicalDpiX())
        scale = f"{format_mm(ratio, 1)} : 1" if ratio >= 1 else f"1 : {format_mm(1 / ratio, 1)}"
        said = self.tr("square on, {0}").format(scale)
        painter.drawText(QRectF(10, 8, self.width() - 20, 20), Qt.AlignmentFlag.AlignLeft, said)
        painter.save()
        painter.translate(self._middle())
        painter.scale(self._scale(), -self._scale())
        paint_things(painter, self._outline, self.hands, self._paths)
        painter.restore()
        paint_centre_lines(painter, self._outline.boundingRect(), self.to_widget, 8 / self._scale())
        paint_clear(painter, self._face, self.hands.guides, self.to_widget, QRectF(self.rect()))
        if self._has_section():
            a, b = self.line_ends()
            chain_line(painter, a, b, "A", strong=bool(self.section.held))
        held = next((t for t in self.hands.preview() if t.id == self._main), self.main())
        if held is not None:
            self.dimensions.paint(painter, self._edges(), held.box(), self.to_widget)
        mouse = self._mouse if self.hands.hold is not None else None
        self.hands.paint(
            painter, self.to_widget, lambda xy: [self.to_widget(x, y) for x, y in xy.tolist()], mouse
        )

    # -- the section line
    def _has_section(self) -> bool:
        """Whether the strip below shows a section of this face: graphics have one, add-ons alone have not."""
        return isinstance(self._face, PlacedView) and self.hands.thing(self._face.placement) is not None

    def set_line(self, line: tuple[float, float, float] | None) -> None:
        """Where the section is taken: a place, mm, and a direction, degrees.

        None goes level through the graphic's middle.
        """
        self.section.set = line
        self.update()

    def line(self) -> tuple[float, float, float]:
        """The section line as it is shown."""
        return self.section.line

    def line_ends(self) -> tuple[QPointF, QPointF]:
        """Ends of the section line in the widget."""
        a, b = self.section.ends(self._face_box(), 44 / self._scale())
        return self.to_widget(*a), self.to_widget(*b)

    # -- hands
    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Type into a figure, take hold of a handle or a thing, or pan."""
        p = self._last = self._mouse = event.position()
        self._drag, self._gone = "", False
        if event.button() != Qt.MouseButton.LeftButton:
            self._drag = "pan"
            return
        if self._face is None or self.dimensions.open_at(p):
            return
        more = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        # Picking one more: the handles of what is picked are not in the way.
        hold = self.hands.find(p, self.to_face(p), self.to_widget, handles=not more)
        grip = SectionGrip.under(p, *self.line_ends()) if self._has_section() else ""
        if grip and not (hold is not None and (hold.what != "move" or grip == "line")):
            self._drag, self.section.held = "section", grip
            return
        if hold is None:
            self._drag = "pan"
            return
        if hold.what == "move" and (more or hold.id not in self.hands.picked):
            kept = [i for i in self.hands.picked if i != hold.id] if more else []
            gone = more and hold.id in self.hands.picked
            self.picked.emit(tuple(kept if gone else [*kept, hold.id]))
            if gone:
                return
        self._drag = "thing"
        # What was picked just now may lie on another frame of the same plane, and the place with it.
        self.hands.take(hold._replace(at=self.to_face(p)))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Follow the mouse."""
        p = self._mouse = event.position()
        away = p - self._last
        # A click alone must not draw a thing to a guide.
        self._gone |= math.hypot(away.x(), away.y()) > 2
        if self._drag == "section":
            self.section.drag(*self.to_face(p))
            self.cut.emit(*self.line())
            self.update()
        elif self._drag == "pan" and self._gone:
            self._shift += away
            self._last = p
            self.update()
        elif self._drag == "thing" and self._gone:
            self._move(p, False, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        elif not self._drag:
            hold = self.hands.find(p, self.to_face(p), self.to_widget) if self._face is not None else None
            shapes = {
                "move": Qt.CursorShape.SizeAllCursor,
                "turn": Qt.CursorShape.CrossCursor,
                "size": Qt.CursorShape.SizeFDiagCursor,
            }
            self.setCursor(shapes[hold.what] if hold is not None else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End the drag; a click on nothing picks nothing."""
        drag, self._drag = self._drag, ""
        self.section.held = ""
        if drag == "thing":
            if self._gone:
                self._move(event.position(), True, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
            self.hands.end()
        elif drag == "pan" and not self._gone and event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(())
        self.update()

    def _move(self, p: QPointF, done: bool, free: bool) -> None:
        if self._face is None:
            return
        wanted = self.hands.drag(self.to_face(p), self._face, self._margin, DRAWS / self._scale(), free)
        # A new size is traced anew: only once, at the end.
        if wanted and (done or all(w.factor == 1 for w in wanted)):
            self.posed.emit(wanted, done)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with what lies there."""
        at = self.to_face(QPointF(event.pos()))
        hold = self.hands.find(QPointF(event.pos()), at, self.to_widget)
        menu = (
            self.menu(at, hold.id if hold is not None else "")
            if self.menu is not None and self._face is not None
            else None
        )
        if menu is not None:
            menu.popup(event.globalPos())

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse."""
        p = event.position()
        at = self.to_face(p)
        self._zoom = min(200.0, max(0.3, self._zoom * 1.0015 ** event.angleDelta().y()))
        self._shift += p - self.to_widget(*at)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show the whole face again, and the section through the graphic's middle."""
        self._zoom, self._shift = 1.0, QPointF()
        self.set_line(None)
        self.cut.emit(*self.line())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows nudge by 0.1 mm, with Shift by 1 mm; with Ctrl they pan."""
        way = arrow_of(event.key())
        if way is None:
            super().keyPressEvent(event)
            return
        dx, dy = way
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._shift += QPointF(-dx * 30, dy * 30)
            self.update()
            return
        size = 1.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.1
        wanted = self.hands.nudged(dx * size, dy * size) or self._of_main(dx * size, dy * size)
        if wanted:
            self.posed.emit(wanted, True)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the buttons in their corner."""
        self._place_buttons()

    def _place_buttons(self) -> None:
        # Beside the scale where there is room, else under it.
        y = 4 if self.width() > 300 else 24
        x = self.width() - 10
        for b in (self.fit_thing, self.fit_face):
            b.adjustSize()
            x -= b.width()
            b.move(x, y)

    def _of_main(self, dx: float, dy: float) -> tuple[Posed, ...]:
        thing = self.main()
        if thing is None:
            return ()
        x, y = thing.offset
        return (Posed(thing.id, (round(x + dx, 4), round(y + dy, 4)), thing.spin),)

    def _typed(self, dx: float, dy: float) -> None:
        wanted = self._of_main(dx, dy)
        if wanted:
            self.posed.emit(wanted, True)
