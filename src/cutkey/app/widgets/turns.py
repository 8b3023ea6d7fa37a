"""Things done one after the other, so that the window has its turn between them."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, QTimer


class Turns(QObject):
    """Does a few things in each turn of the event loop; it goes with its parent."""

    def __init__(self, parent: QObject, at_a_time: int) -> None:
        super().__init__(parent)
        self._at_a_time = at_a_time
        self._coming: deque[Callable[[], object]] = deque()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._go_on)

    def take(self, things: Iterable[Callable[[], object]], at_once: int) -> None:
        """Do these, so many at once; what is left of those before is dropped."""
        self._coming = deque(things)
        self._some(at_once)
        self._timer.start()

    def _go_on(self) -> None:
        self._some(self._at_a_time)
        if not self._coming:
            self._timer.stop()

    def _some(self, count: int) -> None:
        for _ in range(min(count, len(self._coming))):
            self._coming.popleft()()
