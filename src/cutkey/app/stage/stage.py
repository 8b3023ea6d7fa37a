"""The widget of the 3D stage: shows the scene, turns it with the mouse, lets a sheet draw on top."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QSizePolicy, QWidget

from cutkey.app.arrows import arrow_of
from cutkey.app.drafting import empty_sheet
from cutkey.app.paths import lines_of
from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item, same_items
from cutkey.app.stage.picking import Hit, Picker
from cutkey.app.stage.renderer import Picture, Renderer, Wish
from cutkey.app.theme import drawing_font, theme

#: Seconds after the last movement until the full picture is drawn.
SETTLE = 0.15


class Stage(QWidget):
    """Parallel view of the bodies. Left drag turns, right or middle drag moves, the wheel zooms."""

    clicked = Signal(object)  # Hit or None
    turned = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(180, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Stage"))
        self.camera = Camera()
        #: The camera of the picture that is seen; what is drawn on it and picked from it goes by this one.
        self.seen = self.camera
        self._items: tuple[Item, ...] = ()
        self._picker = Picker()
        self.pickable: list[Item] = []
        self._image: QImage | None = None
        self._picture: Picture | None = None
        self._number = self._style = 0
        self._renderer = Renderer()
        self._renderer.connect_to(self._take)
        self._renderer.beside.connect(self._take_beside, Qt.ConnectionType.QueuedConnection)
        self._renderer.failed.connect(self._give_up, Qt.ConnectionType.QueuedConnection)
        self._blind = False  # nothing can be drawn on this machine
        self._asked: dict[int, Callable[[QPixmap], None]] = {}
        self._beside = 0  # counts down, so that it is no number of a picture of the stage
        self._fitted = False
        self._held = False  # the camera was set by hand; it stays when the widget is resized
        self._drag, self._last, self._moved = "", QPointF(), 0.0
        self.overlay: Callable[[QPainter], None] | None = None
        self.grab_handle: Callable[[QPointF], Callable[[QPointF, bool], None] | None] | None = None
        self._handle: Callable[[QPointF, bool], None] | None = None
        self.menu: Callable[[QPointF], QMenu | None] | None = None
        self.empty_text = ""

    # -- content
    def set_items(self, items: Sequence[Item], fit: bool = False, anew: bool = False) -> None:
        """Show these bodies; the camera stays unless it has never been set or `fit` is asked.

        The same bodies are drawn again only when `anew` is asked.
        """
        if not fit and not anew and self._fitted and self._items and same_items(items, self._items):
            # Nothing to draw anew but what the sheet paints on top.
            self.update()
            return
        empty_before = not self._items
        self._items = tuple(items)
        if self._items and (fit or empty_before or not self._fitted):
            self.fit()
        self._style += int(anew)
        self.redraw()

    def warm_up(self) -> None:
        """Make what draws before there is anything to draw."""
        self._renderer.start()

    def close_renderer(self) -> None:
        """End the thread that draws."""
        self._renderer.close()

    @property
    def settled(self) -> bool:
        """Whether the smooth picture of the present bodies and camera is shown, or never will be."""
        p = self._picture
        return (
            self._blind or not self._items or (p is not None and p.smooth and p.wish.number == self._number)
        )

    @property
    def items(self) -> tuple[Item, ...]:
        """What is shown."""
        return self._items

    def fit(self) -> None:
        """Show everything."""
        box = self._bounds()
        if box is not None and self.width() > 50:
            self.camera = self.camera.fitted(*box, self.width(), self.height(), 0.84)
            self._fitted, self._held = True, False
            self.redraw()

    def look(self, turn: float, tilt: float) -> None:
        """Look from a direction at everything."""
        self.camera = self.camera._replace(turn=turn, tilt=tilt)
        self.fit()

    def forget_camera(self) -> None:
        """Fit the next bodies that are shown."""
        self._fitted = self._held = False

    def restyle(self) -> None:
        """Draw again in another theme."""
        self.set_items(self._items, anew=True)

    def _bounds(self) -> tuple[np.ndarray, np.ndarray] | None:
        """Corners of everything shown, None when there is nothing."""
        boxes = np.array([i.mesh.box + np.array(i.shift) for i in self._items if len(i.mesh.vertices)])
        return (boxes[:, 0].min(0), boxes[:, 1].max(0)) if len(boxes) else None

    def redraw(self, quick: bool = False) -> None:
        """Draw the scene again; quickly while something moves, smoothly when it has come to rest."""
        self._number += 1
        if self._image is None:
            self.seen = self.camera
        if not self._items:
            self._image = None
        else:
            rest = SETTLE if quick else 0.0
            ratio = self.devicePixelRatioF()
            self._renderer.ask(
                Wish(
                    self._number,
                    self._items,
                    self.camera,
                    self.width(),
                    self.height(),
                    ratio,
                    rest,
                    self._style,
                )
            )
        self.turned.emit()
        self.update()

    def picture_of(
        self, items: Sequence[Item], camera: Camera, size: tuple[int, int], then: Callable[[QPixmap], None]
    ) -> None:
        """A small picture of bodies, drawn when there is time; `then` takes it.

        Parameters
        ----------
        items : sequence of Item
            The bodies; those that are on the stage need not be sent to the graphics library again.
        camera : Camera
        size : (int, int)
            Of the picture, widget px.
        then : callable
        """
        if self._blind:
            return
        own = self._items if same_items(items, self._items) else tuple(items)
        self._beside -= 1
        self._asked[self._beside] = then
        self._renderer.ask_beside(
            Wish(self._beside, own, camera, *size, self.devicePixelRatioF(), 0.0, self._style)
        )

    def forget_pictures(self) -> None:
        """Small pictures that were asked for are no longer wanted."""
        self._renderer.forget_beside()
        self._asked.clear()

    def _take_beside(self, picture: Picture) -> None:
        then = self._asked.pop(picture.wish.number, None)
        if then is not None:
            then(QPixmap.fromImage(_image(picture)))

    def _give_up(self) -> None:
        """Say that nothing can be drawn, and ask for no picture any more."""
        self._blind = True
        self.forget_pictures()
        self.update()

    def _take(self, picture: Picture) -> None:
        """Show a picture that was drawn, and what the sheet draws on top where it belongs on it."""
        self._picture = picture
        self._image = _image(picture)
        self.seen = picture.wish.camera
        self.update()

    # -- places
    def to_widget(self, point: Sequence[float] | np.ndarray) -> QPointF:
        """Widget place of a point in mm."""
        return QPointF(*self.seen.place(point, self.width(), self.height()))

    def lines_on(self, points: np.ndarray, counts: Sequence[int]) -> list[QPolygonF]:
        """Lines in the widget through points (N, 3) in mm, each of so many of them."""
        return lines_of(self.seen.project(points, self.width(), self.height()), counts)

    def pick(self, p: QPointF) -> Hit | None:
        """The place on the pickable bodies under a widget place."""
        return self._picker.pick(
            self.pickable or self._items, self.seen, p.x(), p.y(), self.width(), self.height()
        )

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Show the last picture of the scene, and what the sheet draws on top.

        It is drawn anew when it is stale.
        """
        painter = QPainter(self)
        if not self._items:
            empty_sheet(painter, self.rect(), self.empty_text)
            return
        if self._blind:
            text = self.tr(
                "This computer has no OpenGL driver, so models cannot be drawn here.\n"
                "Install Mesa's EGL library (libEGL) and start again.\n"
                "Everything else works: the kit can be checked and written."
            )
            empty_sheet(painter, self.rect(), text)
            return
        ground = QLinearGradient(0, 0, 0, self.height())
        ground.setColorAt(0, theme.colour("stage_high"))
        ground.setColorAt(1, theme.colour("stage_low"))
        painter.fillRect(self.rect(), ground)
        if self._image is None or self._picture is None:
            return
        wish = self._picture.wish
        # A picture for another size keeps its scale until the next one comes.
        painter.drawImage(
            QRectF(
                (self.width() - wish.width) / 2, (self.height() - wish.height) / 2, wish.width, wish.height
            ),
            self._image,
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.overlay:
            self.overlay(painter)
        self._paint_axes(painter)

    def _paint_axes(self, painter: QPainter) -> None:
        """The directions of the model in the lower left corner."""
        right, up, _ = self.seen.axes()
        origin = QPointF(34, self.height() - 34)
        painter.setFont(drawing_font(12, True))
        for k, name in enumerate("xyz"):
            d = QPointF(right[k] * 22, -up[k] * 22)
            painter.setPen(QPen(theme.colour("soft"), 1.2))
            painter.drawLine(origin, origin + d)
            painter.setPen(theme.colour("ink"))
            painter.drawText(
                QRectF(origin.x() + d.x() * 1.4 - 8, origin.y() + d.y() * 1.4 - 8, 16, 16),
                Qt.AlignmentFlag.AlignCenter,
                name,
            )

    # -- hands
    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Start a drag."""
        self._last, self._moved = event.position(), 0.0
        if event.button() == Qt.MouseButton.LeftButton:
            self._handle = self.grab_handle(event.position()) if self.grab_handle else None
            self._drag = "handle" if self._handle else "turn"
        else:
            self._drag = "move"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn, move, or hand the drag to the sheet."""
        p = event.position()
        d = p - self._last
        if self._drag:
            self._moved += abs(d.x()) + abs(d.y())
        if self._drag == "handle" and self._handle:
            self._handle(p, False)
        elif self._drag == "turn" and self._moved > 3:
            self.camera = self.camera.orbited(d.x(), d.y())
            self._held = True
            self.redraw(quick=True)
        elif self._drag == "move":
            self.camera = self.camera.panned(d.x(), d.y())
            self._held = True
            self.redraw(quick=True)
        elif not self._drag and self.grab_handle:
            over = self.grab_handle(p) is not None
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)
        self._last = p

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End a drag; without movement it was a click."""
        if self._drag == "handle" and self._handle:
            self._handle(event.position(), True)
        elif self._drag == "turn" and self._moved <= 3:
            self.clicked.emit(self.pick(event.position()))
        elif self._drag == "move" and self._moved <= 3 and event.button() == Qt.MouseButton.RightButton:
            self._open_menu(event.position())
        self._drag, self._handle = "", None

    def _open_menu(self, p: QPointF) -> None:
        menu = self.menu(p) if self.menu is not None and self._items else None
        if menu is not None:
            menu.popup(self.mapToGlobal(p.toPoint()))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The menu key opens the menu in the middle.

        The right button, which also moves the stage, when it is let go.
        """
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self._open_menu(QPointF(self.width() / 2, self.height() / 2))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse."""
        p = event.position()
        self.camera = self.camera.zoomed(
            1.0015 ** event.angleDelta().y(), p.x(), p.y(), self.width(), self.height()
        )
        self._held = True
        self.redraw(quick=True)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show everything again."""
        self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows with Ctrl turn the stage; everything else goes to the sheet."""
        way = arrow_of(event.key())
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and way is not None:
            self.camera = self.camera.orbited(-12 * way[0], 12 * way[1])
            self.redraw(quick=True)
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Draw at the new size; fit when nothing has been shown yet."""
        if not self._held and self._items:
            self.fit()
        else:
            old, new = event.oldSize().height(), event.size().height()
            if old > 50 and new > 50:
                self.camera = self.camera._replace(mm_per_px=self.camera.mm_per_px * old / new)
            self.redraw()


def _image(picture: Picture) -> QImage:
    """What was drawn; it lives as long as its pixels do."""
    h, w = picture.pixels.shape[:2]
    image = QImage(picture.pixels.data, w, h, 4 * w, QImage.Format.Format_ARGB32_Premultiplied)
    image.setDevicePixelRatio(picture.ratio)
    return image
