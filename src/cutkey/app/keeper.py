"""Keeping jobs safe: new, open, save, recent, and nothing lost on the way."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from cutkey.app.recovery import Autosave, Leftover, leftovers, recent_jobs, remember
from cutkey.app.views.base import Desk
from cutkey.core.errors import BadInput
from cutkey.core.job.document import Job
from cutkey.core.job.file import SUFFIX


class Keeper(QObject):
    """What the Job menu does with files. Questions are asked on the page, never in a box."""

    def __init__(self, window: QWidget, desk: Desk) -> None:
        super().__init__(window)
        self._window, self._desk = window, desk
        self.autosave = Autosave(desk.document)

    def new_job(self) -> None:
        """Start with an empty job; unsaved work stays one undo away in its autosaved copy."""
        if self.may_leave(self.new_job_now):
            self.new_job_now()

    def new_job_now(self) -> None:
        """Start with an empty job without asking."""
        self._desk.document.start(Job(), {})
        self._desk.commands["open_sheet"](0)

    def open_path(self, path: Path) -> None:
        """Open a job file."""
        if self.may_leave(lambda: self._open_now(path)):
            self._open_now(path)

    def _open_now(self, path: Path) -> None:
        try:
            self._desk.document.open(path)
            remember(path)
        except BadInput as error:
            self._desk.message.say(str(error))

    def open_demo(self, name: str) -> None:
        """Open one of the demo jobs."""
        from cutkey.demo.jobs import demo_job

        def now() -> None:
            self._desk.document.start(*demo_job(name))

        if self.may_leave(now):
            now()

    def may_leave(self, then: Callable[[], object]) -> bool:
        """True when nothing would be lost; otherwise ask on the page and go on from there."""
        if not self._desk.document.unsaved:
            return True

        def save_first() -> None:
            self.save()
            if not self._desk.document.unsaved:
                then()

        text = self.tr("{0} has changes that are not saved.").format(self._desk.document.job.name)
        self._desk.message.say(text, [(self.tr("save"), save_first), (self.tr("leave them"), then)])
        return False

    def save(self) -> None:
        """Save to the job's file, or ask for one."""
        if self._desk.document.path is None:
            self.save_as()
        else:
            self._save_to(self._desk.document.path)

    def save_as(self) -> None:
        """Save to another file."""
        start = str(self._desk.document.path or Path.home() / f"{self._desk.document.job.name}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self._window, self.tr("Save the job"), start, self.tr("Jobs (*{0})").format(SUFFIX))
        if name:
            self._save_to(Path(name).with_suffix(SUFFIX))

    def _save_to(self, path: Path) -> None:
        try:
            if self._desk.document.job.name == "Untitled":
                self._desk.document.edit(self.tr("name the job"), replace(self._desk.document.job, name=path.stem))
            self._desk.document.save(path)
            self.autosave.clear()
            remember(path)
        except BadInput as error:
            self._desk.message.say(str(error))

    def open_dialog(self) -> None:
        """Choose a job."""
        name, _ = QFileDialog.getOpenFileName(self._window, self.tr("Open a job"), "", self.tr("Jobs (*{0})").format(SUFFIX))
        if name:
            self.open_path(Path(name))

    def fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        for path in recent_jobs():
            menu.addAction(path.name, partial(self.open_path, path)).setToolTip(str(path))
        if menu.isEmpty():
            menu.addAction(self.tr("none yet")).setEnabled(False)

    def offer_recovery(self) -> None:
        """Offer the newest copy that a killed window left behind."""
        found = leftovers()
        if not found:
            return
        newest: Leftover = found[0]

        def recover() -> None:
            try:
                self._desk.document.open(newest.file)
                job, sources = self._desk.document.job, dict(self._desk.document.sources)
                self._desk.document.start(job, sources, newest.path, saved=False)
            except BadInput as error:
                self._desk.message.say(str(error))
                return
            self.autosave.keep()
            newest.discard()

        text = self.tr("{0} was not closed in good order; its last state was kept.").format(newest.name or self.tr("A job"))
        self._desk.message.say(text, [(self.tr("bring it back"), recover), (self.tr("discard it"), newest.discard)], calm=True)
