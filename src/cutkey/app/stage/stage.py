"""The widget of the 3D stage: shows the scene, turns it with the mouse, lets a sheet draw on top."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QFont,
    QImage,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from cutkey.app.drafting import empty_sheet
from cutkey.app.stage.camera import Camera
from cutkey.app.stage.picking import Hit, Picker
from cutkey.app.stage.scene import Item, Scene
from cutkey.app.theme import theme

#: Milliseconds after the last movement until the full picture is drawn.
SETTLE = 150
#: Seconds a picture may take while the mouse moves.
TOO_SLOW = 0.022


class Stage(QWidget):
    """Parallel view of the bodies. Left drag turns, right or middle drag moves, the wheel zooms."""

    clicked = Signal(object)  # Hit or None
    turned = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(240, 200)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        # It paints all of itself, so what lies under it need not be drawn first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(self.tr("Stage"))
        self.camera = Camera()
        self._scene: Scene | None = None
        self._items: list[Item] = []
        self._picker = Picker()
        self.pickable: list[Item] = []
        self._image: QImage | None = None
        self._pixels: np.ndarray | None = None
        self._stale = True
        self._coarse = 1.0
        self._bands: Iterator[np.ndarray] | None = None
        self._done: list[np.ndarray] = []
        self._fitted = False
        self._held = False  # the camera was set by hand; it stays when the widget is resized
        self._drag, self._last, self._moved = "", QPointF(), 0.0
        self.overlay: Callable[[QPainter], None] | None = None
        self.grab_handle: Callable[[QPointF], Callable[[QPointF, bool], None] | None] | None = None
        self._handle: Callable[[QPointF, bool], None] | None = None
        self.empty_text = ""
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._begin_smooth)

    # -- content
    def set_items(self, items: Sequence[Item], fit: bool = False, anew: bool = False) -> None:
        """Show these bodies; the camera stays unless it has never been set or `fit` is asked.

        The same bodies are drawn again only when `anew` is asked.
        """
        if not fit and not anew and self._fitted and self._items and self._same(items):
            # Nothing to draw anew but what the sheet paints on top.
            self.update()
            return
        empty_before = not self._items
        self._items = list(items)
        self.warm_up()
        assert self._scene is not None
        self._scene.set_items(self._items)
        if self._items and (fit or empty_before or not self._fitted):
            self.fit()
        self.redraw()

    def warm_up(self) -> None:
        """Make what draws before there is anything to draw: the first picture takes a third of a second."""
        if self._scene is None:
            self._scene = Scene()

    def _same(self, items: Sequence[Item]) -> bool:
        return len(items) == len(self._items) and all(
            a.mesh is b.mesh and (a.key, *a[2:]) == (b.key, *b[2:]) for a, b in zip(items, self._items, strict=True)
        )

    @property
    def items(self) -> list[Item]:
        """What is shown."""
        return self._items

    def fit(self) -> None:
        """Show everything."""
        box = self._scene.bounds() if self._scene else None
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

    def redraw(self, quick: bool = False) -> None:
        """Draw the scene again; quickly while something moves, smoothly when it has come to rest."""
        self._stale = True
        self._bands = None
        if quick:
            self._settle.start(SETTLE)
        else:
            self._settle.start(0)
        self.turned.emit()
        self.update()

    def _begin_smooth(self) -> None:
        """Start the smooth picture; its bands are drawn one at a time between other work."""
        if self._scene is None or not self._items:
            return
        ratio = self.devicePixelRatioF()
        w, h = round(self.width() * ratio), round(self.height() * ratio)
        if w < 8 or h < 8:
            return
        self._bands = self._scene.bands(self.camera, w, h, ratio)
        self._done = []
        self._next_band(self._bands)

    def _next_band(self, bands: Iterator[np.ndarray]) -> None:
        if bands is not self._bands:
            return
        band = next(bands, None)
        if band is not None:
            self._done.append(band)
            QTimer.singleShot(0, self, lambda: self._next_band(bands))
            return
        self._bands = None
        self._show(np.concatenate(self._done), self.devicePixelRatioF())
        self._stale = False
        self.update()

    def _draw_quick(self) -> None:
        """A picture at once; coarser when this machine cannot keep up otherwise."""
        assert self._scene is not None
        ratio = self.devicePixelRatioF() * self._coarse
        w, h = max(8, round(self.width() * ratio)), max(8, round(self.height() * ratio))
        begun = time.perf_counter()
        pixels = self._scene.render(self.camera, w, h, ratio, quick=True)
        took = time.perf_counter() - begun
        self._coarse = (
            max(0.4, self._coarse - 0.2) if took > TOO_SLOW else min(1.0, self._coarse + 0.2) if took < TOO_SLOW / 4 else self._coarse
        )
        self._show(pixels.copy(), ratio)
        self._stale = False

    def _show(self, pixels: np.ndarray, ratio: float) -> None:
        self._pixels = pixels
        h, w = pixels.shape[:2]
        self._image = QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_RGBA8888_Premultiplied)
        self._image.setDevicePixelRatio(ratio)

    # -- places
    def to_widget(self, point: Sequence[float] | np.ndarray) -> QPointF:
        """Widget place of a point in mm."""
        x, y = self.camera.project(np.asarray(point, float), self.width(), self.height()).tolist()
        return QPointF(x, y)

    def lines_on(self, points: np.ndarray, counts: Sequence[int]) -> list[QPolygonF]:
        """Lines in the widget through points (N, 3) in mm, each of so many of them."""
        flat = [QPointF(x, y) for x, y in self.camera.project(points, self.width(), self.height()).tolist()]
        ends = np.cumsum(counts).tolist()
        return [QPolygonF(flat[a:b]) for a, b in zip([0, *ends[:-1]], ends, strict=True)]

    def pick(self, p: QPointF) -> Hit | None:
        """The place on the pickable bodies under a widget place."""
        return self._picker.pick(self.pickable or self._items, self.camera, p.x(), p.y(), self.width(), self.height())

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        """Show the last picture of the scene, drawn anew when it is stale, and what the sheet draws on top."""
        painter = QPainter(self)
        if not self._items or self._scene is None:
            empty_sheet(painter, self.rect(), self.empty_text)
            return
        if self._stale:
            self._draw_quick()
        ground = QLinearGradient(0, 0, 0, self.height())
        ground.setColorAt(0, theme.colour("stage_high"))
        ground.setColorAt(1, theme.colour("stage_low"))
        painter.fillRect(self.rect(), ground)
        if self._image is not None:
            painter.drawImage(QRectF(self.rect()), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.overlay:
            self.overlay(painter)
        self._paint_axes(painter)

    def _paint_axes(self, painter: QPainter) -> None:
        """The directions of the model in the lower left corner."""
        right, up, _ = self.camera.axes()
        origin = QPointF(34, self.height() - 34)
        font = QFont("Barlow Condensed SemiBold")
        font.setPixelSize(12)
        painter.setFont(font)
        for k, name in enumerate("xyz"):
            d = QPointF(right[k] * 22, -up[k] * 22)
            painter.setPen(QPen(theme.colour("soft"), 1.2))
            painter.drawLine(origin, origin + d)
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(origin.x() + d.x() * 1.4 - 8, origin.y() + d.y() * 1.4 - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name)

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
        self._drag, self._handle = "", None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the mouse."""
        p = event.position()
        self.camera = self.camera.zoomed(1.0015 ** event.angleDelta().y(), p.x(), p.y(), self.width(), self.height())
        self._held = True
        self.redraw(quick=True)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show everything again."""
        self.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows with Ctrl turn the stage; everything else goes to the sheet."""
        steps = {Qt.Key.Key_Left: (12, 0), Qt.Key.Key_Right: (-12, 0), Qt.Key.Key_Up: (0, 12), Qt.Key.Key_Down: (0, -12)}
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and event.key() in steps:
            self.camera = self.camera.orbited(*steps[Qt.Key(event.key())])
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
