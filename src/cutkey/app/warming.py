"""Styling what is not seen yet while nobody waits.

The first look at a sheet is as quick as every other then.
"""

from __future__ import annotations

import time
from collections.abc import Iterable

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

#: Seconds at a time, and milliseconds between two.
SLICE, PAUSE = 0.006, 25
#: Milliseconds until it begins.
LATER = 300


class Warming(QObject):
    """Styles all widgets of some panels, a few at a time; it goes with the window it is of."""

    def __init__(self, window: QObject, panels: Iterable[QWidget]) -> None:
        super().__init__(window)
        self._panels = list(panels)
        self._left: list[QWidget] = []
        self._timer = QTimer(self)
        self._timer.setInterval(PAUSE)
        self._timer.timeout.connect(self._some)

    def start_soon(self) -> None:
        """Begin when the window has come up."""
        QTimer.singleShot(LATER, self, self.start)

    def start(self) -> None:
        """Begin, or begin anew with what has been added since."""
        self._left = [w for p in self._panels for w in (p, *p.findChildren(QWidget))]
        self._timer.start()

    def _some(self) -> None:
        end = time.perf_counter() + SLICE
        while self._left and time.perf_counter() < end:
            w = self._left.pop()
            try:
                w.ensurePolished()
            except RuntimeError:
                # It was taken away meanwhile.
                continue
        if not self._left:
            self._timer.stop()
