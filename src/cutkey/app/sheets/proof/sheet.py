"""Sheet 5, Proof: what was found, and writing the kit."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, Literal

from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout

from cutkey.app.drafting import note
from cutkey.app.sheets.base import Desk, Sheet, section_items
from cutkey.app.sheets.proof.cards import FindingCards
from cutkey.app.sheets.proof.folder_list import FolderList
from cutkey.app.sheets.proof.rehearsal import Rehearsal
from cutkey.app.sheets.proof.stand_in import StandInCard
from cutkey.app.sheets.proof.written import WrittenCard
from cutkey.app.stage.item import Item
from cutkey.app.theme import theme
from cutkey.app.widgets.basics import (
    Card,
    Segments,
    Swatch,
    allow,
    button,
    clear,
    column,
    field_row,
    label,
    row,
)
from cutkey.app.widgets.bed_loads import BedLoads
from cutkey.app.widgets.fold import Fold
from cutkey.app.widgets.turns import Turns
from cutkey.core.errors import BadInput
from cutkey.core.model.finding import Finding, blocking
from cutkey.core.model.job import Job, KitFiles
from cutkey.core.model.series import SLOT, values_of
from cutkey.core.model.table_edits import AddText
from cutkey.core.units import format_mm, format_size
from cutkey.worker.shown_kit import KitView

#: Filaments of a section that are shown in its line.
MOST_SWATCHES = 6
#: So many cards are made at once, and in each turn of the window after that.
FIRST, MORE = 4, 2


class ProofSheet(Sheet):
    """Findings on the left, the kit to be written on the right, the beds below."""

    id, rank, title, tip = "proof", 50, "Proof", "Findings, and writing the kit"
    beside = "film"
    fed_by = frozenset({"sections", "kit"})

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.found = FindingCards(desk, self.refresh, lambda: section_items(desk.engine))
        self.rehearsal = Rehearsal(desk, self._rehearsed, self._staged, self.found)
        self.results = (self.left, self.right)
        self.left.set_heading(self.tr("Findings"))
        self.right.set_heading(self.tr("The kit"))
        holder, self.cards = column()
        self.left.add(holder)
        self.left.body.addStretch(1)
        self._picked = -1
        self._shows: tuple[object, ...] = ()  # what the cards were made of
        self._turns = Turns(self.left, MORE)
        self.contents = FolderList()
        self.per_bed = QCheckBox(self.tr("a 3MF for each bed too"))
        self.as_drawings = QCheckBox(self.tr("graphics and joints as SVG and DXF"))
        self.as_obj = QCheckBox(self.tr("an OBJ a piece too, with colours"))
        for box in (self.per_bed, self.as_obj, self.as_drawings):
            box.clicked.connect(self._set_files)
        self.paper = Segments(
            self.tr("Paper"),
            [(p, p, self.tr("Of the sheets, and of the template at 1:1")) for p in ("A4", "Letter")],
        )
        self.paper.chosen.connect(lambda _: self._set_files())
        self.write = button(self.tr("Write the kit…"), "main", tip=self.tr("Choose a folder (Ctrl+E)"))
        self.write.clicked.connect(lambda: self.desk.commands["export"]())
        self.why = label("", "warn", wrap=True)
        self.done = WrittenCard()
        self.series = QLineEdit()
        self.series.setAccessibleName(self.tr("Series"))
        self.series.setPlaceholderText(self.tr("1-10, or Ann, Ben"))
        self.series.setToolTip(self.tr("A kit for each value; {} in a text on the Trace sheet takes it"))
        self.series.editingFinished.connect(self._set_series)
        self.series_count = label("", "small", wrap=True)
        self.print_lines = label("", "small", wrap=True)
        self.piece_rows = QVBoxLayout()
        self.piece_rows.setSpacing(2)
        self.pieces = Fold("proof.pieces", self.tr("What is printed"), self.piece_rows)
        self.stand_in = StandInCard(desk.film, lambda: desk.job.printer)
        self.files = Fold("proof.files", self.tr("What lies in the folder"), self.contents)
        self.right.add(
            field_row(self.tr("Series"), self.series),
            self.series_count,
            self.per_bed,
            self.as_obj,
            self.as_drawings,
            field_row(self.tr("Paper"), self.paper),
            self.write,
            self.why,
            self.done,
            self.print_lines,
            self.stand_in,
            self.pieces,
            self.files,
        )
        self.right.body.addStretch(1)
        self.beds = BedLoads()
        self.beds.bed_chosen.connect(self.rehearsal.show_bed)
        self.strip = self.beds
        self.desk.document.renewed.connect(self.done.forget)

    @property
    def findings(self) -> list[Finding]:
        """What was found, the worst first."""
        kit = self.desk.engine.kit
        return kit.findings if kit else []

    def refresh(self) -> None:
        """Show the findings and what would be written."""
        kit = self.desk.engine.kit
        if self._picked >= len(self.findings):
            self._picked = -1
        if self.left.isVisible():
            # First of all: what the kit before was printed like is not shown beside this one.
            self.rehearsal.refresh()
        self._show_cards(kit)
        self.pieces.setVisible(kit is not None)
        self.per_bed.setChecked(self.desk.job.files.beds)
        self.as_drawings.setChecked(self.desk.job.files.drawings)
        self.as_obj.setChecked(self.desk.job.files.obj)
        self.paper.set_choice(self.desk.job.files.paper)
        self._show_series()
        self.done.refresh(self.desk.job)
        stopped = blocking(self.findings)
        why = self.tr("It is being checked again since the last change; in a moment it can be written")
        if self.desk.job.base is None:
            why = self.tr("There is no model yet: open one or make a body on the Place sheet")
        elif self.desk.engine.current("kit") and kit is not None:
            why = self.tr("Mend what stops the kit first") if stopped else ""
        allow(self.write, why)
        self.why.setVisible(stopped)
        self.why.setText(self.tr("Mend what stops the kit first."))
        self.beds.show_kit(kit, self.desk.job.printer)
        self.stand_in.set_loads(
            [b.load for b in self.rehearsal.view.beds] if self.rehearsal.view is not None else []
        )
        self.print_lines.setText("\n".join(self.rehearsal.lines()))
        self.print_lines.setVisible(bool(self.print_lines.text()))

    def _show_cards(self, kit: KitView | None) -> None:
        """Cards of what was found, as soon as they show anything else than they do."""
        shows = (kit, self.rehearsal.view, self.desk.job, self._picked, theme.name, *self.found.state)
        # Jobs and kits are the same while they are one thing: all that they hold is not gone through.
        same = [
            a is b or (isinstance(a, int | str) and a == b) for a, b in zip(shows, self._shows, strict=False)
        ]
        if len(same) == len(shows) and all(same):
            return
        self._shows = shows
        clear(self.cards)
        free = self.found.free(self.findings)
        if free:
            mend = button(self.tr("mend what costs nothing ({0})").format(free), "edit")
            mend.clicked.connect(self.found.mend_all)
            self.cards.addWidget(mend)
        if kit is None:
            self.cards.addWidget(
                label(self.tr("The design is checked here as soon as there is one."), "small", wrap=True)
            )
        found = [partial(self._card, k, finding) for k, finding in enumerate(self.findings)]
        # What is to be looked at comes before what is sound, whoever found it.
        first = sum(f.waits for f in self.findings)
        cards: list[Callable[[], Card]] = [*found[:first], *self.rehearsal.cards(), *found[first:]]
        add = [partial(self._add_card, make) for make in cards]
        self._turns.take([*add[:FIRST], self._show_files, *add[FIRST:]], len(add[:FIRST]))

    def _add_card(self, make: Callable[[], Card]) -> None:
        self.cards.addWidget(make())

    def _show_files(self) -> None:
        """What is printed, and what is written, where it is something else than is shown."""
        kit = self.desk.engine.kit
        if self.contents.show_kit(kit, self.desk.job):
            self._show_pieces(kit)

    def _staged(self, anew: bool) -> None:
        """The stage shows another layer, or something else altogether."""
        if self.left.isVisible():
            self.desk.stage.set_items(self.items(), fit=anew)

    def _rehearsed(self) -> None:
        if self.left.isVisible():
            self.refresh()
        self.desk.commands["badges"]()

    def _card(self, k: int, finding: Finding) -> Card:
        card = self.found.card(
            finding, k == self._picked, partial(self._go_to, k) if finding.place is not None else None
        )
        card.clicked.connect(lambda k=k: self._pick(k))
        return card

    def _show_pieces(self, kit: KitView | None) -> None:
        """What is printed, section by section."""
        clear(self.piece_rows)
        if kit is None:
            return
        for unit in kit.units:
            grams = sum(filament.grams(volume) for _, filament, volume, _ in unit.pieces) * unit.copies
            size = format_size(unit.size, 0)
            name = f"{unit.copies} × {unit.name}" if unit.copies > 1 else unit.name
            line = self.tr("{0} mm, {1} g if solid").format(size, format_mm(grams, 0 if grams >= 10 else 1))
            swatches = [Swatch(f.colour, 12, round_=True) for _, f, _, _ in unit.pieces[:MOST_SWATCHES]]
            self.piece_rows.addLayout(row(label(name), 1, *swatches, spacing=3))
            self.piece_rows.addWidget(label(line, "small"))

    # -- stage
    def items(self) -> list[Item]:
        """The kit in place, or a bed printed so far as the film is."""
        return self.rehearsal.items() or section_items(self.desk.engine)

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("There is nothing to check yet:\nput a model or a plate on the Place sheet.")

    def paint(self, painter: QPainter) -> None:
        """A leader to the place of every finding that has one, or the bed that is printed."""
        if self.rehearsal.on_stage:
            self.rehearsal.paint(painter, self.desk.stage)
            return
        placed = [(k, f) for k, f in enumerate(self.findings) if f.place is not None and f.waits]
        for n, (k, finding) in enumerate(placed):
            assert finding.place is not None
            p = self.desk.stage.to_widget(finding.place)
            strong = k == self._picked
            painter.setPen(QPen(theme.colour("madder"), 2.2 if strong else 1.3))
            painter.setBrush(theme.colour("madder", 40))
            painter.drawEllipse(p, 9, 9)
            # Labels stand above each other, so that near places can be told apart.
            tip = p + QPointF(36, -30 - 24 * n)
            text = finding.title
            if finding.figure is not None and finding.limit:
                text += f" {format_mm(finding.figure)} / {format_mm(finding.limit)} {finding.unit}"
            # Not beyond the edge of the stage.
            tip.setX(max(8.0, min(tip.x(), self.desk.stage.width() - 16.0 - 6.2 * len(text))))
            painter.drawLine(p + QPointF(6.5, -6), tip)
            note(painter, tip, text, "madder", Qt.AlignmentFlag.AlignLeft)

    def _pick(self, k: int) -> None:
        self._picked = -1 if self._picked == k else k
        self.refresh()
        self.desk.stage.update()

    def _go_to(self, k: int) -> None:
        place = self.findings[k].place
        if place is not None:
            self._picked = k
            stage = self.desk.stage
            normal_scale = 30 / max(1, stage.height())
            stage.camera = stage.camera._replace(
                target=place, mm_per_px=normal_scale, tilt=max(stage.camera.tilt, 60)
            )
            stage.redraw()
            self.refresh()

    # -- export
    def _show_series(self) -> None:
        job = self.desk.job
        if not self.series.hasFocus():
            self.series.setText(job.series)
        try:
            values = values_of(job.series)
        except BadInput as error:
            self.series_count.setText(str(error))
            return
        asked = any(SLOT in e.text for g in job.graphics for e in g.edits if isinstance(e, AddText))
        text = (
            self.tr("{0} kits, from {1} to {2}").format(len(values), values[0], values[-1]) if values else ""
        )
        if values and not asked:
            text += self.tr("; no text has {} yet, so all are alike")
        self.series_count.setText(text)
        self.series_count.setVisible(bool(text))

    def _set_files(self, _checked: bool = False) -> None:
        paper: Literal["A4", "Letter"] = "Letter" if self.paper.choice == "Letter" else "A4"
        files = KitFiles(
            self.per_bed.isChecked(), self.as_drawings.isChecked(), self.as_obj.isChecked(), paper
        )
        self.desk.document.edit(self.tr("what is written"), replace(self.desk.job, files=files))

    def _set_series(self) -> None:
        text = self.series.text().strip()
        if text != self.desk.job.series:
            self.desk.document.edit(self.tr("change the series"), replace(self.desk.job, series=text))

    def offers(self) -> dict[str, Callable[..., Any]]:
        """Whether the kit may be written, and saying that it was."""
        return {"may_export": self.may_write, "exported": self._exported}

    def may_write(self) -> bool:
        """Whether there is a kit without a finding that stops it."""
        return self.desk.engine.kit is not None and (
            self.write.isEnabled() or all(f.severity != "stop" for f in self.findings)
        )

    def _exported(self, report: dict[str, Any], folder: Path, job: Job) -> None:
        self.done.tell(report, folder, job)
        self.done.refresh(self.desk.job)

    @property
    def waiting(self) -> int:
        """Findings that are not sound."""
        kit = self.desk.engine.kit
        return sum(f.waits for f in kit.findings) + self.rehearsal.waiting if kit else 0
