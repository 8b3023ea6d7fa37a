"""The open job: its history, its sources, its file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from cutkey.app.background import wait_for
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import ChangedElsewhere
from cutkey.core.files import Stamp, stamp_of
from cutkey.core.job.document import Job, Source
from cutkey.core.job.file import open_job, save_job
from cutkey.core.job.history import History
from cutkey.core.job.lock import holder_of, release_lock, take_lock
from cutkey.core.job.validate import problem_of


class Document(QObject):
    """One job with endless undo. Every widget reads `job` and asks for changes through `edit`."""

    changed = Signal()
    renewed = Signal()  # another job was opened
    refused = Signal(str)  # what is wrong with an edit that was not made

    def __init__(self) -> None:
        super().__init__()
        self.sources: dict[str, bytes] = {}
        self.path: Path | None = None
        self._stamp: Stamp | None = None  # how its file looked when it was opened or saved
        self._history = History(Job())
        self._saved = self._history.job

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

    def edit(self, text: str, job: Job, merge: bool = False) -> None:
        """Make a new job the current one; one that makes no sense is refused in a sentence, and the present one stays."""
        before = self.job
        problem = problem_of(job) if job != before else ""
        if problem:
            self.refused.emit(problem)
            return
        self._history.edit(text, job, merge)
        if self.job != before:
            self.changed.emit()

    def undo(self) -> None:
        """One step back."""
        self._history.undo()
        self.changed.emit()

    def redo(self) -> None:
        """One step forward."""
        self._history.redo()
        self.changed.emit()

    def take(self, name: str, kind: str, data: bytes) -> Source:
        """Keep a file's bytes and give its source entry."""
        source = Source(digest_bytes(data), name, kind)  # type: ignore[arg-type]
        self.sources[source.digest] = data
        return source

    def start(self, job: Job, sources: dict[str, bytes], path: Path | None = None, saved: bool = True) -> None:
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

        An empty window takes the copy's file over too; otherwise the job has none yet, so that neither is saved over the other.
        """
        self.sources.update(sources)
        self._set_path(path if self.path is None and self.job == Job() else None)
        self._history.edit(text, job)
        self.changed.emit()

    def take_theirs(self) -> None:
        """Go on with the file as somebody else has left it, as one step of undo; raises BadInput when it cannot be read."""
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
        if path == self.path and not over and there is not None and self._stamp is not None and there != self._stamp:
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
