"""Sheet 1, Trace: the light table."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QMenu, QStackedWidget

from cutkey.app.clipboard import put_part
from cutkey.app.sheets.base import Desk, Sheet
from cutkey.app.sheets.trace.adding import Adding
from cutkey.app.sheets.trace.colour_panel import ColourPanel
from cutkey.app.sheets.trace.moved_corners import MovedCorners
from cutkey.app.sheets.trace.node_card import NodeCard
from cutkey.app.sheets.trace.notes import NotesCard
from cutkey.app.sheets.trace.picked_card import PickedCard
from cutkey.app.sheets.trace.picture_tools import PictureTools
from cutkey.app.sheets.trace.piece_tools import PieceTools
from cutkey.app.sheets.trace.settings_cards import SettingsCards
from cutkey.app.sheets.trace.size_card import SizeCard
from cutkey.app.sheets.trace.step_list import StepList, Steps, describe
from cutkey.app.sheets.trace.swap_strip import swap_page
from cutkey.app.sheets.trace.tool_strip import ToolStrip
from cutkey.app.sheets.trace.ways_card import WaysCard
from cutkey.app.table.histogram import Histogram
from cutkey.app.widgets.basics import Card, Panel, allow, button, context_menu, row
from cutkey.core.model.changes import Change
from cutkey.core.model.edits import another_of_source, change_graphic, remove_graphic
from cutkey.core.model.job import GraphicSpec, Job
from cutkey.core.model.table_edits import CloseLines, Delete, Edit, JoinNarrow, Widen
from cutkey.core.model.things import graphics_of, joined
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.steps.kind import WORKING_SIDE, Step
from cutkey.core.steps.take_away import TakeAway
from cutkey.core.units import format_mm
from cutkey.worker.shown import GraphicView


class TraceSheet(Sheet):
    """Preparation on the left, picture and trace in the middle, colours, size and edits on the right."""

    id, rank, title, tip = "trace", 10, "Trace", "Picture to colour regions"
    centre = "table"
    fed_by = owns = frozenset({"graphic"})

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.left.set_heading(self.tr("Preparation"))
        self.right.set_heading(self.tr("Colours"))
        self.histogram = Histogram()
        self.histogram.moved.connect(lambda v, done: self._set("threshold", merge=True, threshold=v))
        self.histogram.all_moved.connect(lambda v: self._set("thresholds", merge=True, thresholds=tuple(v)))
        self.marks: dict[str, QCheckBox] = {}
        self.pieces = PieceTools(desk, self._add_edit, lambda mm: self.size.ask(mm))
        self.pictures = PictureTools(desk, self._add_step, lambda: self.colours.ink)
        self._build_left(self.left)
        self._build_right(self.right)
        self._build_strip()
        desk.table.picked.connect(lambda _: self._show_picked())

    @property
    def part(self) -> str:
        """What the sheet shows of what is computed."""
        spec = self.desk.spec()
        return f"graphic {spec.id}" if spec else ""

    # -- building
    def _mark_box(self, key: str, text: str, tip: str) -> QCheckBox:
        """A switch for something drawn over the trace."""
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.setChecked(key in self.desk.table.marks)
        box.toggled.connect(lambda on: self._mark(key, on))
        self.marks[key] = box
        return box

    def _build_left(self, panel: Panel) -> None:
        self.picker = QComboBox()
        self.picker.setAccessibleName(self.tr("Graphic"))
        self.picker.activated.connect(self._pick)
        self.picture = Card(self.tr("Picture"), "", None)
        self.picture.add_below(self.picker)
        add = button(
            self.tr("open a picture"),
            "add",
            "picture",
            self.tr("PNG, JPEG, WebP, AVIF, GIF, BMP, TIFF, SVG, DXF or PDF; you can also drop or paste one"),
        )
        add.clicked.connect(lambda: self.desk.commands["open_picture"]())
        self.other = button(
            self.tr("use another picture"),
            "add",
            "picture",
            self.tr("In the place of this one: size, place, depths and cuts stay"),
        )
        self.other.clicked.connect(lambda: self.desk.commands["other_picture"]())
        self.corners = MovedCorners(self.desk, self._put_step, self.refresh)
        self.steps = StepList(self._set_steps, self.corners.toggle)
        self.more = button(
            self.tr("+ preparation step"),
            "add",
            tip=self.tr("Crop, square up, erase, paint over and more; each step can be changed later"),
        )
        menu = QMenu(self.more)
        self.pictures.fill_menu(menu)
        self.more.setMenu(menu)
        self.settings = SettingsCards(self._set, self._background, self._mark_box)
        self.ways = WaysCard(self.desk, lambda text, trace: self._change(text, trace=trace))
        self.of_picture = (self.ways, self.more, *self.settings.of_picture)
        panel.add(
            add, self.other, self.picture, self.ways, self.steps, *self.of_picture, self.settings.shape_card
        )
        panel.body.addStretch(1)

    def _build_right(self, panel: Panel) -> None:
        fringe = self._mark_box(
            "fringe",
            self.tr("fringe"),
            self.tr(
                "Where the trace lies beside the picture's edges; strokes ten times as long as it is off"
            ),
        )
        thin = self._mark_box(
            "thin", self.tr("thin places"), self.tr("Necks and slits narrower than the nozzle")
        )
        self.colours = ColourPanel(self.desk, self._set, self._light, row(fringe, thin))
        self.size = SizeCard(self.desk)
        self.notes = NotesCard(
            self._close_lines,
            self._as_printable,
            self._widen,
            lambda limit: self._set("speck limit", despeckle_mm2=limit),
            lambda keep: self._set("soft shadow", keep_soft=keep),
            lambda join: self._set("gradients", join_gradients=join),
        )
        self.close_lines, self.printable = self.notes.close_lines, self.notes.printable
        self.picked = PickedCard(self.pieces)
        self.nodes = NodeCard(self.desk, self._add_edit)
        self.adding = Adding(self.desk, self.colours)
        self.edits, self.added, self.form_button = self.adding.list, self.adding.form, self.adding.button
        self.twin = button(
            self.tr("another graphic of this picture"),
            "link",
            tip=self.tr("Both keep one scale and lie on one another as in the picture"),
        )
        self.twin.clicked.connect(self._another)
        self.delete = button(self.tr("remove this graphic"), "link")
        self.delete.clicked.connect(self._remove)
        self.onward = button(self.tr("place it on a model"), "add", "face")
        self.onward.clicked.connect(lambda: self.desk.commands["open_sheet"]("place"))
        panel.add(
            self.picked,
            self.nodes,
            self.colours,
            self.size,
            self.onward,
            self.notes,
            self.edits,
            self.form_button,
            self.added,
            self.twin,
            self.delete,
        )
        panel.body.addStretch(1)

    def _build_strip(self) -> None:
        pages = QStackedWidget()
        self.strip = pages
        strip = ToolStrip(self.pieces, self.nodes, self.histogram)
        self.tools = strip.tools
        pages.addWidget(strip)
        self.swap = swap_page(self.desk.swapping, lambda trial: pages.setCurrentIndex(int(trial)))
        pages.addWidget(self.swap)

    # -- showing
    def refresh(self) -> None:
        """Show the picked graphic."""
        self.corners.check()
        spec, view = self.desk.spec(), self.desk.graphic_view()
        table = self.desk.table
        table.empty_text = (
            self.tr(
                "Drop a picture here, paste one with Ctrl+V,\nor open one on the left.\n\nTo look around"
                " first: Job › Demo jobs."
            )
            if spec is None
            else self.tr("{0} is not worked out yet.").format(spec.name)
        )
        self.picker.blockSignals(True)
        self.picker.clear()
        for g in self.desk.job.graphics:
            self.picker.addItem(g.name, g.id)
        if spec is not None:
            self.picker.setCurrentIndex(self.picker.findData(spec.id))
        self.picker.blockSignals(False)
        is_picture = spec is not None and self.desk.job.source(spec.source).kind == "picture"
        for w in self.of_picture:
            w.setVisible(is_picture)
        self.steps.setVisible(is_picture)
        self.ways.refresh()
        self.settings.shape_card.setVisible(is_picture)
        for part in (self.picture, self.other, self.size, self.twin):
            part.setVisible(spec is not None)
        self.twin.setVisible(is_picture)
        for tool in (self.delete, self.onward):
            tool.setVisible(spec is not None)
        for box in (*self.tools, *self.marks.values()):
            allow(box, "" if spec is not None else self.tr("There is no graphic yet"))
        self._show_picked()
        self.colours.refresh()
        self.size.refresh()
        self.adding.refresh(spec)
        self.notes.hide()
        if spec is None:
            table.show_graphic(None)
            self.histogram.show_counts([], None, self.tr("of the picture, from black to white"))
            return
        self._show_settings(spec)
        table.show_graphic(self.corners.view or view)
        self.nodes.refresh()
        if view is not None:
            self._show_view(spec, view)

    def _show_view(self, spec: GraphicSpec, view: GraphicView) -> None:
        source, p = self.desk.job.source(spec.source), view.picture
        if p is None:
            self.picture.set_text(self.tr("Drawing"), source.name)
            self.histogram.show_counts([], None, self.tr("a vector drawing has no brightness"))
        elif not view.draft:
            # As it was opened: steps and squares change it further.
            part = min(1.0, WORKING_SIDE / max(p.original_size))
            worked = tuple(round(part * n) for n in p.original_size)
            size = self.tr("{0} × {1} px").format(*p.original_size)
            if max(p.original_size) > WORKING_SIDE:
                size = self.tr("{0} × {1} px (reduced from {2} × {3})").format(*worked, *p.original_size)
            self.picture.set_text(self.tr("Picture"), f"{source.name}, {size}")
        if p is not None:
            self.settings.smooth_card.set_text(
                self.tr("Clean edges"), self.tr("noise {0} of 255").format(format_mm(p.noise, 1))
            )
            self.settings.speck_card.set_text(
                self.tr("Specks"), self.tr("{0} took the colour around them").format(len(p.specks))
            )
            by_colour = spec.trace.mode in ("colours", "pixels")
            why = str(p.why or "") if by_colour and not view.draft else ""
            shown = why or self.settings.mode_card.subtitle.text()
            self.settings.mode_card.set_text(self.tr("Regions by"), shown if by_colour else "")
            lines = p.thresholds
            if spec.trace.mode != "levels":
                lines = (p.threshold,) if p.threshold is not None else ()
            hint = self.tr("drag a line to move a threshold") if lines else ""
            self.histogram.show_counts(p.histogram.tolist(), lines, hint)
        self.notes.show_notes(view, self.desk.job.printer.nozzle)

    def _show_settings(self, spec: GraphicSpec) -> None:
        t: TraceSettings = spec.trace
        view = self.desk.graphic_view()
        size = view.picture.original_size if view is not None and view.picture is not None else None
        self.steps.show_steps(t.steps, size, self.corners.moving)
        self.settings.show_settings(t)

    def _show_picked(self) -> None:
        self.picked.show_count(len(self.desk.table.picks))

    def _light(self, colour: str) -> None:
        """Show a colour alone, or all again."""
        table = self.desk.table
        table.lit = None if table.lit == colour else colour
        table.update()
        self.colours.refresh()

    def _mark(self, key: str, on: bool) -> None:
        marks = self.desk.table.marks
        (marks.add if on else marks.discard)(key)
        self.desk.table.update()

    # -- edits of the job
    def _change(self, text: str, merge: bool = False, **changes: object) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self.desk.document.edit(text, change_graphic(self.desk.job, replace(spec, **changes)), merge)

    def _set(self, what: str, merge: bool = False, **changes: object) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self._change(
                self.tr("change {0}").format(self.tr(what)), merge, trace=replace(spec.trace, **changes)
            )

    def _set_steps(self, text: str, steps: Steps, merge: bool) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self._change(text, merge, trace=replace(spec.trace, steps=steps))

    def _put_step(self, k: int, step: Step) -> None:
        spec = self.desk.spec()
        if spec is not None:
            steps = (*spec.trace.steps[:k], step, *spec.trace.steps[k + 1 :])
            self._set_steps(self.tr("change {0}").format(describe(step)[0].lower()), steps, False)

    def _add_step(self, step: Step) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self.steps.open(-1 if self.desk.table.gesture else len(spec.trace.steps))
            self._set_steps(describe(step)[0].lower(), (*spec.trace.steps, step), False)

    def _add_edit(self, text: str, edit: Edit) -> None:
        self.adding.add(text, edit)

    def _close_lines(self) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self._add_edit(
                self.tr("close lines"), CloseLines(round(max(spec.width_mm * 0.01, 0.1), 3), self.colours.ink)
            )

    def _as_printable(self) -> None:
        self._add_edit(self.tr("as printable"), JoinNarrow(line=self.desk.job.printer.line))

    def _widen(self) -> None:
        self._add_edit(self.tr("widen to a line"), Widen(line=self.desk.job.printer.line))

    def _background(self, key: str) -> None:
        if key == "click":
            spec = self.desk.spec()
            self.settings.background.set_choice(spec.trace.background if spec else "auto")
            self.pictures.take(TakeAway.tools()[0])
            return
        self._set("background", background=key)

    def _pick(self, index: int) -> None:
        self.desk.graphic = self.picker.itemData(index)
        self.desk.table.lit = None
        self.desk.table.pick([])
        self.steps.open(-1)
        self.refresh()

    def _another(self) -> None:
        spec, view = self.desk.spec(), self.desk.graphic_view()
        if spec is None or view is None or view.picture is None:
            return
        whole = spec.width_mm if spec.whole else view.picture.pixels.shape[1] / view.px_per_mm
        job, twin = another_of_source(self.desk.job, spec, whole)
        self.desk.graphic = twin.id
        self.desk.document.edit(self.tr("another graphic of {0}").format(spec.name), job)

    def _remove(self) -> None:
        spec = self.desk.spec()
        if spec is not None:
            self.desk.document.edit(
                self.tr("remove {0}").format(spec.name), remove_graphic(self.desk.job, spec.id)
            )

    def show_change(self, change: Change) -> None:
        """Pick the graphic, if it is still there."""
        if change.part == "graphic" and any(g.id == change.id for g in self.desk.job.graphics):
            self.desk.graphic = change.id

    def key(self, event: QKeyEvent) -> bool:
        """Delete takes the picked pieces out."""
        if event.key() == Qt.Key.Key_Delete and self.desk.table.picks:
            self.pieces.act(self.tr("delete"), Delete)
            return True
        return False

    def menu(self, p: QPointF) -> QMenu | None:
        """What can be done with the piece at a place of the table, or with the graphic."""
        table = self.desk.table
        if not table.is_picked(p):
            table.pick_at(p)
        menu = context_menu(table)
        if table.picks:
            self.picked.fill_menu(menu)
            menu.addSeparator()
        tools = menu.addMenu(self.tr("Tools"))
        for b in self.tools:
            tools.addAction(b.text() or b.accessibleName()).triggered.connect(lambda _=False, b=b: b.click())
        menu.addAction(self.tr("Copy the graphic\tCtrl+C")).triggered.connect(lambda _=False: self.copy())
        paste = menu.addAction(self.tr("Paste\tCtrl+V"))
        paste.triggered.connect(lambda _=False: self.desk.commands["paste"]())
        menu.addAction(self.tr("Use another picture…")).triggered.connect(
            lambda _=False: self.desk.commands["other_picture"]()
        )
        menu.addAction(self.tr("Show everything\tCtrl+0")).triggered.connect(lambda _=False: table.fit())
        menu.addSeparator()
        menu.addAction(self.tr("Remove this graphic")).triggered.connect(lambda _=False: self._remove())
        return menu

    def copy(self) -> bool:
        """Put the graphic on the clipboard, with its picture, trace and edits."""
        spec = self.desk.spec()
        if spec is None:
            return False
        bare = replace(self.desk.job, placements=(), addons=())
        put_part(graphics_of(bare, {spec.id}), self.desk.document.sources)
        self.desk.message.say(self.tr("{0} is on the clipboard.").format(spec.name), calm=True)
        return True

    def paste(self, part: Job) -> None:
        """Take in graphics that were on the clipboard."""
        self._join(self.tr("paste"), part)

    def double(self) -> bool:
        """The same graphic once more."""
        spec = self.desk.spec()
        if spec is not None:
            bare = replace(self.desk.job, placements=(), addons=())
            self._join(self.tr("{0} once more").format(spec.name), graphics_of(bare, {spec.id}))
        return spec is not None

    def _join(self, text: str, part: Job) -> None:
        job, ids = joined(self.desk.job, part)
        if ids:
            self.desk.graphic = ids[-1]
        self.desk.document.edit(text, job)

    def leave(self) -> None:
        """Lay the tool down."""
        self.corners.lay_down()
        self.desk.table.start(None)
