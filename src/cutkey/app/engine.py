"""The window's link to the compute process: sends jobs, hands out what comes back."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from PySide6.QtCore import QSocketNotifier, QTimer, Signal

from cutkey.app.document import Document
from cutkey.app.latest import Latest
from cutkey.core.folders import clear_unfinished
from cutkey.core.memo import Memo, budget
from cutkey.core.model.cuts import Plan
from cutkey.core.model.job import Job
from cutkey.core.units import Unit
from cutkey.worker.client import Worker
from cutkey.worker.messages import (
    Done,
    Draw,
    Evaluate,
    Export,
    Failed,
    Look,
    Progress,
    Propose,
    Report,
    Result,
    Trial,
    Vector,
)
from cutkey.worker.shown import SectionLine
from cutkey.worker.shown_film import RehearsalView

#: Seconds a library may hold on to a step that a newer job superseded before its process is ended, with all
#: that it knows.
PATIENCE = 30.0


class Question(NamedTuple):
    """Something that was asked of the compute process."""

    number: int
    opened: int  # of which job that was opened


class Engine(Latest):
    """Evaluates the document's job whenever it changes; only the newest job counts."""

    progress = Signal(float, str)
    settled = Signal()  # everything shown belongs to the present job
    problem = Signal(str, str, object)  # kind, sentence, detail
    exported = Signal(object)  # the report
    refused = Signal(str, object, object)  # name and bytes of an inspected file, Failed

    def __init__(self, document: Document, worker: Worker | None = None) -> None:
        super().__init__(document)
        self._line: SectionLine | None = None
        self.drafts = True  # the table is in view, on which a draft is soon there
        self._views = Memo(budget() // 4)
        self.tight = False  # memory is: earlier results are computed anew when they are wanted again
        self._worker = worker or Worker()
        self._worker.sources = document.sources
        self._listen()
        self._running: int | None = None
        self._running_of = 0  # of which job that was opened
        self._asked_for: Job | None = None  # what is being computed
        self._waiting: Job | None = None
        self._rehearsing = -1
        self.rehearsal: RehearsalView | None = None  # of the present kit, once it was asked for
        self._exporting: int | None = None
        self._folder: Path | None = None
        self._asked: dict[int, Callable[[Any], None]] = {}  # what goes on with the answer of a question
        self._inspecting: dict[int, tuple[Callable[[], None], str, bytes]] = {}
        self._superseded: float | None = None  # seconds left to a request that is no longer wanted
        self.failed = False
        self._opened = 0  # jobs so far
        self._hung = 0  # times in a row that the compute process stood still
        self._watch = QTimer(self)
        self._watch.setInterval(60)
        self._watch.timeout.connect(self._look_after)
        document.changed.connect(self.evaluate)
        document.renewed.connect(self._forget)

    # -- requests
    @property
    def busy(self) -> bool:
        """Whether something is being computed."""
        return self._worker.busy or self._waiting is not None

    @property
    def worker_pid(self) -> int | None:
        """Process number of the compute process."""
        return self._worker.pid

    def evaluate(self) -> None:
        """Compute the present job; a running evaluation of an older one is given up."""
        self.show_open(None)
        self._age()
        if not self._up():
            return
        self._waiting = self._document.job
        if self._rehearsing in self._asked:
            # Of what was; the new kit is rehearsed when it is there.
            self._worker.stop(self._rehearsing)
        if self._running is not None:
            self._worker.stop(self._running)
            if self._superseded is None:
                self._superseded = PATIENCE
        else:
            self._submit()

    def _up(self) -> bool:
        """Whether there is a process that computes; where there is none it is said."""
        if self._worker.down:
            self.problem.emit("down", self._worker.down, None)
        return not self._worker.down

    def _of_this_job(self, then: Callable[..., None]) -> Callable[..., None]:
        """What was asked about one job is not answered into another that was opened meanwhile."""
        opened = self._opened
        return lambda *answer: then(*answer) if opened == self._opened else None

    def cut_along(self, line: SectionLine | None) -> None:
        """Take the section of the depth strip along another line."""
        if line != self._line:
            self._line = line
            self.evaluate()

    def export(self, folder: Path, over: bool = False) -> None:
        """Write the kit of the present job; `over` writes over what is not of an earlier kit."""
        if not self._up():
            return
        self._folder = folder
        self._exporting = self._worker.request(Export, self._document.job, folder, over)
        self.progress.emit(0.0, self.tr("writing the kit"))
        self._watch.start()

    def propose(self, then: Callable[[list[Plan]], None]) -> None:
        """Go on with `then` when ways to cut the present design are found."""
        if not self._up():
            return
        asked = self._of_this_job(then)
        self._asked[self._worker.request(Propose, self._document.job)] = lambda found: asked(found.plans)
        self.progress.emit(0.0, self.tr("looking for the best cuts"))
        self._watch.start()

    def look(
        self, job: Job, part: str, then: Callable[[Any], None], place: tuple[Vector, Vector] | None = None
    ) -> Question:
        """Go on with `then` when it is known what a part of another job would be.

        The document's own job is not touched.
        """
        if not self._up():
            return Question(-1, self._opened)
        number = self._worker.request(Look, job, part, place)
        self._asked[number] = self._of_this_job(then)
        if part == "rehearsal":
            self._rehearsing = number
        self._watch.start()
        return Question(number, self._opened)

    def awaits(self, question: Question | None) -> bool:
        """Whether the answer to a question is still to come.

        Another job, a failure and a cancel end it without one.
        """
        return question is not None and question.opened == self._opened and question.number in self._asked

    def write_trial(self, path: Path, then: Callable[[str], None]) -> None:
        """Write the clearance test piece; go on with `then` when it is there."""
        if not self._up():
            return
        self._asked[self._worker.request(Trial, self._document.job, path)] = lambda done: then(done.path)
        self._watch.start()

    def write_drawing(self, graphic: str, path: Path, then: Callable[[str], None]) -> None:
        """Write a graphic of the present job as a drawing; go on with `then` when it is there."""
        if not self._up():
            return
        self._asked[self._worker.request(Draw, self._document.job, graphic, path)] = lambda done: then(
            done.path
        )
        self._watch.start()

    def inspect(
        self, name: str, kind: str, data: bytes, unit: Unit, then: Callable[[], None], close: bool = False
    ) -> None:
        """Go on with `then` when a file can be used; otherwise `refused` tells why."""
        if not self._up():
            return
        number = self._worker.inspect(name, kind, data, unit, close)
        self._inspecting[number] = (self._of_this_job(then), name, data)
        self.show_open(None)
        self.progress.emit(0.0, self.tr("reading {0}").format(name))
        self._watch.start()

    def revive(self) -> None:
        """Try again to start a compute process that did not stay up."""
        self._worker.revive()
        self._relisten()
        self.evaluate()

    def cancel(self) -> None:
        """Stop whatever is being computed; the job keeps its last result."""
        self._waiting = None
        for number in (self._running, self._exporting, *self._asked, *self._inspecting):
            if number is not None:
                self._worker.cancel(number)

    def let_go(self) -> None:
        """Listen to the compute process no longer; it goes on."""
        self._watch.stop()
        self._notifier.setEnabled(False)

    def close(self) -> None:
        """End the compute process."""
        self.let_go()
        self._worker.close()

    def _submit(self) -> None:
        job, self._waiting = self._waiting, None
        if job is None:
            return
        self._superseded = None
        self._seen.clear()
        self._asked_for = job
        self._running = self._worker.request(Evaluate, job, self._views.keys(), self._line, self.drafts)
        self._running_of = self._opened
        self._watch.start()

    # -- answers
    def _listen(self) -> None:
        self._restarts = self._worker.restarts
        self._notifier = QSocketNotifier(self._worker.connection.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._collect)

    def _look_after(self) -> None:
        if self._running is not None and self._superseded is not None:
            self._superseded -= self._watch.interval() / 1000
            if self._superseded <= 0:
                self._worker.cancel(self._running)
                self._superseded = None
        for message in self._worker.overdue():
            self._handle(message)
        self._relisten()
        if not self._worker.busy:
            self._watch.stop()

    def _collect(self) -> None:
        self._notifier.setEnabled(False)
        messages = self._worker.messages()
        self._relisten()
        self._notifier.setEnabled(True)
        for message in messages:
            self._handle(message)

    def _relisten(self) -> None:
        if self._worker.restarts != self._restarts:
            self._notifier.setEnabled(False)
            self._notifier.deleteLater()
            self._listen()

    def _handle(self, message: Any) -> None:
        if isinstance(message, Progress):
            if message.number in (self._running, self._exporting, *self._asked):
                self.progress.emit(message.fraction, message.text)
        elif isinstance(message, Result):
            self._result(message)
        elif isinstance(message, Failed) and message.kind == "down":
            self._went_down(message)
        elif isinstance(message, Done | Failed):
            self._ended(message)

    def _result(self, message: Result) -> None:
        if isinstance(message.value, Report):
            self.exported.emit(message.value.report)
            return
        if message.number in self._asked:
            self._asked.pop(message.number)(message.value)
            return
        if message.value is not None and message.key:
            self._views.put(message.key, message.value)
        value = self._views.find(message.key)
        # What is still on its way when another job is opened is of the one before.
        if value is None or message.number != self._running or self._running_of != self._opened:
            return
        self._take(message.part, value, self._asked_for or self._document.job)

    def _ended(self, message: Done | Failed) -> None:
        if message.number in self._inspecting:
            self._inspected(message)
            return
        exporting = message.number == self._exporting
        if exporting:
            self._exporting = None
            if isinstance(message, Failed) and self._folder is not None:
                clear_unfinished(self._folder)
        asked = self._asked.pop(message.number, None) is not None
        if message.number == self._running:
            self._running = None
            self.failed = isinstance(message, Failed) and message.kind != "cancelled"
            if isinstance(message, Done):
                self.tight = message.tight
                self._hung = 0
                self._drop_unseen()
        if isinstance(message, Failed):
            self._failed(message, exporting, asked)
        if self._waiting is not None and self._running is None:
            self._submit()
        elif not self._worker.busy:
            self.settled.emit()

    def _inspected(self, message: Done | Failed) -> None:
        """A file can be used, or why not."""
        then, name, data = self._inspecting.pop(message.number)
        if isinstance(message, Done):
            then()
        elif message.kind != "cancelled":
            self.refused.emit(name, data, message)
        if not self._worker.busy:
            self.settled.emit()

    def _failed(self, message: Failed, exporting: bool, asked: bool) -> None:
        if message.kind != "cancelled" and self._waiting is None:
            kind = (
                "export" if exporting and message.kind != "taken" else "question" if asked else message.kind
            )
            self.problem.emit(kind, message.message, message.detail)
        if message.kind == "hung" and self._running is None and self._waiting is None:
            # Once more: what held it may have been of the machine.
            self._hung += 1
            if self._hung < 2:
                self._waiting = self._document.job

    def _went_down(self, message: Failed) -> None:
        """The compute process does not stay up: everything that was asked is off until it is tried again."""
        self._notifier.setEnabled(False)
        self._running = self._waiting = self._exporting = self._superseded = None
        self._asked.clear()
        self._inspecting.clear()
        self.failed = True
        self.problem.emit("down", message.message, None)
        self.settled.emit()

    def _forget(self) -> None:
        self._line = None
        self._opened += 1
        super()._forget()
