"""Sheet 1, Trace: the light table."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox

from cutkey.app.table.chip import Chip
from cutkey.app.table.histogram import Histogram
from cutkey.app.views.base import Desk, View
from cutkey.app.widgets.basics import Card, Panel, Segments, button, clear, column, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.artwork.graphic import Measure
from cutkey.core.job.document import GraphicSpec
from cutkey.core.job.edits import change_graphic, remove_graphic
from cutkey.core.picture.read import WORKING_SIDE
from cutkey.core.trace.settings import TraceSettings
from cutkey.core.units import format_mm, format_size


class TraceView(View):
    """Preparation on the left, picture and trace in the middle, colours and size on the right."""

    centre = "table"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.left.set_heading(self.tr("Preparation"))
        self.right.set_heading(self.tr("Colours"))
        self._build_left(self.left)
        self._build_right(self.right)
        self.histogram = Histogram()
        self.histogram.cut_off.connect(lambda v, done: self._set("cut-off", merge=True, threshold=v))
        self.strip = self.histogram
        desk.table.pointed.connect(self._background_at)

    def _build_left(self, panel: Panel) -> None:
        self.picker = QComboBox()
        self.picker.setAccessibleName(self.tr("Graphic"))
        self.picker.activated.connect(self._pick)
        self.picture = Card(self.tr("Picture"), "", None)
        self.picture.add_below(self.picker)
        add = button(
            self.tr("open a picture"), "add", "picture", self.tr("PNG, JPEG, WebP, BMP, TIFF or SVG; you can also drop or paste one")
        )
        add.clicked.connect(lambda: self.desk.commands["open_picture"]())
        self.light = QCheckBox()
        self.light.setAccessibleName(self.tr("Even light"))
        self.light.clicked.connect(lambda on: self._set("even light", even_light=on))
        self.light_card = Card(self.tr("Even light"), self.tr("for photographs"), self.light)
        self.smooth = QCheckBox()
        self.smooth.setAccessibleName(self.tr("Smooth"))
        self.smooth.clicked.connect(lambda on: self._set("smoothing", smooth=on))
        self.smooth_card = Card(self.tr("Smooth"), "", self.smooth)
        self.background = Segments(
            self.tr("Background"),
            (
                ("auto", self.tr("away"), self.tr("Take away what touches the picture's border")),
                ("none", self.tr("keep"), self.tr("Trace the background too")),
                ("point", self.tr("pick…"), self.tr("Click the background in the picture")),
            ),
        )
        self.background.chosen.connect(self._background)
        self.inside = QCheckBox(self.tr("inside the figure too"))
        self.inside.setToolTip(self.tr("Also take away areas of the background's colour that the figure encloses, as in letters"))
        self.inside.clicked.connect(lambda on: self._set("background inside", everywhere=on))
        self.background_card = Card(self.tr("Background"), "")
        self.background_card.add_below(self.background)
        self.background_card.add_below(self.inside)
        self.mode = Segments(
            self.tr("Regions by"),
            (
                ("colours", self.tr("colour"), self.tr("One region a colour")),
                ("levels", self.tr("level"), self.tr("Steps of brightness, for relief by level")),
                ("threshold", self.tr("cut-off"), self.tr("Dark against light, at one brightness")),
            ),
        )
        self.mode.chosen.connect(lambda m: self._set("regions", mode=m))
        self.count = NumberField(self.tr("Number of colours"), "", 0, 64, 1, 0, self.tr("0 finds the number from the picture"))
        self.count.committed.connect(lambda v: self._set("number of colours", colours=int(v)))
        self.count.stepped.connect(lambda v: self._set("number of colours", colours=int(v), merge=True))
        self.invert = QCheckBox(self.tr("invert"))
        self.invert.clicked.connect(lambda on: self._set("inversion", invert=on))
        self.mode_card = Card(self.tr("Regions by"), "")
        self.mode_card.add_below(self.mode)
        self.mode_card.add_below(row(self.count, self.invert))
        self.specks = NumberField(
            self.tr("Smallest piece"), "mm²", 0, 500, 0.1, 2, self.tr("Smaller pieces take the colour around them, they never become holes")
        )
        self.specks.committed.connect(lambda v: self._set("speck limit", despeckle_mm2=v))
        self.specks.stepped.connect(lambda v: self._set("speck limit", despeckle_mm2=v, merge=True))
        self.speck_card = Card(self.tr("Specks"), "")
        self.speck_card.add_below(self.specks)
        self.shape = Segments(
            self.tr("Shape"),
            (
                ("filled", self.tr("filled"), self.tr("Every colour as it is")),
                ("silhouette", self.tr("silhouette"), self.tr("One outline, holes filled")),
            ),
        )
        self.shape.chosen.connect(lambda s: self._set("shape", shape=s))
        self.shape_card = Card(self.tr("Shape"), "")
        self.shape_card.add_below(self.shape)
        panel.add(
            add, self.picture, self.light_card, self.smooth_card, self.background_card, self.mode_card, self.speck_card, self.shape_card
        )
        panel.body.addStretch(1)

    def _build_right(self, panel: Panel) -> None:
        holder, self.chips = column()
        self.separate = button(self.tr("separate merged colours"), "link")
        self.separate.clicked.connect(lambda: self._set("merged colours", merges=()))
        self.width = NumberField(
            self.tr("Width"),
            "mm",
            0.5,
            5000,
            1,
            2,
            self.tr("Width of the graphic when made; the proportion is kept. 5in and 25.4*2 are understood."),
        )
        self.width.committed.connect(lambda v: self._width(v, False))
        self.width.stepped.connect(lambda v: self._width(v, True))
        self.inches = label("", "small")
        self.delete = button(self.tr("remove this graphic"), "link")
        self.delete.clicked.connect(self._remove)
        self.onward = button(self.tr("place it on a model"), "add", "face")
        self.onward.clicked.connect(lambda: self.desk.commands["open_sheet"](1))
        panel.add(holder, self.separate, field_row(self.tr("Width"), self.width), self.inches, self.onward, self.delete)
        panel.body.addStretch(1)

    def refresh(self) -> None:
        """Show the picked graphic."""
        spec, view = self.desk.spec(), self.desk.graphic_view()
        table = self.desk.table
        table.empty_text = self.tr(
            "Drop a picture here, paste one with Ctrl+V,\nor open one on the left.\n\nTo look around first: Job › Demo jobs."
        )
        self.picker.blockSignals(True)
        self.picker.clear()
        for g in self.desk.job.graphics:
            self.picker.addItem(g.name, g.id)
        if spec is not None:
            self.picker.setCurrentIndex(self.picker.findData(spec.id))
        self.picker.blockSignals(False)
        for w in (self.light_card, self.smooth_card, self.background_card, self.mode_card, self.speck_card, self.shape_card, self.picture):
            w.setVisible(spec is not None)
        for part in (self.width, self.delete, self.onward):
            part.setEnabled(spec is not None)
        if spec is None:
            table.show_graphic(None)
            clear(self.chips)
            self.chips.addWidget(label(self.tr("The colours of the traced picture will be listed here."), "small", wrap=True))
            self.separate.hide()
            self.inches.setText("")
            self.histogram.show_counts([], None, self.tr("of the picture, from black to white"))
            return
        self._show_settings(spec)
        self.width.set_value(spec.width_mm)
        self.inches.setText(self.tr("= {0} in").format(format_mm(spec.width_mm / 25.4)))
        table.show_graphic(view)
        if view is None:
            return
        self.inches.setText(self.tr("{0} mm = {1} in wide").format(format_size(view.size, 1), format_mm(spec.width_mm / 25.4)))
        source = self.desk.job.source(spec.source)
        size = f"{view.picture.shape[1]} × {view.picture.shape[0]} px" if view.picture is not None else self.tr("vector drawing")
        if max(view.original_size) > WORKING_SIDE:
            size += self.tr(" (reduced from {0} × {1})").format(*view.original_size)
        self.picture.set_text(self.tr("Picture"), f"{source.name}, {size}")
        self.smooth_card.set_text(self.tr("Smooth"), self.tr("noise {0} of 255").format(format_mm(view.noise, 1)))
        self.speck_card.set_text(self.tr("Specks"), self.tr("{0} took the colour around them").format(view.specks))
        hint = self.tr("drag the line to set the cut-off") if view.threshold is not None else ""
        self.histogram.show_counts([] if view.histogram is None else view.histogram.tolist(), view.threshold, hint)
        self._show_chips(view.measures)
        self.separate.setVisible(bool(spec.trace.merges))

    def _show_settings(self, spec: GraphicSpec) -> None:
        t: TraceSettings = spec.trace
        self.light.setChecked(t.even_light)
        self.smooth.setChecked(t.smooth)
        self.background.set_choice(t.background)
        self.inside.setChecked(t.everywhere)
        self.mode.set_choice(t.mode)
        self.count.setVisible(t.mode != "threshold")
        self.count.set_value(t.colours)
        if t.colours == 0 and not self.count.hasFocus():
            self.count.setText(self.tr("automatic"))
            self.count.setModified(False)
        self.invert.setChecked(t.invert)
        self.specks.set_value(t.despeckle_mm2)
        self.shape.set_choice(t.shape)

    def _show_chips(self, measures: list[Measure]) -> None:
        clear(self.chips)
        for measure in sorted(measures, key=lambda m: -m.area):
            chip = Chip(measure, self.desk.job.printer.nozzle)
            chip.merged.connect(self._merge)
            chip.clicked.connect(lambda c=measure.colour: self._light(c))
            chip.set_state(picked=self.desk.table.lit == measure.colour)
            self.chips.addWidget(chip)

    # -- edits
    def _set(self, what: str, merge: bool = False, **changes: object) -> None:
        spec = self.desk.spec()
        if spec is not None:
            trace = replace(spec.trace, **changes)
            self.desk.document.edit(
                self.tr("change {0}").format(self.tr(what)), change_graphic(self.desk.job, replace(spec, trace=trace)), merge
            )

    def _merge(self, source: str, target: str) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self._set("merged colours", merges=(*spec.trace.merges, (source, target)))

    def _light(self, colour: str) -> None:
        """Show a colour alone, or all again."""
        table = self.desk.table
        table.lit = None if table.lit == colour else colour
        table.update()
        for k in range(self.chips.count()):
            item = self.chips.itemAt(k)
            chip = item.widget() if item else None
            if isinstance(chip, Chip):
                chip.set_state(picked=chip.colour == table.lit)

    def _background(self, key: str) -> None:
        if key == "point":
            self.desk.table.wipe = max(self.desk.table.wipe, 0.95)
            self.desk.table.set_picking(True)
            self.refresh()
            return
        self.desk.table.set_picking(False)
        self._set("background", background=key)

    def _background_at(self, x: float, y: float) -> None:
        self.desk.table.wipe = 0.5
        self._set("background", background="point", background_at=(round(x, 5), round(y, 5)))

    def _width(self, value: float, merge: bool) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self.desk.document.edit(self.tr("change width"), change_graphic(self.desk.job, replace(spec, width_mm=value)), merge)

    def _pick(self, index: int) -> None:
        self.desk.graphic = self.picker.itemData(index)
        self.desk.table.lit = None
        self.refresh()

    def _remove(self) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self.desk.document.edit(self.tr("remove {0}").format(spec.name), remove_graphic(self.desk.job, spec.id))

    def leave(self) -> None:
        """End picking."""
        self.desk.table.set_picking(False)
