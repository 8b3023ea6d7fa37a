"""What the menu of the rack does: keeping it for other jobs, files of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.colour.racks import Rack, keep_rack, kept_rack, read_rack, write_rack
from cutkey.core.errors import BadInput


def _tr(text: str) -> str:
    return QCoreApplication.translate("ColourSheet", text)


class RackMenu:
    """Keeps and exchanges the rack of the job.

    A rack that is taken goes to `take` with the name of the step.
    """

    def __init__(self, desk: Desk, take: Callable[[str, Rack], None]) -> None:
        self._desk, self._take = desk, take

    def menu(self, parent: QWidget) -> QMenu:
        """The menu of it."""
        menu = QMenu(parent)
        for text, run in (
            (_tr("Keep this rack for other jobs"), self.keep),
            (_tr("Take the kept rack"), self.take_kept),
            (_tr("Save the rack as JSON…"), self.save),
            (_tr("Open a rack…"), self.open),
        ):
            menu.addAction(text).triggered.connect(lambda _=False, run=run: run())
        return menu

    def keep(self) -> None:
        """Keep the rack for other jobs."""
        keep_rack(self._desk.job.rack)
        self._desk.message.say(_tr("The rack is kept for other jobs."), calm=True)

    def take_kept(self) -> None:
        """Take the rack that was kept last."""
        rack = kept_rack()
        if rack is None:
            self._desk.message.say(_tr("No rack was kept yet."), calm=True)
        else:
            self._take(_tr("take the kept rack"), rack)

    def save(self) -> None:
        """Ask for a file and write the rack to it."""
        name, _ = QFileDialog.getSaveFileName(
            self._desk.stage.window(), _tr("Save the rack"), "rack.json", _tr("Racks (*.json)")
        )
        if name:
            path = Path(name if name.endswith(".json") else f"{name}.json")
            try:
                write_rack(path, self._desk.job.rack)
            except BadInput as error:
                self._desk.message.say(str(error))
                return
            self._desk.message.say(_tr("{0} was written.").format(path.name), calm=True)

    def open(self) -> None:
        """Ask for a file and take the rack in it."""
        name, _ = QFileDialog.getOpenFileName(
            self._desk.stage.window(), _tr("Open a rack"), "", _tr("Racks (*.json)")
        )
        if name:
            try:
                self._take(_tr("open a rack"), read_rack(Path(name)))
            except BadInput as error:
                self._desk.message.say(str(error))
