"""Keeping jobs safe: new, open, save, recent, and nothing lost on the way."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QDateTime, QObject
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from cutkey.app.recovery import Autosave, leftovers, recent_jobs, remember
from cutkey.app.sheets.base import Desk
from cutkey.app.widgets.kept_list import KeptList, small_picture
from cutkey.app.widgets.message_strip import STEP
from cutkey.core.errors import BadInput, ChangedElsewhere
from cutkey.core.model.file import SUFFIX
from cutkey.core.model.job import Job
from cutkey.core.model.kept import Kept
from cutkey.core.model.lock import holder_of


class Keeper(QObject):
    """What the Job menu does with files. Questions are asked on the page, never in a box."""

    def __init__(self, window: QWidget, desk: Desk) -> None:
        super().__init__(window)
        self._window, self._desk = window, desk
        self.autosave = Autosave(desk.document, self._picture)
        self.autosave.trouble.connect(self._trouble)
        self.autosave.kept.connect(self._kept)
        # copies that were brought back, until the window's own is on the disk
        self._waiting: list[tuple[Job, Kept]] = []
        self.copies = KeptList()
        self.copies.wanted.connect(self._bring_back)

    def _picture(self) -> bytes | None:
        """What the drawing shows, small, for the list of kept copies."""
        return small_picture(self._desk.table if self._desk.table.isVisible() else self._desk.stage)

    def new_job(self) -> None:
        """Start with an empty job."""
        if self.may_leave(self.new_job_now):
            self.new_job_now()

    def new_job_now(self) -> None:
        """Start with an empty job without asking."""
        self._desk.document.start(Job(), {})
        self._desk.commands["open_sheet"]("trace")

    def open_path(self, path: Path) -> None:
        """Open a job file."""
        if self.may_leave(lambda: self._open_unless_held(path)):
            self._open_unless_held(path)

    def _open_unless_held(self, path: Path) -> None:
        """Open a job; one that another window has open is told first."""
        holder = holder_of(path)
        if holder is None:
            self._open_now(path)
            return
        where = self.tr("on {0}").format(holder.host) if holder.host else self.tr("in another window")
        when = QDateTime.fromSecsSinceEpoch(int(holder.since)).toString("hh:mm")
        text = self.tr(
            "{0} is open {1} since {2}; what is saved there and here would replace each other."
        ).format(path.name, where, when)
        open_it, copy = partial(self._open_now, path), partial(self._open_now, path, True)
        self._desk.message.say(
            text, [(self.tr("open a copy"), copy), (self.tr("open it all the same"), open_it)]
        )

    def _open_now(self, path: Path, copy: bool = False) -> None:
        try:
            self._desk.document.open(path)
        except BadInput as error:
            self._desk.message.say(str(error))
            return
        if copy:
            job = self._desk.document.job
            self._desk.document.start(
                replace(job, name=self.tr("{0} copy").format(job.name)), {}, None, saved=False
            )
        else:
            remember(path)

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

        def leave() -> None:
            self.autosave.part()
            then()

        text = self.tr("{0} has changes that are not saved.").format(self._desk.document.job.name)
        self._desk.message.say(text, [(self.tr("save"), save_first), (self.tr("leave them"), leave)])
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
        name, _ = QFileDialog.getSaveFileName(
            self._window, self.tr("Save the job"), start, self.tr("Jobs (*{0})").format(SUFFIX)
        )
        if not name:
            return
        path = Path(name if name.lower().endswith(SUFFIX) else f"{name}{SUFFIX}")
        if str(path) != name and path.exists():
            # The dialog has asked about another name than the one that is written.
            text = self.tr("{0} exists already.").format(path.name)
            self._desk.message.say(
                text,
                [
                    (self.tr("write over it"), partial(self._save_to, path)),
                    (self.tr("another name"), self.save_as),
                ],
            )
            return
        self._save_to(path)

    def _save_to(self, path: Path, over: bool = False) -> None:
        document = self._desk.document
        try:
            if document.job.name == "Untitled":
                document.edit(self.tr("name the job"), replace(document.job, name=path.stem))
            document.save(path, over)
        except ChangedElsewhere as error:
            actions: list[tuple[str, Callable[[], object]]] = [
                (self.tr("keep mine"), partial(self._save_to, path, True)),
                (self.tr("take theirs"), self._take_theirs),
                (self.tr("save beside it"), partial(self._save_to, _beside(path))),
            ]
            self._desk.message.say(str(error), actions)
            return
        except BadInput as error:
            self._desk.message.say(str(error), [(self.tr("save as…"), self.save_as)])
            return
        self.autosave.clear()
        remember(path)

    def _take_theirs(self) -> None:
        try:
            self._desk.document.take_theirs()
        except BadInput as error:
            self._desk.message.say(str(error))

    def open_dialog(self) -> None:
        """Choose a job."""
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Open a job"), "", self.tr("Jobs (*{0})").format(SUFFIX)
        )
        if name:
            self.open_path(Path(name))

    def start_copy(self) -> None:
        """Go on with a copy of the job as it is; the saved one is left as it was saved."""
        document = self._desk.document
        job = replace(document.job, name=self.tr("{0} copy").format(document.job.name))
        document.start(job, dict(document.sources), saved=False)
        self._desk.message.say(
            self.tr("This is a copy now; it is saved under a name of its own."), calm=True, topic=STEP
        )

    def fill_recent(self, menu: QMenu) -> None:
        """An entry for every recent job."""
        menu.clear()
        for path in recent_jobs():
            menu.addAction(path.name, partial(self.open_path, path)).setToolTip(str(path))
        if menu.isEmpty():
            menu.addAction(self.tr("none yet")).setEnabled(False)

    def offer_recovery(self, again: bool = False) -> None:
        """Offer the copies that killed windows left behind.

        Those that were left before only when asked for `again`.
        """
        found = [k for k in leftovers() if again or not k.left]
        self.copies.show_copies(found)
        if again and not found:
            self._desk.message.say(self.tr("There are no kept copies."), calm=True, topic=STEP)

    def _bring_back(self, one: Kept) -> None:
        """Go on with a kept copy; unsaved work in the window is asked about first, and one undo away then."""
        document = self._desk.document
        if document.unsaved:
            text = self.tr("{0} has changes that are not saved; they stay one undo away.").format(
                document.job.name
            )
            self._desk.message.say(
                text, [(self.tr("bring {0} back").format(one.name), partial(self._bring_back_now, one))]
            )
        else:
            self._bring_back_now(one)

    def _bring_back_now(self, one: Kept) -> None:
        try:
            job, sources = one.open()
        except BadInput as error:
            self._desk.message.say(str(error))
            return
        # The old copy goes only when the new one is safe on the disk.
        self._waiting.append((job, one))
        self._desk.document.bring_back(self.tr("bring {0} back").format(one.name), job, sources, one.path)
        self.copies.show_copies([k for k in self.copies.copies if k.folder != one.folder])
        self.autosave.keep()

    def _kept(self) -> None:
        for job, one in self._waiting:
            if job == self._desk.document.job:
                one.discard()
        self._waiting = [(job, one) for job, one in self._waiting if one.folder.exists()]

    def _trouble(self, why: str) -> None:
        if why:
            text = self.tr(
                "The job cannot be kept for the case of a crash: {0} Save it; it is tried again."
            ).format(why)
            self._desk.message.say(text, [(self.tr("save"), self.save)], topic="autosave")
        else:
            self._desk.message.settle("autosave")


def _beside(path: Path) -> Path:
    """A name that is free beside a file."""
    n = 2
    while (other := path.with_name(f"{path.stem} {n}{SUFFIX}")).exists():
        n += 1
    return other
