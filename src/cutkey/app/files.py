"""What the window takes from files and the clipboard, and what it writes.

Pictures, models, parts of jobs, the kit.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QApplication, QFileDialog

from cutkey.app import logbook
from cutkey.app.clipboard import part_there
from cutkey.app.widgets.message_strip import STEP
from cutkey.core.formats import suffixes_of
from cutkey.core.model.job import Job

if TYPE_CHECKING:
    from cutkey.app.window import Window


class Files(QObject):
    """Asks for names and hands on what was chosen."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self.folder: Path | None = None  # that the kit was last written to
        self._job = Job()  # as it was then

    def save_drawing(self) -> None:
        """Save the picked graphic as a drawing in millimetres, with the curves that it is made of."""
        spec, view = self._window.desk.spec(), self._window.desk.graphic_view()
        if spec is None or view is None:
            self._window.message.say(self.tr("There is no graphic yet; open a picture first."), topic=STEP)
            return
        kinds = self.tr("Drawings (*.svg);;Drawings for machines (*.dxf)")
        name, kind = QFileDialog.getSaveFileName(
            self._window, self.tr("Save the graphic as a drawing"), f"{spec.name}.svg", kinds
        )
        if not name:
            return
        path = Path(name)
        if path.suffix.lower() not in (".svg", ".dxf"):
            path = path.with_name(f"{path.name}{'.dxf' if 'dxf' in kind else '.svg'}")
        text = self.tr("{0} was written.")
        self._window.engine.write_drawing(
            spec.id, path, lambda done: self._window.message.say(text.format(Path(done).name), calm=True)
        )

    def open_picture(self) -> None:
        """Choose a picture."""
        kinds = " ".join(f"*{s}" for s in (*suffixes_of("picture"), *suffixes_of("drawing")))
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Open a picture"), "", self.tr("Pictures ({0})").format(kinds)
        )
        if name:
            self._window.intake.take_path(Path(name))

    def other_picture(self) -> None:
        """Choose another picture for the picked graphic."""
        spec = self._window.desk.spec()
        if spec is None or self._window.desk.graphic_view() is None:
            self._window.message.say(self.tr("There is no graphic yet; open a picture first."), topic=STEP)
            return
        kinds = " ".join(f"*{s}" for s in (*suffixes_of("picture"), *suffixes_of("drawing")))
        title = self.tr("Another picture for {0}").format(spec.name)
        name, _ = QFileDialog.getOpenFileName(
            self._window, title, "", self.tr("Pictures ({0})").format(kinds)
        )
        if name:
            self._window.intake.swap_path(spec.id, Path(name))

    def open_model(self) -> None:
        """Choose a model."""
        kinds = " ".join(f"*{s}" for s in suffixes_of("model"))
        name, _ = QFileDialog.getOpenFileName(
            self._window, self.tr("Open a model"), "", self.tr("Models ({0})").format(kinds)
        )
        if name:
            self._window.intake.take_path(Path(name))

    def copy(self) -> None:
        """Put what is picked on the open sheet on the clipboard."""
        if not self._window.view.copy():
            self._window.message.say(self.tr("Nothing is picked that could be copied."), calm=True)

    def double(self) -> None:
        """Lay what is picked once more."""
        if not self._window.view.double():
            self._window.message.say(self.tr("Nothing is picked that could be laid once more."), calm=True)

    def paste(self) -> None:
        """Take the picture on the clipboard, files copied there, or a part of a job."""
        data = QApplication.clipboard().mimeData()
        part = part_there()
        if part is not None:
            job, sources = part
            self._window.document.sources.update(sources)
            sheet = "place" if job.placements or job.addons else "trace"
            self._window.sheets[sheet].paste(job)
            self._window.show_sheet(sheet)
            return
        if data is None or not self._window.intake.take_data(data, self.tr("pasted picture.png")):
            self._window.message.say(
                self.tr("There is no picture on the clipboard; copy one and paste again.")
            )

    def export(self) -> None:
        """Choose a folder and write the kit into it."""
        if not self._window.desk.commands["may_export"]():
            self._window.show_sheet("proof")
            self._window.message.say(self.tr("The kit cannot be written yet: see the findings on the left."))
            return
        start = str(self._window.document.path.parent if self._window.document.path else Path.home())
        name = QFileDialog.getExistingDirectory(self._window, self.tr("Folder for the kit"), start)
        if name:
            self.export_to(Path(name))

    def export_to(self, folder: Path, over: bool = False) -> None:
        """Write the kit into a folder."""
        self.folder, self._job = folder, self._window.document.job
        self._window.engine.export(folder, over)

    def exported(self, report: dict[str, Any]) -> None:
        """Say what was written."""
        if self.folder is not None:
            self._window.desk.commands["exported"](report, self.folder, self._job)
        self._window.show_sheet("proof")

    def write_test_piece(self) -> None:
        """Ask where the clearance test piece goes, and write it."""
        path, _ = QFileDialog.getSaveFileName(
            self._window, self.tr("Clearance test piece"), "clearance-test.3mf", self.tr("3MF (*.3mf)")
        )
        if path:
            name = Path(path).with_suffix(".3mf")
            text = self.tr(
                "{0} is written: print it, try the pin, and enter the clearance at which it slides under the"
                " printer."
            )
            self._window.engine.write_trial(
                name, lambda done: self._window.message.say(text.format(Path(done).name), calm=True)
            )

    def copy_log(self) -> None:
        """Put the end of the log on the clipboard."""
        QApplication.clipboard().setText(logbook.tail())

    def show_log(self) -> None:
        """Open the log, or say where it would be."""
        if logbook.tail():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(logbook.log_path())))
        else:
            text = self.tr("Nothing has gone wrong yet: there is no log in {0}.").format(
                logbook.log_path().parent
            )
            self._window.message.say(text, calm=True)
