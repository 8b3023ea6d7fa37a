"""Waiting for something slow while the window goes on drawing."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import QEventLoop, QTimer

T = TypeVar("T")


def wait_for(work: Callable[[], T]) -> T:
    """Run `work` in a thread and wait with the window alive.

    It lets go of Python's lock (files, compression).

    Clicks and keys wait until it is done. What `work` gives is given, and what it raises is raised here.
    """
    errors: list[BaseException] = []
    found: list[T] = []

    def run() -> None:
        try:
            found.append(work())
        except BaseException as error:
            errors.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    loop = QEventLoop()
    look = QTimer()
    look.setInterval(10)
    look.timeout.connect(lambda: None if thread.is_alive() else loop.quit())
    look.start()
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    thread.join()
    if errors:
        raise errors[0]
    return found[0]
