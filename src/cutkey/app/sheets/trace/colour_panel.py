"""The colours of a graphic: chips, merging, renaming, keeping, snapping; and how far the trace is off."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QCheckBox, QLayout, QLineEdit, QMenu, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.table.chip import Chip
from cutkey.app.theme import theme
from cutkey.app.widgets.basics import Card, allow, button, clear, column, context_menu, label
from cutkey.core.colour.names import plain_name
from cutkey.core.units import format_mm

#: From this share of the boundary on steps are told.
_STEPS = 0.02


class ColourPanel(QWidget):
    """Chips of the picked graphic's colours."""

    def __init__(
        self, desk: Desk, change: Callable[..., None], light: Callable[[str], None], marks: QLayout
    ) -> None:
        super().__init__()
        self._desk, self._change, self._light = desk, change, light
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        holder, self.chips = column()
        self.name = QLineEdit()
        self.name.setPlaceholderText(self.tr("name of this colour"))
        self.name.setAccessibleName(self.tr("Name of the colour"))
        self.name.editingFinished.connect(self._rename)
        self.keep = button(
            self.tr("keep these colours"),
            "link",
            tip=self.tr("The palette stays as it is, whatever else is changed"),
        )
        self.keep.clicked.connect(lambda: self._change("palette", palette=tuple(self._picture_colours())))
        self.free = button(self.tr("find the colours anew"), "link")
        self.free.clicked.connect(lambda: self._change("palette", palette=()))
        self.snap = QCheckBox(self.tr("in my filaments' colours"))
        self.snap.setToolTip(
            self.tr("Each colour becomes that of the nearest filament of the rack (CIEDE2000)")
        )
        self.snap.clicked.connect(lambda on: self._change("filament colours", snap=on))
        self.separate = button(self.tr("separate merged colours"), "link")
        self.separate.clicked.connect(lambda: self._change("merged colours", merges=()))
        self.off = Card(self.tr("Off the picture"), "")
        self.worst = button(self.tr("go to the worst place"), "link")
        self.worst.clicked.connect(self._go)
        self.off.add_below(self.worst)
        self.off.add_below(marks)
        for w in (holder, self.name, self.separate, self.snap, self.keep, self.free, self.off):
            layout.addWidget(w)

    @property
    def ink(self) -> str:
        """The colour that is painted with: the lit one, else the first."""
        if self._desk.table.lit:
            return self._desk.table.lit
        view = self._desk.graphic_view()
        return view.regions[0][0] if view and view.regions else "#000000"

    def refresh(self) -> None:
        """Show the picked graphic's colours."""
        spec, view, table = self._desk.spec(), self._desk.graphic_view(), self._desk.table
        clear(self.chips)
        picture = view.picture if view else None
        lit = table.lit if view and any(c == table.lit for c, _ in view.regions) else None
        names = dict(spec.trace.names) if spec else {}
        if spec is None or view is None:
            self.chips.addWidget(
                label(self.tr("The colours of the traced picture will be listed here."), "small", wrap=True)
            )
        else:
            for measure in sorted(view.measures, key=lambda m: -m.area):
                chip = Chip(measure, self._desk.job.printer.nozzle, names.get(measure.colour, ""))
                chip.merged.connect(
                    lambda a, b, m=spec.trace.merges: self._change("merged colours", merges=(*m, (a, b)))
                )
                chip.clicked.connect(lambda c=measure.colour: self._light(c))
                chip.set_state(picked=lit == measure.colour)
                others = [m.colour for m in view.measures if m.colour != measure.colour]
                chip.context = partial(self._menu_of, measure.colour, others, spec.trace.merges)
                self.chips.addWidget(chip)
        self.name.setVisible(lit is not None)
        if lit is not None and not self.name.hasFocus():
            self.name.setText(names.get(lit, plain_name(lit)))
        by_colour = spec is not None and picture is not None and spec.trace.mode in ("colours", "pixels")
        self.separate.setVisible(bool(spec and spec.trace.merges))
        self.snap.setVisible(spec is not None)
        self.snap.setChecked(bool(spec and spec.trace.snap))
        self.keep.setVisible(by_colour and not (spec and spec.trace.palette))
        self.free.setVisible(by_colour and bool(spec and spec.trace.palette))
        off = view.off if view else None
        self.off.setVisible(picture is not None)
        if off is not None:
            text = self.tr("mean {0}, 95 % {1}, most {2} mm").format(
                *(format_mm(v, 3) for v in (off.mean, off.most95, off.most))
            )
            k = view.px_per_mm if view else 1.0
            text += self.tr("\nin px: {0}, {1}, {2}").format(
                *(format_mm(v * k, 2) for v in (off.mean, off.most95, off.most))
            )
            if off.steps >= _STEPS:
                steps = self.tr("\n{0} % of the boundary is in steps of a pixel")
                text += steps.format(format_mm(100 * off.steps, 0))
            self.off.set_text(self.tr("Off the picture"), text)
        elif picture is not None:
            self.off.set_text(self.tr("Off the picture"), self.tr("measuring…"))
        allow(self.worst, "" if off is not None else self.tr("Nothing has been measured yet"))

    def _menu_of(self, colour: str, others: list[str], merges: tuple[tuple[str, str], ...]) -> QMenu:
        """What can be done with a colour."""
        menu = context_menu(self)
        menu.addAction(self.tr("Show it alone")).triggered.connect(lambda _=False: self._light(colour))
        into = menu.addMenu(self.tr("Make it the colour"))
        for other in others:
            act = into.addAction(theme.swatch(other), plain_name(other))
            act.triggered.connect(
                lambda _=False, other=other: self._change("merged colours", merges=(*merges, (colour, other)))
            )
        allow(into.menuAction(), "" if others else self.tr("There is no other colour"))
        return menu

    def _picture_colours(self) -> list[str]:
        view = self._desk.graphic_view()
        if view is None:
            return []
        colours = [c for c, _ in view.regions]
        if (
            view.picture is not None
            and view.picture.background is not None
            and view.picture.background not in colours
        ):
            colours.append(view.picture.background)
        return colours

    def _rename(self) -> None:
        spec, lit = self._desk.spec(), self._desk.table.lit
        if spec is None or lit is None or not self.name.isModified():
            return
        self.name.setModified(False)
        names = tuple(n for n in spec.trace.names if n[0] != lit)
        self._change(
            "colour name",
            names=(*names, (lit, self.name.text().strip())) if self.name.text().strip() else names,
        )

    def _go(self) -> None:
        view = self._desk.graphic_view()
        if view is not None and view.off is not None:
            self._desk.table.go_to(*view.off.worst, mm_across=60 / view.px_per_mm)
