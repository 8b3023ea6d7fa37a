"""What lies in the folder that is written, file by file."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout

from cutkey.app.widgets.basics import clear, label
from cutkey.core.folders import REPORT
from cutkey.core.kit.names import BEDS, CHANGES_CSV, CHANGES_TXT, DRAWINGS, OBJ, README, kit_names
from cutkey.core.model.job import Job, KitFiles
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import KitView


class FolderList(QVBoxLayout):
    """Names of files with what they are for, and what the design comes to."""

    def __init__(self) -> None:
        super().__init__()
        self.setSpacing(3)
        self._kit: KitView | None = None
        self._shown: tuple[str, KitFiles, bool] | None = None

    def show_kit(self, kit: KitView | None, job: Job) -> bool:
        """List the files of the kit of a job; False when that is what is listed."""
        shown = (job.name, job.files, bool(job.graphics))
        if kit is self._kit and shown == self._shown:
            return False
        self._kit, self._shown = kit, shown
        clear(self)
        if kit is not None:
            for file, text in self._files(kit, *shown):
                self.addWidget(label(file, "title"))
                self.addWidget(label(text, "small", wrap=True))
            for line in self._sums(kit):
                self.addWidget(label(line, "small", wrap=True))
        return True

    def _files(self, kit: KitView, name: str, files: KitFiles, drawn: bool) -> list[tuple[str, str]]:
        called, pieces = kit_names(name), sum(len(u.pieces) for u in kit.units)
        stls = self.tr("{0} STL files").format(pieces) if pieces != 1 else self.tr("one STL file")
        out = [
            (called.model, self.tr("every body named and in its colour, ready for slicing")),
            (stls, self.tr("one a piece")),
        ]
        if kit.heights is not None and kit.heights.stripes:
            out += [
                (CHANGES_TXT, self.tr("at which layers the filament is changed")),
                (CHANGES_CSV, self.tr("the same for scripts")),
            ]
        if files.beds and any(s.load for s in kit.spots):
            out.append((f"{BEDS}/", self.tr("a 3MF for each bed")))
        if files.obj:
            out.append((f"{OBJ}/", self.tr("the bodies as OBJ, in the colours of their filaments")))
        if files.drawings and (drawn or kit.joints):
            out.append((f"{DRAWINGS}/", self.tr("graphics and faces of joints as SVG and DXF, in mm")))
        out.append((called.sheet, self.tr("what goes where, and in which order")))
        if kit.setting is not None and len(kit.setting.islands) > 1:
            out += [
                (called.template, self.tr("outlines at 1:1, tiled")),
                (called.setting_out, self.tr("which numbered spacer goes where")),
            ]
        return [
            *out,
            (README, self.tr("what is what, for whoever gets the kit")),
            (REPORT, self.tr("sizes, volumes and findings, for scripts")),
        ]

    def _sums(self, kit: KitView) -> list[str]:
        clearance = self.tr("clearances {0} mm³").format(format_mm(kit.clearance_volume, 1))
        out = [self.tr("design {0} cm³, {1}").format(format_mm(kit.design_volume / 1000, 1), clearance)]
        if kit.hardware:
            bought = ", ".join(f"{count} × {name}" for name, count in kit.hardware)
            out.append(self.tr("to buy: {0}").format(bought))
        return out
