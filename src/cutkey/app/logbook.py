"""A log of what went wrong: a file that is turned over, in the user's state folder.

Nothing of a maker's files is written into it but what a traceback names.
"""

from __future__ import annotations

import contextlib
import logging
import os
import platform
import sys
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from cutkey import __version__
from cutkey.app.recovery import state_folder

#: Bytes of one file, and how many earlier ones are kept.
LARGEST, EARLIER = 400_000, 3
#: Of its own, and not among the process's named ones, so that no library's settings reach it.
_LOG = logging.Logger("cutkey", logging.INFO)  # noqa: LOG001
# Until it is started nothing is written, not even to the terminal.
_LOG.addHandler(logging.NullHandler())


def log_path() -> Path:
    """The file."""
    return state_folder() / "cutkey.log"


def start() -> None:
    """Begin to write, and take in what no slot catches.

    Once a process. A folder that cannot be written goes without.
    """
    if any(isinstance(h, RotatingFileHandler) and Path(h.baseFilename) == log_path() for h in _LOG.handlers):
        return
    stop()
    with contextlib.suppress(OSError):
        log_path().parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            log_path(), maxBytes=LARGEST, backupCount=EARLIER, encoding="utf-8", delay=True
        )
        handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(message)s"))
        _LOG.addHandler(handler)
    _LOG.info(
        "Cut Key %s, Python %s, %s, %d processors",
        __version__,
        platform.python_version(),
        platform.platform(),
        os.cpu_count() or 0,
    )
    if log_path().exists():
        log_path().chmod(0o600)
    if sys.excepthook is not _caught:
        _BEFORE.append(sys.excepthook)
        sys.excepthook = _caught


#: What was told of uncaught exceptions before; it goes on being told.
_BEFORE: list[Callable[[type[BaseException], BaseException, TracebackType | None], object]] = []


def _caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    _LOG.error("not caught in the window", exc_info=(kind, error, trace))
    _BEFORE[-1](kind, error, trace)


def stop() -> None:
    """Write no more, and take nothing in."""
    for handler in list(_LOG.handlers):
        if isinstance(handler, RotatingFileHandler):
            _LOG.removeHandler(handler)
            handler.close()
    if sys.excepthook is _caught:
        sys.excepthook = _BEFORE.pop()


def note(kind: str, sentence: str, detail: object = None) -> None:
    """Write down a problem that the window was told of."""
    _LOG.error("%s: %s%s", kind, sentence, f"\n{detail}" if isinstance(detail, str) and detail else "")


def tail(most: int = 12_000) -> str:
    """The end of the log, for somebody who wants to tell what happened; "" when there is none."""
    try:
        return log_path().read_text(encoding="utf-8", errors="replace")[-most:]
    except OSError:
        return ""
