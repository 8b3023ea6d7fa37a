"""Width, height, and a measured distance: three ways to give a graphic its size."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.widgets.basics import allow, button, field_row, label
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model.edits import set_scale
from cutkey.core.units import format_mm


class SizeCard(QWidget):
    """The proportion is always kept."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._measured = 0.0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        tip = self.tr("The proportion is kept. 5in and 25.4*2 are understood.")
        self.width_field = NumberField(self.tr("Width"), "mm", 0.5, 5000, 1, 2, tip)
        self.height_field = NumberField(self.tr("Height"), "mm", 0.5, 5000, 1, 2, tip)
        self.height_field.zero = "–"
        self.distance = NumberField(
            self.tr("True distance"),
            "mm",
            0.01,
            5000,
            1,
            3,
            self.tr("What you measured between the two places on the real thing"),
        )
        self.distance_row = QWidget()
        self.distance_row.setLayout(field_row(self.tr("True distance"), self.distance))
        for field, side in ((self.width_field, 0), (self.height_field, 1)):
            field.committed.connect(lambda v, s=side: self._side(v, s, False))
            field.stepped.connect(lambda v, s=side: self._side(v, s, True))
        self.distance.committed.connect(self._true_distance)
        self.inches = label("", "small")
        layout.addLayout(field_row(self.tr("Width"), self.width_field))
        layout.addLayout(field_row(self.tr("Height"), self.height_field))
        layout.addWidget(self.distance_row)
        layout.addWidget(self.inches)
        self.as_drawn = button("", "link", tip=self.tr("The width that the drawing states of itself"))
        self.as_drawn.clicked.connect(self._take_stated)
        layout.addWidget(self.as_drawn)
        self.distance_row.hide()

    def refresh(self) -> None:
        """Show the picked graphic's size."""
        spec, view = self._desk.spec(), self._desk.graphic_view()
        if spec is None:
            return
        w, h = view.size if view is not None else (spec.width_mm, 0.0)
        self.width_field.set_value(w)
        self.height_field.set_value(h)
        for field in (self.width_field, self.height_field):
            allow(field, "" if view is not None else self.tr("{0} is not worked out yet").format(spec.name))
        self.inches.setVisible(view is not None)
        self.inches.setText(self.tr("= {0} × {1} in").format(format_mm(w / 25.4), format_mm(h / 25.4)))
        stated = view.stated_mm if view is not None else None
        self.as_drawn.setVisible(stated is not None and abs(stated - spec.width_mm) > 0.005)
        self.as_drawn.setText(self.tr("{0} mm as drawn").format(format_mm(stated or 0.0, 2)))

    def _take_stated(self) -> None:
        spec, view = self._desk.spec(), self._desk.graphic_view()
        if spec is not None and view is not None and view.stated_mm:
            self._scale_by(view.stated_mm / spec.width_mm, self.tr("size as drawn"), False)

    def ask(self, measured: float) -> None:
        """Two places were marked; ask for their true distance."""
        self._measured = measured
        self.distance_row.show()
        self.distance.set_value(round(measured, 3))
        self.distance.setFocus()
        self.distance.selectAll()

    def _side(self, value: float, side: int, merge: bool) -> None:
        spec = self._desk.spec()
        if spec is not None:
            text = self.tr("change width") if side == 0 else self.tr("change height")
            self._desk.sizing.set(spec.id, side, value, text, merge)

    def _true_distance(self, value: float) -> None:
        self.distance_row.hide()
        if self._measured > 0:
            self._scale_by(value / self._measured, self.tr("size by a distance"), False)

    def _scale_by(self, factor: float, text: str, merge: bool) -> None:
        spec = self._desk.spec()
        if spec is not None:
            self._desk.document.edit(
                text, set_scale(self._desk.job, spec, round(spec.width_mm * factor, 6)), merge
            )
