"""Work that is no longer wanted ends wherever it is, as soon as the library it is in gives back.

Some of it is done whole first.

A signal asks whether the work is still wanted. Nothing of the geometry need know: what was finished stays in
memory, what was begun is as if it never had been.
"""

from __future__ import annotations

import contextlib
import os
import signal
import threading
from collections.abc import Callable, Iterator
from types import FrameType

from cutkey.core.errors import Cancelled

#: Asks a process to look; ignored by one that does not listen.
ASK = signal.SIGURG
#: Seconds until it is looked again when a library is just being loaded, or something taken down.
_AGAIN = 0.05
_depth = 0  # of what must be done whole
_asked = False
_unwanted: Callable[[], bool] | None = None  # None while nothing can be stopped


def listen() -> None:
    """Look from now on when another process asks for it."""
    signal.signal(ASK, _ask)
    signal.siginterrupt(ASK, False)


def _ask(number: int, frame: FrameType | None) -> None:
    global _asked
    _asked = True
    if _depth:
        return
    if _must_go_on(frame):
        threading.Timer(_AGAIN, os.kill, (os.getpid(), ASK)).start()
        return
    _look()


def _must_go_on(frame: FrameType | None) -> bool:
    """A module that is half loaded cannot be loaded again; what ends a destructor is lost."""
    while frame is not None:
        code = frame.f_code
        if code.co_filename.startswith("<frozen importlib") or code.co_name == "__del__":
            return True
        frame = frame.f_back
    return False


def _look() -> None:
    global _asked
    if not _asked or _unwanted is None:
        return
    _asked = False
    with whole():
        stop = _unwanted()
    if stop:
        raise Cancelled


@contextlib.contextmanager
def stoppable(unwanted: Callable[[], bool]) -> Iterator[None]:
    """What is done inside ends with `Cancelled` when another process asks and `unwanted` says so."""
    global _unwanted, _asked
    _asked = False
    _unwanted = unwanted
    try:
        yield
    finally:
        _unwanted = None


@contextlib.contextmanager
def whole() -> Iterator[None]:
    """What is done inside is done to its end."""
    global _depth
    _depth += 1
    try:
        yield
    finally:
        _depth -= 1
    if _depth == 0:
        _look()
