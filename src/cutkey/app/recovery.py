"""Autosave, where copies are kept, and the list of recent jobs."""

from __future__ import annotations

import json
import os
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer, Signal

from cutkey.app.document import Document
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.model.job import Job
from cutkey.core.model.kept import Kept, keep, kept_copies, new_stem

#: Milliseconds of quiet after a change until the job is kept, and the longest that edits may put it off.
DELAY, LATEST = 1200, 3500
#: Where it could not be kept it is tried again after so long, ms.
AGAIN = 5000
MOST_RECENT = 10


def state_folder() -> Path:
    """Where the program keeps what is not the user's."""
    return user_state_path("cutkey", appauthor=False)


def places() -> list[Path]:
    """Where copies are kept: the state folder; the temporary folder where that cannot be written."""
    return [state_folder() / "autosave", Path(tempfile.gettempdir()) / f"cutkey-{os.getuid()}" / "autosave"]


def leftovers() -> list[Kept]:
    """Copies of windows that no longer run, newest first."""
    return kept_copies(places())


class Autosave(QObject):
    """Keeps a copy of the unsaved job, off the window's thread.

    The copy goes when the window is closed in good order.
    """

    trouble = Signal(str)  # why it cannot be kept anywhere; "" when it can again
    kept = Signal()  # the job as it was a moment ago is safe on the disk

    def __init__(self, document: Document, picture: Callable[[], bytes | None] = lambda: None) -> None:
        super().__init__()
        self._document, self._picture = document, picture
        self._stem = new_stem()
        self._first: float | None = None  # when the oldest change was made that is not kept yet
        self._busy = False
        self._closed = False
        self._written: list[Path] = []
        self._lock = threading.Lock()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.keep)
        self._told = ""
        self._done.connect(self._after)
        document.changed.connect(self._wait)

    _done = Signal(str, object)  # the reason it failed, and the job that was kept

    @property
    def folders(self) -> list[Path]:
        """Where its copies lie."""
        return [f for f in self._written if f.exists()]

    def _wait(self) -> None:
        now = time.monotonic()
        self._first = now if self._first is None else self._first
        # However fast the edits come, the first of them is not put off for ever.
        self._timer.start(max(0, min(DELAY, int(LATEST - 1000 * (now - self._first)))))

    def keep(self) -> None:
        """Write the copy now, in a thread of its own; a job without changes needs none."""
        if self._busy:
            self._timer.start(100)
            return
        self._first = None
        if not self._document.unsaved:
            self.clear()
            return
        self._busy = True
        job, sources, path = self._document.job, dict(self._document.sources), self._document.path
        picture = self._picture()

        def write() -> None:
            why = ""
            with self._lock:
                for place in places() if not self._closed else ():
                    try:
                        keep(place / self._stem, job, sources, path, picture)
                    except BadInput as error:
                        why = why or str(error)
                        continue
                    why = ""
                    if place / self._stem not in self._written:
                        self._written.append(place / self._stem)
                    break
            self._done.emit(why, job)

        threading.Thread(target=write, daemon=True).start()

    def _after(self, why: str, job: Job) -> None:
        self._busy = False
        if why != self._told:
            self._told = why
            self.trouble.emit(why)
        if why:
            self._timer.start(AGAIN)
        elif job == self._document.job:
            self.kept.emit()

    def clear(self) -> None:
        """Remove the copy."""
        self._first = None
        self._timer.stop()
        with self._lock:
            for folder in self._written:
                Kept(folder, "", None, 0.0, None, False).discard()
            self._written.clear()

    def part(self) -> None:
        """The job is left without being saved: its copy stays, for thirty days, and another begins."""
        self._timer.stop()
        self._first = None
        job, sources, picture = self._document.job, dict(self._document.sources), self._picture()
        with self._lock:
            for place in places():
                try:
                    keep(place / self._stem, job, sources, self._document.path, picture)
                except BadInput:
                    continue
                (place / self._stem / "left").touch()
                break
            self._written.clear()
            self._stem = new_stem()

    def close(self) -> None:
        """Remove the copy and keep none any more."""
        self._closed = True
        self.clear()


def recent_jobs() -> list[Path]:
    """Jobs opened or saved lately that still exist."""
    try:
        names = json.loads((state_folder() / "recent.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return []
    return [p for p in map(Path, names) if p.exists()]


def remember(path: Path) -> None:
    """Put a job at the head of the list; where that cannot be written the list stays as it is."""
    kept = [str(path.resolve())] + [str(p) for p in recent_jobs() if p != path.resolve()]
    try:
        state_folder().mkdir(parents=True, exist_ok=True)
        write_atomic(state_folder() / "recent.json", json.dumps(kept[:MOST_RECENT]).encode(), private=True)
    except (OSError, BadInput):
        return
