"""The main window: five sheets round one drawing, the title block, messages."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenuBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QWidget,
)

from cutkey.app.document import Document
from cutkey.app.engine import Engine
from cutkey.app.face.face_view import FaceView
from cutkey.app.files import Files
from cutkey.app.gestures import Gestures
from cutkey.app.intake import Intake
from cutkey.app.keeper import Keeper
from cutkey.app.layout import lay_out_window, make_room
from cutkey.app.menus import build_menus
from cutkey.app.recovery import recent_jobs
from cutkey.app.saying import say_problem, say_refused
from cutkey.app.sheets import all_sheets
from cutkey.app.sheets.base import Desk, Sheet
from cutkey.app.sizing import Sizing
from cutkey.app.stage.stage import Stage
from cutkey.app.status import cells_of
from cutkey.app.swapping import Swapping
from cutkey.app.tab_order import focus_next
from cutkey.app.table.light_table import LightTable
from cutkey.app.theme import application_icon, theme
from cutkey.app.warming import Warming
from cutkey.app.widgets.basics import allow, recolour_icons
from cutkey.app.widgets.film import Film
from cutkey.app.widgets.late_marks import LateMarks
from cutkey.app.widgets.layer_ladder import LayerLadder
from cutkey.app.widgets.message_strip import STEP, MessageStrip
from cutkey.app.widgets.sheet_frame import SheetFrame
from cutkey.app.widgets.sheet_tabs import SheetTabs
from cutkey.app.widgets.steps_popup import StepsPopup
from cutkey.app.widgets.strip import Strip
from cutkey.app.widgets.title_block import TitleBlock
from cutkey.app.widgets.welcome import Welcome
from cutkey.core.model.changes import change_between
from cutkey.core.model.job import Job
from cutkey.worker.client import Worker

#: Width and height, px, under which nothing fits.
SMALLEST = (960, 600)


class Window(QMainWindow):
    """Everything visible hangs together here; what the sheets do is in `sheets`."""

    menus: QMenuBar
    bar: QHBoxLayout
    job_name: QLabel
    undo_button: QPushButton
    redo_button: QPushButton
    steps_button: QPushButton
    steps_popup: StepsPopup
    tabs: SheetTabs
    lefts: QStackedWidget
    rights: QStackedWidget
    strips: QStackedWidget
    halves: QSplitter
    centre: QStackedWidget
    welcome: Welcome
    frame: SheetFrame
    side: QWidget

    def __init__(self, worker: Worker | None = None) -> None:
        super().__init__()
        self.setWindowIcon(application_icon())
        self.setAcceptDrops(True)
        self.document = Document()
        self.engine = Engine(self.document, worker)
        self.table, self.stage, self.face, self.message = LightTable(), Stage(), FaceView(), MessageStrip()
        self.ladder, self.film = LayerLadder(), Film()
        self.swapping = Swapping(self.document, self.engine, self.message)
        self.desk = Desk(
            self.document,
            self.engine,
            self.table,
            self.stage,
            self.face,
            self.ladder,
            self.film,
            self.message,
            self.swapping,
            Sizing(self.document, self.engine),
        )
        self.sheets: dict[str, Sheet] = {s.id: s(self.desk) for s in all_sheets()}
        self.current = next(iter(self.sheets))
        self._leaving = False  # unsaved work may be left behind
        self.keeper = Keeper(self, self.desk)
        self.files = Files(self)
        self.intake = Intake(self.desk, self.keeper.open_path, self.show_sheet)
        self.block = TitleBlock()
        self.marks = LateMarks()
        lay_out_window(self)
        self.commands, self.recent, self.undo_action, self.redo_action, self.finder = build_menus(self)
        self.desk.commands.update(
            open_picture=self.files.open_picture,
            open_model=self.files.open_model,
            other_picture=self.files.other_picture,
            take_other_picture=self.swapping.take_picture,
            take_body=self.swapping.take_body,
            open_sheet=self.show_sheet,
            export=self.files.export,
            paste=self.files.paste,
            refresh=self.refresh,
            test_piece=self.files.write_test_piece,
            badges=self._show_block,
        )
        for sheet in self.sheets.values():
            self.desk.commands.update(sheet.offers())
        self._connect()
        self.gestures = Gestures(
            self.document, (self.stage, self.face, self.table, *self.findChildren(Strip))
        )
        self.warming = Warming(self, (self.lefts, self.rights, self.strips, self.halves))
        self.warming.start_soon()
        # Said, so that a wide window can be made narrow at once: its panels follow.
        self.setMinimumSize(*SMALLEST)
        self.resize(1280, 800)
        make_room(self)
        self.show_sheet(self.current)
        self.refresh()

    # -- building
    def _connect(self) -> None:
        self.document.went.connect(self._show_where)
        self.steps_button.clicked.connect(self.show_steps)
        self.undo_button.clicked.connect(self.document.undo)
        self.redo_button.clicked.connect(self.document.redo)
        self.tabs.opened.connect(self.show_sheet)
        self.document.changed.connect(lambda: self.message.settle(STEP))
        self.document.changed.connect(self.refresh)
        self.document.renewed.connect(self._renewed)
        self.document.refused.connect(partial(say_refused, self))
        self.engine.updated.connect(self._updated)
        self.swapping.begun.connect(self._show_swap)
        self.engine.aged.connect(self._show_late)
        self.engine.aged.connect(self._show_block)
        self.engine.progress.connect(self._progress)
        self.engine.settled.connect(self._settled)
        self.engine.problem.connect(partial(say_problem, self))
        self.engine.exported.connect(self.files.exported)
        self.block.cancel.connect(self.engine.cancel)
        self.table.hovered.connect(lambda text: None if self.engine.busy else self.block.set_now(text, -1.0))
        self.stage.overlay = lambda painter: self.view.paint(painter)
        self.stage.grab_handle = lambda p: self.view.grab(p)
        self.stage.menu = self.table.menu = lambda p: self.view.menu(p)
        self.stage.clicked.connect(lambda hit: self.view.click(hit))
        self.stage.turned.connect(self._show_block)
        self.table.zoomed.connect(self._show_block)

    # -- sheets
    @property
    def view(self) -> Sheet:
        """The open sheet."""
        return self.sheets[self.current]

    def show_sheet(self, id: str) -> None:
        """Open a sheet; the stage keeps its camera."""
        if id != self.current:
            self.view.leave()
            self._draw_in_turns()
            # What is hidden with the keys in its hand passes them on, along the whole window as it is read.
            if (held := self.focusWidget()) is not None:
                held.clearFocus()
        self.current = id
        self.tabs.tabs[id].setChecked(True)
        for stack, part in (
            (self.lefts, self.view.left),
            (self.rights, self.view.right),
            (self.strips, self.view.strip),
        ):
            stack.setCurrentWidget(part)
        self.face.setVisible(self.view.beside == "face")
        self.ladder.setVisible(self.view.beside == "ladder")
        self.film.setVisible(self.view.beside == "film")
        self.engine.drafts = self.view.centre == "table"
        self.refresh()
        # The drawing takes the keys: arrows nudge, Delete deletes.
        (self.table if self.view.centre == "table" else self.stage).setFocus()
        self._show_late()

    def _draw_in_turns(self) -> None:
        """Draw the parts of a sheet that is opened one after the other, so that none waits for all."""
        parts = (self.lefts, self.stage, self.rights, self.face, self.strips)
        for turn, part in enumerate(parts, 1):
            part.setUpdatesEnabled(False)
            QTimer.singleShot(turn, self, partial(part.setUpdatesEnabled, True))

    def refresh(self) -> None:
        """Show the job as it is now."""
        self.view.refresh()
        self._show_centre()
        if self.view.centre == "stage":
            self.stage.empty_text = (
                self.view.empty_text()
                if self.document.job.base is None
                else self.tr("The model is not worked out yet.")
            )
            self._show_items()
        job = self.document.job
        mark = " •" if self.document.unsaved else ""
        self.job_name.setText(f"{job.name}{mark}")
        self.setWindowTitle(f"{job.name}{mark} · Cut Key")
        undo, redo = self.document.undo_text, self.document.redo_text
        for thing, text, word in (
            (self.undo_action, undo, self.tr("Undo")),
            (self.redo_action, redo, self.tr("Redo")),
        ):
            thing.setEnabled(bool(text))
            thing.setText(f"{word}: {text}" if text else word)
        for b, text, word, why in (
            (self.undo_button, undo, self.tr("Undo"), self.tr("Nothing to undo")),
            (self.redo_button, redo, self.tr("Redo"), self.tr("Nothing was undone")),
        ):
            allow(b, "" if text else why)
            if text:
                b.setToolTip(f"{word}: {text}")
        self._show_block()

    def _show_centre(self) -> None:
        """The light table or the stage; while there is nothing yet, what to begin with."""
        job = self.document.job
        empty = self.view.centre == "table" and not job.graphics and job.base is None
        if empty and self.centre.currentIndex() != 2:
            self.welcome.show_recent(recent_jobs())
        self.strips.setVisible(not empty)
        self.centre.setCurrentIndex(2 if empty else 0 if self.view.centre == "table" else 1)

    def _show_items(self) -> None:
        self.stage.set_items(self.view.items())
        self.stage.pickable = self.view.pickable()

    def _show_block(self) -> None:
        mm_per_px = self.stage.camera.mm_per_px if self.view.centre == "stage" else self.table.mm_per_px
        self.block.set_cells(
            cells_of(self.document.job, self.engine, mm_per_px * max(60, self.logicalDpiX()) / 25.4)
        )
        for id, sheet in self.sheets.items():
            self.tabs.tabs[id].set_badge(sheet.waiting)

    def _show_swap(self, graphic: str) -> None:
        self.desk.graphic = graphic
        self.show_sheet("trace")

    def _show_late(self) -> None:
        """Mark what belongs to the job as it was before the last change."""
        texts: dict[QWidget, str] = {}
        if self.engine.late(self.view.part):
            busy = self.engine.busy
            text = self.tr("being computed") if busy else self.tr("before the last change")
            texts = dict.fromkeys((self.view.strip, *self.view.results), text)
            # New cuts are drawn at once over the uncut design: then what is on the stage is up to date, as
            # far as it goes.
            old = self.view.centre == "table" or self.engine.nearest in ("kit", "")
            texts[self.centre] = self.tr("as it was before the last change") if old else text
        self.marks.show_marks(texts)

    def show_steps(self) -> None:
        """Open the list of steps under its button."""
        below = self.steps_button.mapToGlobal(self.steps_button.rect().bottomRight())
        self.steps_popup.show_steps(*self.document.steps, below)

    def _show_where(self, before: Job) -> None:
        """After undo and redo: the sheet, and what on it was changed."""
        change = change_between(before, self.document.job)
        if change is None:
            return
        for sheet in self.sheets.values():
            sheet.show_change(change)
        # The size of a graphic, say, is changed on two sheets: whoever sees it stays.
        owner = next((s.id for s in self.sheets.values() if change.part in s.owns), self.current)
        if owner != self.current and change.part not in self.view.also:
            self.show_sheet(owner)
        else:
            self.refresh()

    # -- answers of the compute process
    def _updated(self, kind: str) -> None:
        if kind in self.view.fed_by:
            self.refresh()
        else:
            self._show_block()
        self._show_late()

    def _progress(self, fraction: float, text: str) -> None:
        self.block.set_now(text, fraction)

    def _settled(self) -> None:
        ready = self.tr("ready; memory is tight") if self.engine.tight else self.tr("ready")
        self.block.set_now(ready if not self.engine.failed else self.tr("stopped, see the message"), -1.0)
        if not self.engine.failed:
            self.message.settle("compute")
        self.refresh()
        self._show_late()

    def _renewed(self) -> None:
        self.desk.graphic = self.desk.placement = ""
        self.desk.picked = ()
        self.stage.forget_camera()
        self.message.hide()

    # -- the window itself
    def switch_theme(self) -> None:
        """Change between paper and night."""
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        theme.load(application, "night" if theme.name == "paper" else "paper")
        recolour_icons(self)
        self.stage.restyle()
        self.refresh()

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab and Shift+Tab in the order in which the window is read."""
        bar = (self.undo_button, self.redo_button, self.steps_button, self.finder)
        places = (
            self.tabs,
            self.lefts,
            self.message,
            self.keeper.copies,
            self.centre,
            self.strips,
            self.rights,
            self.block,
            *bar,
        )
        return focus_next(places, next)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Wider panels in a wide window."""
        make_room(self)
        super().resizeEvent(event)

    def fit_view(self) -> None:
        """Show everything on the table or the stage."""
        if self.view.centre == "table":
            self.table.fit()
        else:
            self.stage.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys go to the open sheet; Esc then stops what is being computed."""
        if self.view.key(event):
            return
        if event.key() == Qt.Key.Key_Escape:
            if self.engine.busy:
                self.engine.cancel()
            else:
                self.message.hide()
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files."""
        if self.intake.wants(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Take what was dropped."""
        event.acceptProposedAction()
        self.intake.take_data(event.mimeData(), self.tr("dropped picture.png"))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved work on the page; then end the compute process."""
        if self.document.unsaved and not self._leaving:

            def leave() -> None:
                self._leaving = True
                QTimer.singleShot(0, self.close)

            if not self.keeper.may_leave(leave):
                event.ignore()
                return
        self.keeper.autosave.close()
        self.document.let_go()
        self.engine.close()
        self.stage.close_renderer()
        super().closeEvent(event)
