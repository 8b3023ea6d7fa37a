"""Picture and trace registered on each other, a wipe bar between them, rulers in millimetres."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from cutkey.app.drafting import empty_sheet
from cutkey.app.paths import path_of
from cutkey.app.table.gesture import Gesture, Place
from cutkey.app.table.marks import (
    paint_fringe,
    paint_open_lines,
    paint_picked,
    paint_regions,
    paint_specks,
    paint_thin,
    paint_worst,
    picked_path,
)
from cutkey.app.table.rulers import RULER, paint_rulers
from cutkey.app.table.wipe import paint_grid, paint_labels, paint_wipe
from cutkey.app.theme import theme
from cutkey.core.units import format_mm
from cutkey.worker.shown import GraphicView


class LightTable(QWidget):
    """Shows one graphic; coordinates are mm about its middle, y up."""

    picked = Signal(list)  # places inside the picked pieces, mm, y up
    hovered = Signal(str)
    zoomed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Light table"))
        self._view: GraphicView | None = None
        self._image: QImage | None = None
        self._paths: list[tuple[str, QPainterPath]] = []
        self._scale, self._middle = 4.0, QPointF(0, 0)  # px a mm; mm at the widget's centre
        self._fitted = True
        self.wipe = 0.5
        self._drag: str = ""
        self._last = self._pressed = QPointF()
        self._gesture: Gesture | None = None
        self._wipe_before = 0.5
        self._mouse = QPointF()
        self._picks: list[Place] = []
        self._thin = QPainterPath()
        self.menu: Callable[[QPointF], QMenu | None] | None = None
        self.marks: set[str] = set()  # what is drawn over the trace: fringe, specks, thin
        self.lit: str | None = None  # colour shown alone
        self.empty_text = ""

    # -- content
    def show_graphic(self, view: GraphicView | None) -> None:
        """Show a graphic; the view keeps its place when it is the same one traced anew."""
        if view is not None and view is self._view:
            return self.update()
        same = (
            view is not None
            and self._view is not None
            and view.id == self._view.id
            and _alike(view.size, self._view.size)
        )
        other = view is not None and self._view is not None and view.id != self._view.id
        self._view = view
        self._paths = [(c, path_of(r, lambda p: p * (1, -1))) for c, r in view.regions] if view else []
        self._thin = path_of(view.thin, lambda p: p * (1, -1)) if view else QPainterPath()
        self._image = None
        if view is not None and view.picture is not None:
            h, w = view.picture.pixels.shape[:2]
            self._image = QImage(view.picture.pixels.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888)
        if not same or self._fitted:
            self.fit()
        if other and not 0.1 < self.wipe < 0.9:
            # Of another graphic both halves are seen.
            self.wipe = 0.5
        self.update()

    def start(self, gesture: Gesture | None) -> None:
        """Take a tool in the hand, or lay it down."""
        before, self._gesture = self._gesture, gesture
        if before is not None and before.on_picture and (gesture is None or not gesture.on_picture):
            self.wipe = self._wipe_before
        if gesture is not None and gesture.on_picture and not (before is not None and before.on_picture):
            self._wipe_before, self.wipe = self.wipe, max(self.wipe, 0.97)
        self.setCursor(Qt.CursorShape.CrossCursor if gesture else Qt.CursorShape.ArrowCursor)
        if before is not None and before is not gesture:
            before.ended()
        self.update()

    @property
    def gesture(self) -> Gesture | None:
        """The tool in the hand."""
        return self._gesture

    @property
    def picks(self) -> list[Place]:
        """Places inside the picked pieces, mm, y up."""
        return list(self._picks)

    def pick(self, places: list[Place]) -> None:
        """Pick the pieces at places, and say so."""
        self._picks = places
        self.picked.emit(places)
        self.update()

    def go_to(self, x: float, y: float, mm_across: float) -> None:
        """Show a place, mm, y up, so close that `mm_across` fill the table."""
        self._scale = self._area().width() / max(1e-6, mm_across)
        self._middle = QPointF(x, -y)
        self._fitted = False
        self.update()
        self.zoomed.emit()

    def to_fractions(self, places: list[Place]) -> list[Place]:
        """Fractions of the opened picture's width and height of places on the table."""
        if self._view is None or self._view.picture is None or not places:
            return []
        k, (mx, my) = self._view.px_per_mm, self._view.middle_px
        p = np.array([(mx + x * k, my - y * k, 1.0) for x, y in places]) @ self._view.picture.to_fractions.T
        return [(float(x), float(y)) for x, y in p[:, :2] / p[:, 2:]]

    def from_fractions(self, places: Sequence[Place]) -> list[Place]:
        """Places on the table of fractions of the opened picture's width and height."""
        if self._view is None or self._view.picture is None or not places:
            return []
        k, (mx, my) = self._view.px_per_mm, self._view.middle_px
        to_pixels = np.linalg.inv(self._view.picture.to_fractions)
        p = np.array([(x, y, 1.0) for x, y in places]) @ to_pixels.T
        return [((float(x) - mx) / k, (my - float(y)) / k) for x, y in p[:, :2] / p[:, 2:]]

    @property
    def mm_per_px(self) -> float:
        """Scale of the view."""
        return 1 / self._scale

    def fit(self) -> None:
        """Show everything."""
        box = self._extent()
        area = self._area()
        if box.width() > 0 and area.width() > 20:
            self._scale = 0.93 * min(area.width() / box.width(), area.height() / box.height())
            self._middle = box.center()
        self._fitted = True
        self.update()
        self.zoomed.emit()

    def _extent(self) -> QRectF:
        """What there is to see, mm with y down."""
        if self._view is None:
            return QRectF()
        image = self._image_box()
        w, h = self._view.size
        figure = QRectF(-w / 2, -h / 2, w, h)
        return figure.united(image) if image is not None else figure

    def _image_box(self) -> QRectF | None:
        if self._view is None or self._image is None:
            return None
        k, (mx, my) = self._view.px_per_mm, self._view.middle_px
        return QRectF(-mx / k, -my / k, self._image.width() / k, self._image.height() / k)

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(RULER, RULER, 0, 0)

    # -- coordinates
    def to_widget(self, x: float, y: float) -> QPointF:
        """Widget place of a point in mm, y down."""
        c = self._area().center()
        return QPointF(
            c.x() + (x - self._middle.x()) * self._scale, c.y() + (y - self._middle.y()) * self._scale
        )

    def to_mm(self, p: QPointF) -> QPointF:
        """Point in mm, y down, of a widget place."""
        c = self._area().center()
        return QPointF(
            (p.x() - c.x()) / self._scale + self._middle.x(), (p.y() - c.y()) / self._scale + self._middle.y()
        )

    def colour_at(self, p: QPointF) -> str | None:
        """Colour of the region under a widget place."""
        q = self.to_mm(p)
        return next((c for c, path in self._paths if path.contains(q)), None)

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the table."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sheet"))
        if self._view is None:
            empty_sheet(painter, self.rect(), self.empty_text)
            return
        area = self._area()
        split = area.left() + area.width() * self.wipe if self._image is not None else area.left()
        # Near enough to see them, pixels are drawn as squares.
        pixel = self._scale / self._view.px_per_mm
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, pixel < 6)
        box = self._image_box()
        if box is not None and self._image is not None:
            painter.setClipRect(QRectF(area.left(), area.top(), split - area.left(), area.height()))
            painter.drawImage(
                QRectF(self.to_widget(box.left(), box.top()), self.to_widget(box.right(), box.bottom())),
                self._image,
            )
        painter.setClipRect(QRectF(split, area.top(), area.right() - split, area.height()))
        if box is not None:
            # What was taken away is not white: it is not there.
            there = QRectF(self.to_widget(box.left(), box.top()), self.to_widget(box.right(), box.bottom()))
            painter.fillRect(there, QBrush(theme.colour("line"), Qt.BrushStyle.Dense6Pattern))
        paint_grid(painter, self, area)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._in_mm(painter, lambda: paint_regions(painter, self._paths, self.lit))
        self._paint_marks(painter, area)
        painter.setClipping(False)
        if self._image is not None:
            paint_wipe(painter, area, split)
        painter.setClipRect(area)
        if "fringe" in self.marks:
            paint_worst(painter, self._view, lambda x, y: self.to_widget(x, -y), area)
        painter.setClipping(False)
        if self._gesture is not None:
            painter.setClipRect(area)
            self._gesture.paint(painter, lambda p: self.to_widget(p[0], -p[1]), self._scale, self._mouse)
            painter.setClipping(False)
        prompt = self._gesture.prompt if self._gesture else ""
        paint_labels(painter, area, split, self._image is not None, prompt, self._view.draft)
        paint_rulers(painter, self)

    def _paint_marks(self, painter: QPainter, area: QRectF) -> None:
        view = self._view
        assert view is not None

        def at(x: float, y: float) -> QPointF:
            return self.to_widget(x, -y)

        if "thin" in self.marks:
            self._in_mm(painter, lambda: paint_thin(painter, self._thin))
        if self._picks:
            self._in_mm(painter, lambda: paint_picked(painter, picked_path(self._paths, self._picks)))
        if "specks" in self.marks:
            paint_specks(painter, view, at, self._scale)
        if "fringe" in self.marks:
            paint_fringe(painter, view, at, self._scale, area)
        paint_open_lines(painter, view, at)

    def _in_mm(self, painter: QPainter, paint: Callable[[], None]) -> None:
        """Paint in millimetres, y down."""
        painter.save()
        painter.translate(self.to_widget(0, 0))
        painter.scale(self._scale, self._scale)
        paint()
        painter.restore()

    def tick(self) -> float:
        """Distance of the numbers on the rulers, mm."""
        raw = 70 / self._scale
        power = 10 ** math.floor(math.log10(raw))
        return float(next(m * power for m in (1, 2, 5, 10) if m * power >= raw))

    # -- hands
    def _split_x(self) -> float:
        area = self._area()
        return area.left() + area.width() * self.wipe

    def _place(self, p: QPointF) -> Place:
        q = self.to_mm(p)
        return (q.x(), -q.y())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Use the tool in the hand, or start dragging the wipe or the paper."""
        p = event.position()
        self._last = self._pressed = p
        left = event.button() == Qt.MouseButton.LeftButton
        if left and self._gesture is not None and self._view is not None:
            self._drag = "tool"
            if self._gesture.press(self._place(p)):
                self._use()
            self.update()
            return
        on_wipe = self._image is not None and abs(p.x() - self._split_x()) < 9
        self._drag = "wipe" if on_wipe and left else "pan"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag, or say what is under the mouse."""
        p = self._mouse = event.position()
        area = self._area()
        if self._drag == "wipe":
            self.wipe = min(1.0, max(0.0, (p.x() - area.left()) / max(1.0, area.width())))
            self.update()
        elif self._drag == "pan":
            self._middle -= (p - self._last) * (1 / self._scale)
            self._fitted = False
            self.update()
        elif self._gesture is not None:
            if self._drag == "tool":
                self._gesture.drag(self._place(p))
            self.update()
        elif self._view is not None:
            near = self._image is not None and abs(p.x() - self._split_x()) < 9
            self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)
        if self._view is not None:
            q = self.to_mm(p)
            self.hovered.emit(f"{format_mm(q.x(), 1)}, {format_mm(-q.y(), 1)} mm  {self.colour_at(p) or ''}")
        self._last = p

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End a drag; a click without one picks the piece under the mouse."""
        drag, self._drag = self._drag, ""
        p = event.position()
        if drag == "tool" and self._gesture is not None:
            if self._gesture.release():
                self._use()
        elif drag == "pan" and (p - self._pressed).manhattanLength() < 4:
            if event.button() == Qt.MouseButton.RightButton:
                self._open_menu(p)
            elif event.button() == Qt.MouseButton.LeftButton:
                self.pick_at(p, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        self.update()

    def pick_at(self, p: QPointF, more: bool = False) -> None:
        """Pick the piece at a widget place, or one more."""
        found = [self._place(p)] if self.colour_at(p) is not None else []
        self.pick([*self._picks, *found] if more else found)

    def is_picked(self, p: QPointF) -> bool:
        """Whether a picked piece lies at a widget place."""
        x, y = self._place(p)
        return bool(self._picks) and picked_path(self._paths, self._picks).contains(QPointF(x, -y))

    def _open_menu(self, p: QPointF) -> None:
        menu = self.menu(p) if self.menu is not None and self._view is not None else None
        if menu is not None:
            menu.popup(self.mapToGlobal(p.toPoint()))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The menu key; the right button, which also moves the paper, opens it when it is let go."""
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self._open_menu(QPointF(self.width() / 2, self.height() / 2))

    def _use(self) -> None:
        """The gesture is complete."""
        gesture = self._gesture
        if gesture is None:
            return
        places = gesture.take()
        if not gesture.stays:
            self.start(None)
        gesture.done(places)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse."""
        before = self.to_mm(event.position())
        self._scale = min(4000.0, max(0.05, self._scale * 1.0015 ** event.angleDelta().y()))
        self._middle += before - self.to_mm(event.position())
        self._fitted = False
        self.update()
        self.zoomed.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show everything again."""
        self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the wipe; Esc lays the tool down, then the picked pieces."""
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._gesture is not None and self._gesture.key(event.key(), far):
            self.update()
        elif event.key() == Qt.Key.Key_Escape and self._gesture is not None:
            self.start(None)
        elif event.key() == Qt.Key.Key_Escape and self._picks:
            self.pick([])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.wipe = min(1.0, max(0.0, self.wipe + (0.02 if event.key() == Qt.Key.Key_Right else -0.02)))
            self.update()
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep everything in view while it was."""
        if self._fitted:
            self.fit()


def _alike(a: tuple[float, float], b: tuple[float, float]) -> bool:
    """Whether two sizes differ by no more than a stroke of the brush or another trace makes of one."""
    return all(0.8 < x / max(y, 1e-9) < 1.25 for x, y in zip(a, b, strict=True))
