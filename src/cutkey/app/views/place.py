"""Sheet 2, Place: graphics on the faces of the model."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout

from cutkey.app.drafting import chain_line
from cutkey.app.place.body_panel import BodyPanel
from cutkey.app.place.copies_card import CopiesCard
from cutkey.app.place.depth_card import DepthCard, depth_text
from cutkey.app.place.depth_strip import DepthStrip
from cutkey.app.place.on_surface import on_surface
from cutkey.app.stage.item import Item
from cutkey.app.stage.picking import Hit
from cutkey.app.theme import theme
from cutkey.app.views.base import Desk, View, design_items
from cutkey.app.widgets.basics import Card, Panel, button, clear, column, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.colour.filament import plain_name
from cutkey.core.job.edits import change_graphic, change_placement, move_placement, place, remove_placement, set_depth, set_scale
from cutkey.core.relief.features import Feature
from cutkey.core.relief.placement import Depth, DepthMode, Placement, Reads
from cutkey.core.units import format_mm
from cutkey.worker.shown import PlacedView, SectionLine


class PlaceView(View):
    """The model and what lies on it; one face square on; the depth strip."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.left.set_heading(self.tr("On this model"))
        self.right.set_heading(self.tr("Graphic"))
        self._armed: Callable[[Hit], None] | None = None  # what the next click on the model does
        self._cards_state: object = None
        self._line: SectionLine | None = None  # where the user has dragged the section to
        self._build_left(self.left)
        self._build_right(self.right)
        self.depth_strip = DepthStrip()
        self.strip = self.depth_strip
        desk.face.moved.connect(self._moved)
        desk.face.cut.connect(self._cut)

    @property
    def part(self) -> str:
        """What the sheet shows of what is computed."""
        return "design"

    # -- panels
    def _build_left(self, panel: Panel) -> None:
        self.body = BodyPanel(self.desk, self._arm_addon)
        self.body.add_to(panel)
        holder, self.cards = column()
        self.which = QComboBox()
        self.which.setAccessibleName(self.tr("Graphic to place"))
        self.add = button(self.tr("lay it on a face"), "add", "face", self.tr("Then click the face on the stage"))
        self.add.clicked.connect(self._arm)
        self.hint = label(self.tr("Click a face of the model. Esc leaves it."), "warn", wrap=True)
        self.hint.hide()
        panel.add(holder, self.which, self.add, self.hint, self.body.addons)
        panel.body.addStretch(1)

    def _build_right(self, panel: Panel) -> None:
        def number(name: str, unit: str, low: float, high: float, step: float, tip: str, change: Any) -> NumberField:
            f = NumberField(name, unit, low, high, step, 2, tip)
            f.committed.connect(lambda v: change(v, False))
            f.stepped.connect(lambda v: change(v, True))
            return f

        self.width = number(self.tr("Width of the graphic"), "mm", 0.5, 5000, 1, self.tr("The proportion is kept"), self._width)
        self.spin = number(
            self.tr("Spin"),
            "°",
            -360,
            360,
            5,
            self.tr("Counter-clockwise, seen from outside"),
            lambda v, m: self._change("spin", m, spin=v),
        )
        self.along = number(
            self.tr("Right of the middle"),
            "mm",
            -5000,
            5000,
            0.5,
            self.tr("From the middle of the face"),
            lambda v, m: self._offset(0, v, m),
        )
        self.up = number(
            self.tr("Above the middle"), "mm", -5000, 5000, 0.5, self.tr("From the middle of the face"), lambda v, m: self._offset(1, v, m)
        )
        self.mirror = QCheckBox(self.tr("mirrored"))
        self.mirror.setToolTip(self.tr("For stamps, and for reading from the back"))
        self.mirror.clicked.connect(lambda on: self._change("mirror", False, mirror=on))
        self.to_middle = button(self.tr("centre on the face"), "", "fit")
        self.to_middle.clicked.connect(lambda: self._change("centre on the face", False, offset=(0.0, 0.0)))
        self.fields, inner = column(6)
        self.margin = number(
            self.tr("Clear of edges"),
            "mm",
            0,
            200,
            0.5,
            self.tr("Kept free along the edges of the face and round its holes; the graphic is trimmed there"),
            lambda v, m: self._change("keep clear of edges", m, margin=v),
        )
        self.follow = QComboBox()
        self.follow.setAccessibleName(self.tr("How it follows the surface"))
        for key, name, tip in (
            ("auto", self.tr("automatic"), self.tr("Flat on flat faces, wrapped round cylinders and cones, projected on anything else")),
            ("flat", self.tr("flat"), self.tr("Top and floor lie in one plane; on a curved surface it reaches in as deep as it must")),
            ("project", self.tr("projected"), self.tr("Seen from the front it keeps its shape; its height follows the surface")),
            ("wrap", self.tr("wrapped"), self.tr("Laid round a cylinder or cone like a label: lengths along the surface are true")),
        ):
            self.follow.addItem(name, key)
            self.follow.setItemData(self.follow.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.follow.activated.connect(lambda _: self._change("follow the surface", False, follow=self.follow.currentData()))
        self.reads = QComboBox()
        self.reads.setAccessibleName(self.tr("Which way lettering reads"))
        for key, name, tip in (
            ("", self.tr("not said"), self.tr("You are asked when it is laid mirrored")),
            ("right", self.tr("as it stands"), self.tr("Seen from outside it reads as in the picture; a mirrored one is told")),
            ("mirrored", self.tr("mirrored"), self.tr("A stamp, or to be read from the back; one that is not mirrored is told")),
            ("none", self.tr("there is none"), self.tr("It may be laid either way")),
        ):
            self.reads.addItem(name, key)
            self.reads.setItemData(self.reads.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.reads.activated.connect(lambda _: self._set_reads(self.reads.currentData()))
        self.copies = CopiesCard(lambda c, m: self._change("copies", m, copies=c))
        for name, f in (
            (self.tr("Width"), self.width),
            (self.tr("Spin"), self.spin),
            (self.tr("Right by"), self.along),
            (self.tr("Up by"), self.up),
            (self.tr("Clear of edges"), self.margin),
        ):
            inner.addLayout(field_row(name, f))
        inner.addLayout(row(self.mirror, 1, self.to_middle))
        inner.addLayout(field_row(self.tr("Surface"), self.follow))
        inner.addLayout(field_row(self.tr("Lettering"), self.reads))
        inner.addWidget(self.copies)
        inner.addSpacing(4)
        inner.addWidget(label(self.tr("Depth by colour"), "caption"))
        self.depths = QVBoxLayout()
        self.depths.setSpacing(6)
        inner.addLayout(self.depths)
        self.remove = button(self.tr("take it off the model"), "link")
        self.remove.clicked.connect(self._remove)
        inner.addWidget(self.remove)
        self.nothing = label(self.tr("Lay a graphic on a face: its width, place and depth are set here."), "small", wrap=True)
        panel.add(self.nothing, self.fields)
        panel.body.addStretch(1)

    def placement(self) -> Placement | None:
        """The picked placement, else the first."""
        placements = self.desk.job.placements
        return next((p for p in placements if p.id == self.desk.placement), placements[0] if placements else None)

    def face(self) -> PlacedView | None:
        """The face of the picked placement."""
        placement, design = self.placement(), self.desk.engine.design
        if placement is None or design is None:
            return None
        return next((f for f in design.placed if f.placement == placement.id), None)

    def refresh(self) -> None:
        """Show the model and the picked placement."""
        job, engine = self.desk.job, self.desk.engine
        base = job.base
        self.body.refresh()
        names = [(g.name, g.id) for g in job.graphics]
        if names != [(self.which.itemText(k), self.which.itemData(k)) for k in range(self.which.count())]:
            self.which.clear()
            for name, id in names:
                self.which.addItem(name, id)
        spec = self.desk.spec()
        if spec is not None:
            self.which.setCurrentIndex(self.which.findData(spec.id))
        self.add.setEnabled(bool(job.graphics) and base is not None)
        self.which.setVisible(len(job.graphics) > 1)
        self._show_cards()
        self._show_fields()
        placement = self.placement()
        view = engine.graphics.get(placement.graphic) if placement else None
        self.desk.face.show_placement(self.face(), placement, view, self._printed(), self._others())
        self.depth_strip.show_section(self._cut_face(), placement, job.printer.layer)

    def _others(self) -> list[tuple[float, float]]:
        """Where other graphics lie on the face of the picked one."""
        face, design = self.face(), self.desk.engine.design
        if face is None or design is None:
            return []
        same = {f.placement for f in design.placed if np.allclose(f.origin, face.origin) and np.allclose(f.normal, face.normal)}
        return [p.offset for p in self.desk.job.placements if p.id in same and p.id != face.placement]

    def _cut_face(self) -> PlacedView | None:
        """The face of the picked placement with the section where the user has it."""
        face, cut = self.face(), self.desk.engine.section
        if face is None or cut is None or cut.line.placement != face.placement or self._line != cut.line:
            return face
        return face._replace(section=cut.section, floor=cut.floor)

    def _cut(self, x: float, y: float, angle: float) -> None:
        """Take the section along another line; through the middle when it was put back there."""
        placement = self.placement()
        if placement is None:
            return
        middle = (x, y, angle) == (*placement.offset, 0.0)
        self._line = None if middle else SectionLine(placement.id, x, y, angle)
        self.desk.engine.cut_along(self._line)
        self.refresh()

    def _printed(self) -> dict[str, str]:
        design = self.desk.engine.design
        return {colour: printed for colour, printed, _ in design.parts} if design else {}

    def _show_cards(self) -> None:
        picked = self.placement()
        # A drag changes nothing that the cards say.
        shown = self.desk.engine.graphics
        colours = {id: [c for c, _ in view.regions] for id, view in shown.items()}
        placed = [(p.id, self.desk.job.graphic(p.graphic), p.depths, colours.get(p.graphic)) for p in self.desk.job.placements]
        state = (picked.id if picked else "", placed)
        if state == self._cards_state:
            return
        self._cards_state = state
        clear(self.cards)
        for p in self.desk.job.placements:
            spec = self.desk.job.graphic(p.graphic)
            seen = self.desk.engine.graphics.get(spec.id)
            # The rule for every other colour is told only when there is another.
            used = [p.depth_of(c) for c, _ in seen.regions] if seen is not None else list(p.depths)
            depth = " · ".join(depth_text(Depth(m, mm)) for m, mm in sorted({(r.mode, r.mm) for r in used}))
            card = Card(spec.name, f"{format_mm(seen.size[0] if seen is not None else spec.width_mm)} mm, {depth}")
            card.set_state(picked=picked is not None and picked.id == p.id)
            card.clicked.connect(lambda id=p.id: self._pick(id))
            if picked is not None and picked.id == p.id and len(self.desk.job.placements) > 1:
                earlier, later = (
                    button(text, "link", tip=self.tr("What is placed later cuts into what is there"))
                    for text in (self.tr("earlier"), self.tr("later"))
                )
                earlier.clicked.connect(lambda _=False, id=p.id: self._reorder(id, -1))
                later.clicked.connect(lambda _=False, id=p.id: self._reorder(id, 1))
                card.add_below(row(earlier, later, 1))
            self.cards.addWidget(card)

    def _show_fields(self) -> None:
        placement = self.placement()
        self.fields.setVisible(placement is not None)
        self.nothing.setVisible(placement is None)
        if placement is None:
            self.right.set_heading(self.tr("Graphic"))
            return
        spec = self.desk.job.graphic(placement.graphic)
        self.right.set_heading(spec.name)
        view = self.desk.engine.graphics.get(spec.id)
        self.width.set_value(view.size[0] if view is not None else spec.width_mm)
        self.spin.set_value(placement.spin)
        self.along.set_value(placement.offset[0])
        self.up.set_value(placement.offset[1])
        self.mirror.setChecked(placement.mirror)
        self.reads.setCurrentIndex(self.reads.findData(spec.reads))
        self.margin.set_value(placement.margin)
        self._show_follow(placement)
        self.copies.show_copies(placement.copies)
        view = self.desk.engine.graphics.get(placement.graphic)
        colours = [c for c, _ in view.regions] if view else []
        face = self.face()
        rim = face.rim if face is not None else 0.0
        state = (placement.id, placement.depths, tuple(colours), self.desk.job.printer.layer, round(rim, 3))
        if getattr(self, "_depth_state", None) == state:
            return
        self._depth_state = state
        clear(self.depths)
        for colour in colours:
            rule, layer = placement.depth_of(colour), self.desk.job.printer.layer
            alike = partial(self._all_so, rule) if len(colours) > 1 else None
            card = DepthCard(colour, rule, layer, rim, partial(self._depth, colour), partial(self._reach_for, colour), alike)
            self.depths.addWidget(card)

    def _show_follow(self, placement: Placement) -> None:
        self.follow.setCurrentIndex(self.follow.findData(placement.follow))
        face = self.face()
        names = {"face": self.tr("flat"), "straight": self.tr("flat"), "project": self.tr("projected"), "wrap": self.tr("wrapped")}
        self.follow.setItemText(0, self.tr("automatic: {0}").format(names[face.way]) if face else self.tr("automatic"))

    # -- stage
    def items(self) -> list[Item]:
        """The design, or the bare model while it is being placed."""
        engine = self.desk.engine
        if engine.open_model is not None:
            return [Item("open model", engine.open_model.mesh, theme.colour("body").name())]
        if engine.design is not None:
            return design_items(engine)
        if engine.body is not None:
            return [Item("body", engine.body.mesh, theme.colour("body").name())]
        return []

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("Drop a model here, open one,\nor make a plate with the button on the left.")

    def paint(self, painter: QPainter) -> None:
        """The cutting plane of the depth strip; of a model with holes, their rims."""
        engine = self.desk.engine
        if engine.open_model is not None:
            self._paint_rims(painter, engine.open_model.rims)
            return
        if engine.body is not None and self.body.where.isChecked():
            self._paint_rims(painter, engine.body.closed)
        face, placement = self.face(), self.placement()
        if face is None or placement is None:
            return
        points = face.outline.points
        half = np.hypot(*np.ptp(points, axis=0)) / 2 * 0.8
        if face.grid is not None:
            half = min(half, 1.2 * self.desk.face.graphic_box().width() / 2 + 4)
        x, y, angle = self.desk.face.line()
        u = np.array([math.cos(math.radians(angle)), math.sin(math.radians(angle))])
        # Of a flat face the line goes right across; of a curved one, past the graphic.
        middle = np.array([x, y]) if face.grid is not None else np.array([x, y]) - u * (np.array([x, y]) @ u)
        ends = np.array([middle + u * s * half for s in (-1, 1)])
        a, b = (self.desk.stage.to_widget(p) for p in on_surface(face, ends, 0.01))
        chain_line(painter, a, b, "A")
        if self.desk.engine.busy:
            self._paint_preview(painter, face)

    def _paint_rims(self, painter: QPainter, rims: Sequence[np.ndarray]) -> None:
        """Rims of holes, each ringed so that small ones are seen."""
        painter.setPen(QPen(theme.colour("madder"), 2.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for rim in rims:
            (line,) = self.desk.stage.lines_on(np.concatenate([rim, rim[:1]]), [len(rim) + 1])
            painter.drawPolyline(line)
            box = line.boundingRect()
            if max(box.width(), box.height()) < 16:
                painter.drawEllipse(box.center(), 10, 10)

    def _paint_preview(self, painter: QPainter, face: PlacedView) -> None:
        """The outlines of the graphic where it will be, until the solid is there."""
        pen = QPen(theme.colour("ultramarine"), 1.2)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        outlines = self.desk.face.placed_outlines()
        if not outlines:
            return
        # All at once: a drag must not wait for its own preview.
        places = on_surface(face, np.concatenate(outlines), 0.05)
        for line in self.desk.stage.lines_on(places, [len(o) for o in outlines]):
            painter.drawPolyline(line)

    def click(self, hit: Hit | None) -> None:
        """Lay the armed graphic where the model was clicked, or pick the placement nearest to the click."""
        if self._armed is not None and hit is not None:
            act = self._armed
            self.leave()
            act(hit)
        elif hit is not None and self.desk.engine.design is not None:
            faces = self.desk.engine.design.placed
            near = [
                (float(np.linalg.norm(f.origin - hit.point)), f.placement) for f in faces if abs((hit.point - f.origin) @ f.normal) < 12
            ]
            if near:
                self._pick(min(near)[1])

    def key(self, event: QKeyEvent) -> bool:
        """Esc disarms, Delete takes the graphic off, arrows nudge."""
        if event.key() == Qt.Key.Key_Escape and self._armed is not None:
            self.leave()
            return True
        if event.key() == Qt.Key.Key_Delete and self.placement() is not None:
            self._remove()
            return True
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.desk.face.keyPressEvent(event)
            return True
        return False

    def leave(self) -> None:
        """End laying."""
        self._armed = None
        self.hint.hide()
        self.desk.stage.setCursor(Qt.CursorShape.ArrowCursor)

    # -- edits
    def _arm_for(self, act: Callable[[Hit], None], hint: str) -> None:
        """Have the next click on the model do something."""
        self._armed = act
        self.hint.setText(hint)
        self.hint.show()
        self.desk.stage.setCursor(Qt.CursorShape.CrossCursor)
        self.desk.stage.setFocus()

    def _arm(self) -> None:
        graphic = self.which.currentData()
        if graphic:
            self._arm_for(partial(self._lay, graphic), self.tr("Click a face of the model. Esc leaves it."))

    def _all_so(self, rule: Depth) -> None:
        """One depth for all colours."""
        self._change("depth of all colours", False, depths=(replace(rule, colour=""),))

    def _reach_for(self, colour: str) -> None:
        """Ask for the place that a colour is to reach."""
        self._arm_for(partial(self._reach, colour), self.tr("Click what it is to reach: higher raises it, lower sinks it. Esc leaves it."))

    def _reach(self, colour: str, hit: Hit) -> None:
        face = self.face()
        if face is None:
            return
        height = round(float((hit.point - face.origin) @ face.normal), 3)
        old = self.placement()
        kept = old is not None and old.depth_of(colour).mode == "flush"
        mode: DepthMode = "raised" if height > 0 else "flush" if kept else "recessed"
        self._depth(colour, mode, abs(height), False)

    def _lay(self, graphic: str, hit: Hit) -> None:
        x, y, z = (float(v) for v in hit.point)
        nx, ny, nz = (float(v) for v in hit.normal)
        job, placement = place(self.desk.job, graphic, (x, y, z), (nx, ny, nz), Depth("raised", round(4 * self.desk.job.printer.layer, 3)))
        self.desk.placement = placement.id
        self.desk.document.edit(self.tr("lay {0} on the model").format(job.graphic(graphic).name), job)

    def _pick(self, id: str) -> None:
        self.desk.placement = id
        self._line = None
        self.desk.face.set_line(None)
        self.refresh()
        self.desk.stage.update()

    def _change(self, what: str, merge: bool, **changes: object) -> None:
        placement = self.placement()
        if placement is not None:
            self.desk.document.edit(self.tr(what), change_placement(self.desk.job, replace(placement, **changes)), merge)

    def _reorder(self, id: str, by: int) -> None:
        self.desk.document.edit(self.tr("change the order"), move_placement(self.desk.job, id, by))

    def _offset(self, k: int, value: float, merge: bool) -> None:
        placement = self.placement()
        if placement is not None:
            x, y = placement.offset
            self._change("move the graphic", merge, offset=(value, y) if k == 0 else (x, value))

    def _moved(self, x: float, y: float, done: bool) -> None:
        self._change("move the graphic", True, offset=(x, y))

    def _width(self, value: float, merge: bool) -> None:
        placement = self.placement()
        if placement is not None:
            spec = self.desk.job.graphic(placement.graphic)
            view = self.desk.engine.graphics.get(spec.id)
            # The width is that of what is seen, edits included.
            factor = value / view.size[0] if view is not None and view.size[0] > 0 else value / spec.width_mm
            self.desk.document.edit(self.tr("change width"), set_scale(self.desk.job, spec, round(spec.width_mm * factor, 6)), merge)

    def _set_reads(self, reads: Reads) -> None:
        placement = self.placement()
        if placement is not None:
            spec = replace(self.desk.job.graphic(placement.graphic), reads=reads)
            self.desk.document.edit(self.tr("say which way it reads"), change_graphic(self.desk.job, spec))

    def _depth(self, colour: str, mode: DepthMode | None, mm: float | None, merge: bool) -> None:
        placement = self.placement()
        if placement is None:
            return
        old = placement.depth_of(colour)
        if mm is None:
            # Level starts level; coming back from there starts with a few layers.
            mm = 0.0 if mode == "level" else old.mm if old.mode != "level" else round(4 * self.desk.job.printer.layer, 3)
        rule = Depth(mode or old.mode, mm, colour)
        text = self.tr("change depth of {0}").format(plain_name(colour))
        self.desk.document.edit(text, change_placement(self.desk.job, set_depth(placement, rule)), merge)

    def _remove(self) -> None:
        placement = self.placement()
        if placement is not None:
            name = self.desk.job.graphic(placement.graphic).name
            self.desk.document.edit(self.tr("take {0} off the model").format(name), remove_placement(self.desk.job, placement.id))

    # -- add-ons
    def _arm_addon(self, feature: Feature) -> None:
        self._arm_for(partial(self.body.add_addon, feature), self.tr("Click a face of the model. Esc leaves it."))
