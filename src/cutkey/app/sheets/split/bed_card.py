"""The printer: chosen from the maker's own list, its bed, margin and keep-outs."""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from cutkey.app.sheets.split.printers import drop_printer, keep_printer, own_printers
from cutkey.app.widgets.basics import Choice, Segments, allow, button, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model.printer import Printer
from cutkey.core.units import format_mm

Change = Callable[[Printer, bool], None]


class BedCard(QWidget):
    """Shows a printer; `changed` takes the new one."""

    def __init__(self, changed: Change, test_piece: Callable[[], None]) -> None:
        super().__init__()
        self._changed = changed
        self._printer = Printer()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.choice = Choice(self.tr("Printer"), self.tr("Printers of your own"))
        self.choice.activated.connect(self._choose)
        self.more = button(self.tr("edit"), "flat", tip=self.tr("Bed, margin and keep-outs of this printer"))
        self.more.setCheckable(True)
        layout.addWidget(label(self.tr("Printer"), "caption"))
        layout.addLayout(row(self.choice, self.more))
        self.form = QWidget()
        self.more.toggled.connect(self.form.setVisible)
        self.more.clicked.connect(lambda: setattr(self, "_decided", True))
        self._decided = False  # whether the form is open or not, somebody wanted it so
        form = QVBoxLayout(self.form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(6)
        self.name = QLineEdit()
        self.name.setAccessibleName(self.tr("Name of the printer"))
        self.name.editingFinished.connect(self._rename)
        self.shape = Segments(
            self.tr("Bed shape"),
            (
                ("rectangle", self.tr("rectangle"), ""),
                ("round", self.tr("round"), self.tr("A round bed as wide as its first number")),
            ),
        )
        self.shape.chosen.connect(lambda s: self._set(shape=s))
        self.bed = [
            NumberField(
                self.tr("Bed {0}").format(a), "", 20, 2000, 5, 1, self.tr("Printing size of the bed, mm")
            )
            for a in "xyz"
        ]
        for k, f in enumerate(self.bed):
            f.committed.connect(lambda v, k=k: self._size(k, v))
        self.margin = NumberField(
            self.tr("Margin"), "mm", 0, 100, 1, 1, self.tr("Kept free along each edge of the bed")
        )
        self.margin.committed.connect(lambda v: self._set(margin=v))
        self.slides = NumberField(
            self.tr("Keys slide at"),
            "mm",
            0,
            1,
            0.05,
            2,
            self.tr("Clearance a side at which a key slides; read it from the test piece"),
        )
        self.slides.committed.connect(lambda v: self._set(slides=v))
        self.keep_out = QLineEdit()
        self.keep_out.setAccessibleName(self.tr("Keep-outs"))
        self.keep_out.setPlaceholderText(self.tr("x, y, width, depth; …"))
        self.keep_out.setToolTip(
            self.tr("Rectangles of the bed that must stay free, from its lower left corner")
        )
        self.keep_out.editingFinished.connect(self._keep_outs)
        self.test = button(
            self.tr("clearance test piece…"),
            tip=self.tr(
                "A block with sockets of rising clearance and a pin: print it and see which one slides"
            ),
        )
        self.test.clicked.connect(lambda: test_piece())
        self.keep = button(self.tr("keep"), tip=self.tr("Keep this printer in your list under its name"))
        self.keep.clicked.connect(self._keep)
        self.drop = button("", "flat", "bin", self.tr("Take this printer off your list"))
        self.drop.clicked.connect(self._drop)
        form.addLayout(field_row(self.tr("Name"), self.name))
        form.addWidget(self.shape)
        form.addLayout(row(*self.bed, spacing=5))
        for name, field in (
            (self.tr("Margin"), self.margin),
            (self.tr("Keep out"), self.keep_out),
            (self.tr("Keys slide at"), self.slides),
        ):
            form.addLayout(field_row(name, field))
        form.addWidget(self.test)
        form.addLayout(row(self.keep, self.drop))
        self.form.hide()
        layout.addWidget(self.form)

    def offer(self, room: bool) -> None:
        """Open by itself where there is room: before there are cuts, the bed is what there is to decide."""
        if not self._decided:
            self.more.setChecked(room)

    def show_printer(self, printer: Printer) -> None:
        """Show a printer and the list."""
        self._printer = printer
        self.choice.blockSignals(True)
        self.choice.clear()
        listed = own_printers()
        if printer not in listed:
            listed = [printer, *listed]
        for p in listed:
            self.choice.addItem(f"{p.name}   {p.limit}" if p != printer else p.name, p)
        self.choice.setCurrentIndex(listed.index(printer))
        self.choice.blockSignals(False)
        if not self.name.hasFocus():
            self.name.setText(printer.name)
        self.shape.set_choice(printer.shape)
        for k, f in enumerate(self.bed):
            f.set_value(printer.bed[k])
        allow(
            self.bed[1], self.tr("A round bed is as deep as it is wide") if printer.shape == "round" else ""
        )
        self.margin.set_value(printer.margin)
        self.slides.set_value(printer.slides)
        if not self.keep_out.hasFocus():
            self.keep_out.setText("; ".join(", ".join(format_mm(v) for v in k) for k in printer.keep_out))

    def _set(self, **changes: object) -> None:
        self._changed(replace(self._printer, **changes), False)

    def _size(self, k: int, value: float) -> None:
        bed = list(self._printer.bed)
        bed[k] = value
        if self._printer.shape == "round":
            bed[1] = bed[0]
        self._set(bed=(bed[0], bed[1], bed[2]))

    def _rename(self) -> None:
        if self.name.text().strip() and self.name.text() != self._printer.name:
            self._set(name=self.name.text().strip())

    def _keep_outs(self) -> None:
        found = []
        for part in self.keep_out.text().split(";"):
            numbers = [float(n) for n in re.findall(r"-?\d+(?:\.\d+)?", part)]
            if len(numbers) == 4:
                found.append((numbers[0], numbers[1], numbers[2], numbers[3]))
        if tuple(found) != self._printer.keep_out:
            self._set(keep_out=tuple(found))

    def _choose(self) -> None:
        chosen = self.choice.currentData()
        if chosen != self._printer:
            self._changed(chosen, False)

    def _keep(self) -> None:
        keep_printer(self._printer)
        self.show_printer(self._printer)

    def _drop(self) -> None:
        drop_printer(self._printer.name)
        self.show_printer(self._printer)
