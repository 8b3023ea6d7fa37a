"""The open job: its history, its sources, its file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from cutkey.app.background import wait_for
from cutkey.core.digest import digest_bytes
from cutkey.core.job.document import Job, Source
from cutkey.core.job.file import open_job, save_job
from cutkey.core.job.history import History


class Document(QObject):
    """One job with endless undo. Every widget reads `job` and asks for changes through `edit`."""

    changed = Signal()
    renewed = Signal()  # another job was opened

    def __init__(self) -> None:
        super().__init__()
        self.sources: dict[str, bytes] = {}
        self.path: Path | None = None
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
        """Make a new job the current one."""
        before = self.job
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
        self.path = path
        self._history = History(job)
        self._saved = job if saved else Job()
        self.renewed.emit()
        self.changed.emit()

    def open(self, path: Path) -> None:
        """Open a job file; raises BadInput and keeps the present job when it cannot be read."""
        job, sources = open_job(path)
        self.start(job, sources, path)

    def save(self, path: Path) -> None:
        """Save to a file; raises BadInput when it cannot be written."""
        job = self.job
        wait_for(lambda: save_job(path, job, self.sources))
        self.path = path
        self._saved = job
        self.changed.emit()
