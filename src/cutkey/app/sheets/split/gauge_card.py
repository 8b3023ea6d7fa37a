"""Setting-out pieces: whether they are made, and their measures."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from cutkey.app.widgets.struct_form import StructForm
from cutkey.core.fields import fields_of
from cutkey.core.model.spacing import Gauge


class GaugeCard(QWidget):
    """Shows the settings; `changed` takes new ones and whether the change goes on."""

    def __init__(self, changed: Callable[[Gauge, bool], None]) -> None:
        super().__init__()
        self._gauge = Gauge()
        self.on = QCheckBox(self.tr("setting-out pieces"))
        self.on.setToolTip(
            self.tr(
                "Numbered spacers that hold loose islands in place while they are put up, and a paper"
                " template"
            )
        )
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
            self.form.show_value(gauge, fields_of(Gauge))
