"""Autosave, recovery after a kill, and the list of recent jobs."""

from __future__ import annotations

import json
import os
import threading
import uuid
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer

from cutkey.app.document import Document
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.job.file import SUFFIX, save_job

#: Milliseconds after the last change until the job is kept.
DELAY = 1500
MOST_RECENT = 10


def _folder() -> Path:
    folder = user_state_path("cutkey", appauthor=False) / "autosave"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


class Autosave(QObject):
    """Keeps a copy of the unsaved job; the copy goes when the window is closed in good order."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self._stem = _folder() / f"{os.getpid()}-{uuid.uuid4().hex[:6]}"
        self._lock = threading.Lock()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(DELAY)
        self._timer.timeout.connect(self.keep)
        document.changed.connect(self._timer.start)

    @property
    def file(self) -> Path:
        """Where the copy lies."""
        return self._stem.with_suffix(SUFFIX)

    def keep(self) -> None:
        """Write the copy now, in the background; a job without changes needs none."""
        if not self._document.unsaved:
            self.clear()
            return
        job, sources = self._document.job, dict(self._document.sources)
        note = json.dumps({"pid": os.getpid(), "name": job.name, "path": str(self._document.path or "")})

        def write() -> None:
            with self._lock:
                try:
                    save_job(self.file, job, sources)
                    write_atomic(self._stem.with_suffix(".json"), note.encode())
                except BadInput:
                    # A full disk must not stop the work; the next change tries again.
                    pass

        threading.Thread(target=write, daemon=True).start()

    def clear(self) -> None:
        """Remove the copy."""
        with self._lock:
            for suffix in (SUFFIX, ".json"):
                self._stem.with_suffix(suffix).unlink(missing_ok=True)


class Leftover:
    """A copy that a killed window left behind."""

    def __init__(self, file: Path, name: str, path: Path | None) -> None:
        self.file, self.name, self.path = file, name, path

    def discard(self) -> None:
        """Remove the copy."""
        self.file.unlink(missing_ok=True)
        self.file.with_suffix(".json").unlink(missing_ok=True)


def leftovers() -> list[Leftover]:
    """Copies of windows that no longer run, newest first."""
    out = []
    for note in sorted(_folder().glob("*.json"), key=lambda p: p.stat().st_mtime, reverse=True):
        file = note.with_suffix(SUFFIX)
        try:
            about = json.loads(note.read_text(encoding="utf-8"))
            alive = Path(f"/proc/{int(about['pid'])}").exists()
        except (ValueError, KeyError, OSError):
            continue
        if not alive and file.exists():
            out.append(Leftover(file, str(about.get("name", "")), Path(about["path"]) if about.get("path") else None))
    return out


def recent_jobs() -> list[Path]:
    """Jobs opened or saved lately that still exist."""
    try:
        names = json.loads((_folder().parent / "recent.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return []
    return [p for p in map(Path, names) if p.exists()]


def remember(path: Path) -> None:
    """Put a job at the head of the list."""
    kept = [str(path.resolve())] + [str(p) for p in recent_jobs() if p != path.resolve()]
    write_atomic(_folder().parent / "recent.json", json.dumps(kept[:MOST_RECENT]).encode())
