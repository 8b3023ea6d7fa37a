"""A log of what went wrong: a file that is turned over, in the user's state folder.

Nothing of a maker's files is written into it but what a traceback names.
"""

from __future__ import annotations

import contextlib
import logging
import os
import platform
import sys
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from cutkey import __version__
from cutkey.app.recovery import state_folder

#: Bytes of one file, and how many earlier ones are kept.
LARGEST, EARLIER = 400_000, 3
_LOG = logging.getLogger("cutkey")
# Until it is started nothing is written, not even to the terminal.
_LOG.addHandler(logging.NullHandler())


def log_path() -> Path:
    """The file."""
    return state_folder() / "cutkey.log"


def start() -> None:
    """Begin to write, and take in what no slot catches; once a process. A folder that cannot be written goes without."""
    if any(isinstance(h, RotatingFileHandler) for h in _LOG.handlers):
        return
    with contextlib.suppress(OSError):
        log_path().parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(log_path(), maxBytes=LARGEST, backupCount=EARLIER, encoding="utf-8", delay=True)
        handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(message)s"))
        _LOG.addHandler(handler)
    _LOG.setLevel(logging.INFO)
    _LOG.propagate = False
    _LOG.info("Cut Key %s, Python %s, %s, %d processors", __version__, platform.python_version(), platform.platform(), os.cpu_count() or 0)
    if log_path().exists():
        log_path().chmod(0o600)
    before = sys.excepthook

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        _LOG.error("not caught in the window", exc_info=(kind, error, trace))
        before(kind, error, trace)

    sys.excepthook = caught


def stop() -> None:
    """Write no more."""
    for handler in list(_LOG.handlers):
        if isinstance(handler, RotatingFileHandler):
            _LOG.removeHandler(handler)
            handler.close()


def note(kind: str, sentence: str, detail: object = None) -> None:
    """Write down a problem that the window was told of."""
    _LOG.error("%s: %s%s", kind, sentence, f"\n{detail}" if isinstance(detail, str) and detail else "")


def tail(most: int = 12_000) -> str:
    """The end of the log, for somebody who wants to tell what happened; "" when there is none."""
    try:
        return log_path().read_text(encoding="utf-8", errors="replace")[-most:]
    except OSError:
        return ""
