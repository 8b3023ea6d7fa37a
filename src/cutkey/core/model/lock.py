"""Who has a job open: a note beside its file, so that two windows do not unknowingly save over one another.

The lock only tells; it keeps nobody from anything.
"""

from __future__ import annotations

import contextlib
import json
import os
import socket
import time
from pathlib import Path
from typing import NamedTuple

from cutkey.core.alive import my_mark, runs

#: A note of another machine that is older than this is of a machine that went down, seconds.
_OLD = 24 * 3600.0


class Holder(NamedTuple):
    """Who else has a job open."""

    host: str  # "" when it is this machine
    since: float  # seconds since 1970


def _note_of(path: Path) -> Path:
    target = Path(os.path.realpath(path))
    return target.parent / f".{target.name[:200]}.lock"


def holder_of(path: Path) -> Holder | None:
    """Who else has a job open now, None when nobody has."""
    try:
        note = json.loads(_note_of(path).read_text(encoding="utf-8"))
        mark, host, since = str(note["mark"]), str(note["host"]), float(note["since"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    if host != socket.gethostname():
        return Holder(host, since) if time.time() - since < _OLD else None
    return Holder("", since) if mark != my_mark() and runs(mark) else None


def take_lock(path: Path) -> None:
    """Say that this window has a job open; where that cannot be written it is left."""
    note = {"mark": my_mark(), "host": socket.gethostname(), "since": time.time()}
    with contextlib.suppress(OSError):
        _note_of(path).write_text(json.dumps(note), encoding="utf-8")


def release_lock(path: Path) -> None:
    """Take the note away, if it is this window's."""
    note = _note_of(path)
    with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
        if json.loads(note.read_text(encoding="utf-8"))["mark"] == my_mark():
            note.unlink()
