"""Setting-out pieces: whether they are made, and their measures."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from cutkey.app.widgets.struct_form import Entry, StructForm
from cutkey.core.gauge.settings import Gauge


class GaugeCard(QWidget):
    """Shows the settings; `changed` takes new ones and whether the change goes on."""

    def __init__(self, changed: Callable[[Gauge, bool], None]) -> None:
        super().__init__()
        self._gauge = Gauge()
        self.on = QCheckBox(self.tr("setting-out pieces"))
        self.on.setToolTip(self.tr("Numbered spacers that hold loose islands in place while they are put up, and a paper template"))
        self.on.clicked.connect(lambda on: changed(replace(self._gauge, on=on), False))
        self.form = StructForm(changed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.on)
        layout.addWidget(self.form)

    def show_gauge(self, gauge: Gauge) -> None:
        """Show settings; the measures only while the pieces are wanted."""
        self._gauge = gauge
        self.on.setChecked(gauge.on)
        self.form.setVisible(gauge.on)
        if gauge.on:
            self.form.show_value(gauge, self._entries())

    def _entries(self) -> tuple[Entry, ...]:
        papers = (("A4", "A4"), ("Letter", "Letter"))
        return (
            Entry("clearance", self.tr("Clearance"), high=2, tip=self.tr("How much smaller than the gap a spacer is, on each side")),
            Entry("thickness", self.tr("Thickness"), low=0.4, high=20, tip=self.tr("Of the spacer, without its peg")),
            Entry("reach", self.tr("Reach"), low=4, high=100, tip=self.tr("How far a spacer goes along the gaps that meet in it")),
            Entry("peg", self.tr("Peg"), low=1.6, high=20, tip=self.tr("Across; to take hold of it when it comes off")),
            Entry("height", self.tr("Height"), low=6, high=60, tip=self.tr("From the wall to the head with the number")),
            Entry("paper", self.tr("Paper"), choices=papers, tip=self.tr("Of the template at 1:1")),
        )
