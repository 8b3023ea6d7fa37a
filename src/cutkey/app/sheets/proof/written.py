"""What was written last, and whether the job has been changed since."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

from cutkey.app.widgets.basics import Card, button
from cutkey.core.model.job import Job


class WrittenCard(Card):
    """Written is only what lies in the folder as the kit is now."""

    def __init__(self) -> None:
        super().__init__("", "")
        self.show_folder = button(self.tr("open the folder"), "link")
        self.show_folder.clicked.connect(self._open_folder)
        self.add_below(self.show_folder)
        self.forget()

    def forget(self) -> None:
        """Another job was opened: what was written is not of it."""
        self._folder: Path | None = None
        self._written: tuple[Job, str] | None = None  # the job as it was written, and what was said then
        self._alarm = False
        self.hide()

    def tell(self, report: dict[str, Any], folder: Path, job: Job) -> None:
        """Say what was written, and of which state of the job.

        Parameters
        ----------
        report : dict
            Of the kit.
        folder : Path
        job : Job
        """
        self._folder = folder
        pieces = sum(len(u["pieces"]) for u in report["units"])
        file = next((f for f in report["findings"] if f["kind"] == "file"), None)
        text = self.tr("{0} pieces in {1}").format(pieces, folder.name)
        if "series" in report:
            text = self.tr("{0} kits of {1}").format(len(report["series"]), text)
        text = f"{text}. {file['text'] if file else ''}"
        if report.get("again"):
            text += " " + self.tr("Beside the kit before: {0}.").format(report["again"]["text"])
        if report.get("left"):
            changed = ", ".join(report["left"][:3])
            text += " " + self.tr("Of an earlier kit {0} stayed, as it was changed since.").format(changed)
        self._written = (job, text)
        self._alarm = bool(report.get("left")) or bool(file and file["severity"] != "sound")

    def refresh(self, job: Job) -> None:
        """Show it beside the job as it is now."""
        self.setVisible(self._written is not None)
        if self._written is None:
            return
        of, text = self._written
        if of == job:
            self.set_text(self.tr("Written"), text)
            self.set_state(alarm=self._alarm)
        else:
            folder = self._folder.name if self._folder else ""
            changed = self.tr("The job was changed since {0} was written; write it again.").format(folder)
            self.set_text(self.tr("Out of date"), changed)
            self.set_state(alarm=True)

    def _open_folder(self) -> None:
        if self._folder is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._folder)))
