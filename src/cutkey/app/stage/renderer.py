"""Draws the scene in a thread of its own: the window never waits for a picture.

Drawing in software takes a tenth of a second for half a million triangles, and three times that when they are
first sent to the graphics library, which lets go of Python meanwhile. The newest wish is what is drawn; an
older one is given up between two bands.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import threading
import time
import traceback
import weakref
from collections import deque
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from PySide6.QtCore import QObject, Qt, Signal

from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item
from cutkey.app.stage.loading import load_graphics
from cutkey.app.stage.render_window import NoGraphics

if TYPE_CHECKING:
    from cutkey.app.stage.scene import Scene

#: Seconds a picture may take while the mouse moves.
TOO_SLOW = 0.022
#: Niceness of the thread; Linux keeps one a thread. The compute process stands at 19.
GIVES_WAY = 8


class Wish(NamedTuple):
    """A picture that is wanted."""

    number: int
    items: tuple[Item, ...]
    camera: Camera
    width: int  # of the widget, px
    height: int
    ratio: float  # device px to a widget px
    rest: float  # s without a newer wish before the smooth picture is begun
    style: int  # counts the changes of theme


class Picture(NamedTuple):
    """A picture that was drawn."""

    wish: Wish
    pixels: np.ndarray  # (h, w, 4) uint8, blue first, premultiplied
    ratio: float  # px of the picture to a widget px
    smooth: bool


class Renderer(QObject):
    """The thread that draws, and the only one that touches the scene."""

    drawn = Signal(object)  # Picture
    beside = Signal(object)  # Picture, of what was asked for beside the stage's own
    failed = Signal()  # nothing can be drawn on this machine

    def __init__(self) -> None:
        super().__init__()
        self._wish: Wish | None = None
        self._beside: deque[Wish] = deque()
        self._changed = threading.Condition()
        self._ended = False
        self._coarse = 1.0
        self._thread: threading.Thread | None = None

    def connect_to(self, take: object) -> None:
        """Pictures are taken in the thread of the window."""
        self.drawn.connect(take, Qt.ConnectionType.QueuedConnection)

    def start(self) -> None:
        """Make what draws before there is anything to draw.

        Loading it and its first picture take half a second.
        """
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="renderer", daemon=True)
            self._thread.start()
            _RUNNING.add(self)

    def ask(self, wish: Wish) -> None:
        """Draw this; what was asked before is no longer wanted."""
        self.start()
        with self._changed:
            self._wish = wish
            self._changed.notify()

    def ask_beside(self, wish: Wish) -> None:
        """Draw this too, when there is time."""
        self.start()
        with self._changed:
            self._beside.append(wish)
            self._changed.notify()

    def forget_beside(self) -> None:
        """What was asked for beside is no longer wanted."""
        with self._changed:
            self._beside.clear()

    def close(self) -> None:
        """End the thread and what it draws with."""
        with self._changed:
            self._ended = True
            self._changed.notify()
        if self._thread is not None:
            self._thread.join(timeout=5)

    # -- in the thread
    def _run(self) -> None:
        load_graphics()
        from cutkey.app.stage.scene import Scene

        try:
            scene = Scene()
        except NoGraphics:
            with contextlib.suppress(RuntimeError):  # the window is gone
                self.failed.emit()
            return
        # Not before: what holds Python's lock must not wait for a processor.
        _give_way()
        shown: tuple[tuple[Item, ...], int] = (), 0
        done = 0
        while True:
            with self._changed:
                while (
                    not self._ended and (self._wish is None or self._wish.number == done) and not self._beside
                ):
                    self._changed.wait()
                wish = self._wish
                own = wish is not None and wish.number != done
                if not own and self._beside:
                    wish = self._beside.popleft()
            if self._ended or wish is None:
                return
            try:
                if wish.items is not shown[0] or wish.style != shown[1]:
                    scene.set_items(wish.items)
                    shown = wish.items, wish.style
                if not own:
                    self._give(wish, self._whole(scene, wish), wish.ratio, True, self.beside)
                    continue
                done = wish.number
                self._quick(scene, wish)
                if self._rested(wish):
                    self._smooth(scene, wish)
            except Exception:
                # One picture that cannot be drawn is not the last one.
                traceback.print_exc()

    def _wanted(self, wish: Wish) -> bool:
        return not self._ended and self._wish is wish

    def _rested(self, wish: Wish) -> bool:
        with self._changed:
            return not self._changed.wait_for(lambda: not self._wanted(wish), timeout=wish.rest)

    def _quick(self, scene: Scene, wish: Wish) -> None:
        """A picture at once; coarser when this machine cannot keep up otherwise."""
        ratio = wish.ratio * self._coarse
        w, h = max(8, round(wish.width * ratio)), max(8, round(wish.height * ratio))
        begun = time.perf_counter()
        pixels = scene.render(wish.camera, w, h, ratio, quick=True)
        took = time.perf_counter() - begun
        if took > TOO_SLOW:
            self._coarse = max(0.4, self._coarse - 0.2)
        elif took < TOO_SLOW / 4:
            self._coarse = min(1.0, self._coarse + 0.2)
        self._give(wish, pixels, ratio, False)

    def _smooth(self, scene: Scene, wish: Wish) -> None:
        bands = []
        for band in scene.bands(wish.camera, *_pixels(wish), wish.ratio):
            if not self._wanted(wish):
                return
            bands.append(band)
        self._give(wish, np.concatenate(bands), wish.ratio, True)

    def _whole(self, scene: Scene, wish: Wish) -> np.ndarray:
        return np.concatenate(list(scene.bands(wish.camera, *_pixels(wish), wish.ratio)))

    def _give(self, wish: Wish, rgba: np.ndarray, ratio: float, smooth: bool, to: Any = None) -> None:
        from cutkey.app.stage.scene import blue_first

        try:
            (to or self.drawn).emit(Picture(wish, blue_first(rgba), ratio, smooth))
        except RuntimeError:  # the window is gone
            self._ended = True


def _pixels(wish: Wish) -> tuple[int, int]:
    """Width and height of a picture."""
    return max(8, round(wish.width * wish.ratio)), max(8, round(wish.height * wish.ratio))


def _give_way() -> None:
    """Let the window's thread go before this one.

    And before the threads that software drawing begins from it.
    """
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GIVES_WAY)


#: Threads still drawing when Python ends would draw into what is taken down.
_RUNNING: weakref.WeakSet[Renderer] = weakref.WeakSet()


@atexit.register
def _close_all() -> None:
    for renderer in list(_RUNNING):
        renderer.close()
