"""The open job: its history, its sources, its file."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QApplication

from cutkey.app.background import wait_for
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import ChangedElsewhere
from cutkey.core.files import Stamp, stamp_of
from cutkey.core.model.file import open_job, save_job
from cutkey.core.model.history import History
from cutkey.core.model.job import Job, Source
from cutkey.core.model.lock import holder_of, release_lock, take_lock
from cutkey.core.model.validate import problem_of

#: Seconds without an edit, and with no mouse button held, after which the next one is another gesture.
PAUSE = 1.2


class Document(QObject):
    """One job with endless undo. Every widget reads `job` and asks for changes through `edit`."""

    changed = Signal()
    renewed = Signal()  # another job was opened
    went = Signal(object)  # by undo, redo or the list of steps, from this job to the present one
    refused = Signal(str)  # what is wrong with an edit that was not made

    def __init__(self) -> None:
        super().__init__()
        self.sources: dict[str, bytes] = {}
        self.path: Path | None = None
        self._stamp: Stamp | None = None  # how its file looked when it was opened or saved
        self._history = History(Job())
        self._saved = self._history.job
        self._gesture, self._last = 0, 0.0

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._history.job

    @property
    def unsaved(self) -> bool:
        """Whether there are changes since the last save."""
        return self.job != self._saved

    @property
    def undo_text(self) -> str:
        """What undo would take back."""
        return self._history.undo_text

    @property
    def redo_text(self) -> str:
        """What redo would bring back."""
        return self._history.redo_text

    def edit(self, text: str, job: Job, merge: bool | str = False) -> None:
        """Make a new job the current one.

        One that makes no sense is refused in a sentence, and the present one stays.

        Parameters
        ----------
        merge : bool or str
            What goes on in one gesture (a drag, a run of the arrow keys) is one step: True for the gesture
            that is being made, or the name of one that goes on whatever is pressed.
        """
        now = time.monotonic()
        if now - self._last > PAUSE and QApplication.mouseButtons() == Qt.MouseButton.NoButton:
            self.end_gesture()
        self._last = now
        before = self.job
        problem = problem_of(job) if job != before else ""
        if problem:
            self.refused.emit(problem)
            return
        self._history.edit(
            text, job, merge if isinstance(merge, str) else f"{text} {self._gesture}" if merge else ""
        )
        if self.job != before:
            self.changed.emit()

    def end_gesture(self) -> None:
        """What is done from now on is another step, even if it is of the same kind."""
        self._gesture += 1

    def undo(self) -> None:
        """One step back."""
        self.go_to(self._history.at - 1)

    def redo(self) -> None:
        """One step forward."""
        self.go_to(self._history.at + 1)

    def go_to(self, step: int) -> None:
        """Go back or forward to a step of the history."""
        before, job = self._history.at, self.job
        self._history.go_to(step)
        self.end_gesture()
        if self._history.at != before:
            self.changed.emit()
            self.went.emit(job)

    @property
    def steps(self) -> tuple[list[str], int]:
        """What each step did, "" for the start, and the number of the one that led to the job as it is."""
        return self._history.texts, self._history.at

    def take(self, name: str, kind: str, data: bytes) -> Source:
        """Keep a file's bytes and give its source entry."""
        source = Source(digest_bytes(data), name, kind)  # type: ignore[arg-type]
        self.sources[source.digest] = data
        return source

    def start(
        self, job: Job, sources: dict[str, bytes], path: Path | None = None, saved: bool = True
    ) -> None:
        """Begin with another job."""
        # The worker holds this very mapping, so it is filled, not replaced.
        self.sources.update(sources)
        self._set_path(path)
        self._history = History(job)
        self._saved = job if saved else Job()
        self.renewed.emit()
        self.changed.emit()

    def open(self, path: Path) -> None:
        """Open a job file; raises BadInput and keeps the present job when it cannot be read."""
        job, sources = wait_for(lambda: open_job(path))
        self.start(job, sources, path)

    def bring_back(self, text: str, job: Job, sources: dict[str, bytes], path: Path | None) -> None:
        """Go on with a job that was kept, as one step of undo.

        An empty window takes the copy's file over too; otherwise the job has none yet, so that neither is
        saved over the other.
        """
        self.sources.update(sources)
        self._set_path(path if self.path is None and self.job == Job() else None)
        self._history.edit(text, job)
        self.changed.emit()

    def take_theirs(self) -> None:
        """Go on with the file as somebody else has left it, as one step of undo.

        Raises BadInput when it cannot be read.
        """
        if self.path is None:
            return
        stamp = stamp_of(self.path)
        path = self.path
        job, sources = wait_for(lambda: open_job(path))
        self.sources.update(sources)
        self._history.edit("take the file as it is", job)
        self._stamp, self._saved = stamp, job
        self.changed.emit()

    def save(self, path: Path, over: bool = False) -> None:
        """Save to a file.

        Parameters
        ----------
        over : bool
            Even if somebody else has changed the file since.

        Raises
        ------
        ChangedElsewhere
            When somebody has.
        BadInput
            When it cannot be written.
        """
        there = stamp_of(path)
        if (
            path == self.path
            and not over
            and there is not None
            and self._stamp is not None
            and there != self._stamp
        ):
            raise ChangedElsewhere(f"{path.name} was changed by somebody else since it was opened here.")
        job, sources = self.job, dict(self.sources)
        wait_for(lambda: save_job(path, job, sources))
        self._set_path(path)
        self._saved = job
        self.changed.emit()

    def let_go(self) -> None:
        """Say that this window has its file open no more."""
        if self.path is not None:
            release_lock(self.path)

    def _set_path(self, path: Path | None) -> None:
        if self.path is not None and self.path != path:
            release_lock(self.path)
        self.path = path
        self._stamp = stamp_of(path) if path is not None else None
        if path is not None and holder_of(path) is None:
            take_lock(path)
