"""Sheet 3, Split: sections that fit the bed, with keys."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QSlider

from cutkey.app.drafting import chain_line, dimension, note
from cutkey.app.stage.scene import Item
from cutkey.app.theme import theme
from cutkey.app.views.base import Desk, View, section_items
from cutkey.app.widgets.basics import Card, Panel, Segments, button, clear, column, field_row, label, row
from cutkey.app.widgets.bed_loads import BedLoads
from cutkey.app.widgets.joint_sketch import JointSketch
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.job.edits import move_cut, remove_cut
from cutkey.core.split.cutting import positions
from cutkey.core.split.dowels import Joint
from cutkey.core.split.plan import cut_letters, propose_cuts
from cutkey.core.split.settings import AXES, Axis, Cut
from cutkey.core.units import format_mm

#: The pull-apart slider at its end, mm between neighbours.
FARTHEST = 90


class SplitView(View):
    """Cuts as tabs on rulers along the design; joints and their keys."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.left.set_heading(self.tr("Cuts and joints"))
        self.right.set_heading(self.tr("Joint"))
        self._picked: Cut | None = None
        self._joint = ""
        self._dragged: Cut | None = None
        self._build_left(self.left)
        self._build_right(self.right)
        self.beds = BedLoads()
        self.strip = self.beds

    def _build_left(self, panel: Panel) -> None:
        self.propose = button(self.tr("propose cuts"), "cut", "cut", self.tr("As few sections as the bed allows"))
        self.propose.clicked.connect(self._propose)
        holder, self.cards = column()
        adds = []
        for axis in AXES:
            b = button(self.tr("+ {0}").format(axis), "cut", tip=self.tr("Add a cut across {0}").format(axis))
            b.clicked.connect(lambda _=False, a=axis: self._add(a))
            adds.append(b)
        self.apart = QSlider(Qt.Orientation.Horizontal)
        self.apart.setRange(0, 100)
        self.apart.setAccessibleName(self.tr("Pull apart"))
        self.apart.setToolTip(self.tr("Pull the sections apart to look between them"))
        self.apart.valueChanged.connect(lambda _: self._show_apart())
        caption = label(self.tr("Bed"), "caption")
        self.bed = [NumberField(self.tr("Bed {0}").format(a), "", 20, 2000, 5, 1, self.tr("Printing size of the bed, mm")) for a in AXES]
        for k, f in enumerate(self.bed):
            f.committed.connect(lambda v, k=k: self._bed(k, v))
        self.margin = NumberField(self.tr("Margin"), "mm", 0, 100, 1, 1, self.tr("Kept free along each edge of the bed"))
        self.margin.committed.connect(lambda v: self._printer(margin=v))
        panel.add(self.propose, holder, row(*adds), label(self.tr("Pull apart"), "caption"), self.apart, caption, row(*self.bed, spacing=5))
        panel.add(field_row(self.tr("Margin"), self.margin))
        panel.body.addStretch(1)

    def _build_right(self, panel: Panel) -> None:
        self.kind = Segments(
            self.tr("Key"),
            (
                ("dowel", self.tr("round dowel"), self.tr("Loose dowels in sockets on both sides")),
                ("none", self.tr("none"), self.tr("Glue only")),
            ),
        )
        self.kind.chosen.connect(lambda k: self._keys("keys", False, kind=k))
        self.fields: dict[str, NumberField] = {}
        panel.add(self.kind)
        for key, name, low, high, step, tip in (
            ("diameter", self.tr("Diameter"), 1, 40, 0.5, self.tr("Of the dowel")),
            ("depth", self.tr("Depth"), 2, 200, 1, self.tr("Of the dowel in each section")),
            ("clearance", self.tr("Clearance"), 0, 2, 0.05, self.tr("Room on each side of the dowel: 0.15 slides, 0.05 presses")),
            ("end_gap", self.tr("End gap"), 0, 5, 0.1, self.tr("Room at each end, for glue")),
            ("wall", self.tr("Wall"), 0.4, 20, 0.2, self.tr("Least material left around a socket")),
        ):
            f = NumberField(name, "mm", low, high, step, 2, tip)
            f.committed.connect(lambda v, k=key: self._keys(k, False, **{k: v}))
            f.stepped.connect(lambda v, k=key: self._keys(k, True, **{k: v}))
            self.fields[key] = f
            panel.add(field_row(name, f))
        self.sketch = JointSketch()
        holder, self.joints = column()
        panel.add(self.sketch, holder)
        panel.body.addStretch(1)

    def refresh(self) -> None:
        """Show the cuts, the joints and the beds."""
        job, kit = self.desk.job, self.desk.engine.kit
        if self._picked not in job.cuts:
            self._picked = job.cuts[0] if job.cuts else None
        self.propose.setText(self.tr("propose cuts again") if job.cuts else self.tr("propose cuts"))
        self.propose.setEnabled(self.desk.engine.design is not None)
        letters = cut_letters(job.cuts)
        joints = kit.joints if kit else []
        clear(self.cards)
        for cut, letter in letters.items():
            mine = [j for j in joints if j.cut == cut]
            dowels, area = sum(len(j.centres) for j in mine), sum(j.face_area for j in mine)
            text = self.tr("{0} dowels · {1} mm² to glue").format(dowels, format_mm(area, 0)) if mine else self.tr("meets no material")
            card = Card(self.tr("{0}–{0}   {1} {2}").format(letter, cut.axis, format_mm(cut.at, 1)), text)
            card.set_state(picked=cut == self._picked)
            drop = button("", "flat", "bin", self.tr("Delete this cut"))
            drop.clicked.connect(lambda _=False, c=cut: self._delete(c))
            card.add_beside(drop)
            card.clicked.connect(lambda c=cut: self._pick(c))
            self.cards.addWidget(card)
        if not letters:
            self.cards.addWidget(label(self.tr("No cuts: the design is printed in one section."), "small", wrap=True))
        for k, f in enumerate(self.bed):
            f.set_value(job.printer.bed[k])
        self.margin.set_value(job.printer.margin)
        self.kind.set_choice(job.keys.kind)
        for key, f in self.fields.items():
            f.set_value(getattr(job.keys, key))
            f.setEnabled(job.keys.kind == "dowel")
        self._show_joints([j for j in joints if j.cut == self._picked])
        self.beds.show_kit(kit, job.printer)

    def _show_joints(self, joints: list[Joint]) -> None:
        picked = next((j for j in joints if j.name == self._joint), joints[0] if joints else None)
        letter = picked.letter if picked else ""
        self.right.set_heading(self.tr("Joint {0}–{0}").format(letter) if letter else self.tr("Joints"))
        self.sketch.show_joint(picked, self.desk.job.keys.diameter)
        clear(self.joints)
        for j in joints:
            weak = len(j.centres) < 2
            text = self.tr("{0} dowels · {1} mm² face").format(len(j.centres), format_mm(j.face_area, 0))
            if weak:
                text += " · " + self.tr("it can turn")
            card = Card(j.name.replace("|", " | "), text)
            card.set_state(picked=j is picked, alarm=weak)
            card.clicked.connect(lambda n=j.name: self._pick_joint(n))
            self.joints.addWidget(card)

    # -- stage
    def items(self) -> list[Item]:
        """Sections, pulled apart as the slider says."""
        sections = section_items(self.desk.engine, self.apart.value() / 100 * FARTHEST)
        return sections + self._dowels(sections) if self.apart.value() else sections

    def _dowels(self, sections: list[Item]) -> list[Item]:
        """The dowels half way between the sections they join."""
        kit = self.desk.engine.kit
        key = next((u for u in kit.units if u.is_key), None) if kit else None
        if kit is None or key is None:
            return []
        shifts = {i.key.split(" ", 1)[0]: np.array(i.shift) for i in sections}
        standing = key.pieces[0][3]
        middle = np.array(key.size) / 2
        lying = {}
        for k, axis in enumerate(AXES):
            # The dowel stands along z; the axes change places in a circle until it lies along the cut's.
            v = np.roll(standing.vertices - middle.astype(np.float32), k + 1, axis=1)
            lying[axis] = standing._replace(vertices=np.ascontiguousarray(v, np.float32))
        out = []
        for joint in kit.joints:
            shift = (shifts[joint.sections[0]] + shifts[joint.sections[1]]) / 2
            for n, centre in enumerate(joint.centres):
                x, y, z = (float(v) for v in np.array(centre) + shift)
                out.append(Item(f"dowel {joint.name} {n}", lying[joint.cut.axis], theme.colour("ultramarine").name(), (x, y, z)))
        return out

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("There is nothing to split yet:\nput a model or a plate on the Place sheet.")

    def _show_apart(self) -> None:
        stage = self.desk.stage
        stage.set_items(self.items())

    def _rulers(self) -> dict[Axis, tuple[np.ndarray, np.ndarray]]:
        """Start of each ruler and the unit of its axis, in the model; beside the design's lower edges."""
        kit = self.desk.engine.kit
        if kit is None:
            return {}
        low, high = np.array(kit.low), np.array(kit.high)
        out = 26 * self.desk.stage.camera.mm_per_px
        _, _, eye = self.desk.stage.camera.axes()
        front = low[1] - out if eye[1] <= 0 else high[1] + out
        side = low[0] - out if eye[0] <= 0 else high[0] + out
        far = high[0] + out if eye[0] <= 0 else low[0] - out
        return {
            "x": (np.array([low[0], front, low[2]]), np.array([1.0, 0, 0])),
            "y": (np.array([side, low[1], low[2]]), np.array([0, 1.0, 0])),
            "z": (np.array([far, front, low[2]]), np.array([0, 0, 1.0])),
        }

    def paint(self, painter: QPainter) -> None:
        """Rulers with brackets and tabs, cutting planes, dowels."""
        kit = self.desk.engine.kit
        if kit is None or self.apart.value() > 0:
            self._paint_names(painter)
            return
        low, high = np.array(kit.low), np.array(kit.high)
        usable = self.desk.job.printer.usable
        for k, axis in enumerate(AXES):
            start, unit = self._rulers()[axis]
            edges = [low[k], *positions(self.desk.job.cuts, axis), high[k]]
            # A ruler seen end on says nothing.
            a, b = (self.desk.stage.to_widget(start + unit * (e - low[k])) for e in (edges[0], edges[-1]))
            if abs(a.x() - b.x()) + abs(a.y() - b.y()) < 26:
                continue
            for e0, e1 in pairwise(edges):
                fits = e1 - e0 <= (max(usable[:2]) if k < 2 else usable[2]) + 1e-6
                text = format_mm(e1 - e0, 1) + ("" if fits else " " + self.tr("too long"))
                p, q = (self.desk.stage.to_widget(start + unit * (e - low[k])) for e in (e0, e1))
                dimension(painter, p, q, text, "soft" if fits else "madder")
        letters = cut_letters(self.desk.job.cuts)
        for cut, letter in letters.items():
            self._paint_cut(painter, cut, letter, low, high)
        for joint in kit.joints:
            for centre in joint.centres:
                p = self.desk.stage.to_widget(centre)
                painter.setPen(QPen(theme.colour("ultramarine"), 1.5))
                painter.setBrush(theme.colour("ultramarine_wash" if joint.cut != self._picked else "ultramarine"))
                painter.drawEllipse(p, 4.2, 4.2)
        self._paint_names(painter)

    def _paint_cut(self, painter: QPainter, cut: Cut, letter: str, low: np.ndarray, high: np.ndarray) -> None:
        k = AXES.index(cut.axis)
        reach = 14 * self.desk.stage.camera.mm_per_px
        along = 1 if k == 0 else 0
        a, b = low.copy(), high.copy()
        a[k] = b[k] = cut.at
        a[2 if k < 2 else 1] = b[2 if k < 2 else 1] = high[2] if k < 2 else low[1]
        a[along], b[along] = low[along] - reach, high[along] + reach
        chain_line(painter, self.desk.stage.to_widget(a), self.desk.stage.to_widget(b), letter, cut == self._picked)
        p = self._tab(cut)
        painter.setPen(QPen(theme.colour("madder"), 1.4))
        painter.setBrush(theme.colour("madder" if cut == self._picked else "madder_wash"))
        painter.drawRect(QRectF(p.x() - 6, p.y() - 6, 12, 12))

    def _tab(self, cut: Cut) -> QPointF:
        """Widget place of a cut's tab on its ruler."""
        kit = self.desk.engine.kit
        assert kit is not None
        start, unit = self._rulers()[cut.axis]
        return self.desk.stage.to_widget(start + unit * (cut.at - kit.low[AXES.index(cut.axis)]))

    def _paint_names(self, painter: QPainter) -> None:
        kit = self.desk.engine.kit
        if kit is None:
            return
        shifts = {i.key: i.shift for i in self.desk.stage.items}
        for unit in kit.units:
            if unit.is_key or not unit.pieces:
                continue
            shift = np.array(shifts.get(unit.pieces[0][0], (0, 0, 0)))
            top = np.array(unit.low) + np.array(unit.size) * (0.5, 0.5, 1.0) + shift
            note(painter, self.desk.stage.to_widget(top), unit.name, "ink")

    def grab(self, p: QPointF) -> Callable[[QPointF, bool], None] | None:
        """Take hold of a cut's tab."""
        kit = self.desk.engine.kit
        if kit is None or self.apart.value() > 0:
            return None
        for cut in self.desk.job.cuts:
            t = self._tab(cut)
            if abs(t.x() - p.x()) < 10 and abs(t.y() - p.y()) < 10:
                return lambda q, done, c=cut: self._drag(c, q, done)  # type: ignore[misc]
        return None

    def _drag(self, cut: Cut, p: QPointF, done: bool) -> None:
        """Move a cut along its ruler to the place nearest to the mouse."""
        kit = self.desk.engine.kit
        if kit is None:
            return
        current = self._dragged or cut
        k = AXES.index(cut.axis)
        start, unit = self._rulers()[cut.axis]
        a, b = self.desk.stage.to_widget(start), self.desk.stage.to_widget(start + unit)
        d = b - a
        share = ((p.x() - a.x()) * d.x() + (p.y() - a.y()) * d.y()) / max(1e-9, d.x() ** 2 + d.y() ** 2)
        at = round(min(kit.high[k] - 1.0, max(kit.low[k] + 1.0, kit.low[k] + share)), 1)
        moved = Cut(cut.axis, at)
        if moved != current and moved not in self.desk.job.cuts:
            self._picked = moved
            self._dragged = moved
            self.desk.document.edit(self.tr("move a cut"), move_cut(self.desk.job, current, at), merge=True)
        if done:
            self._dragged = None

    def key(self, event: QKeyEvent) -> bool:
        """Delete removes the picked cut; arrows move it by a millimetre."""
        if self._picked is None:
            return False
        if event.key() == Qt.Key.Key_Delete:
            self._delete(self._picked)
            return True
        steps = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Down: -1.0, Qt.Key.Key_Right: 1.0, Qt.Key.Key_Up: 1.0}
        if event.key() in steps:
            old, at = self._picked, round(self._picked.at + steps[Qt.Key(event.key())], 3)
            self._picked = Cut(old.axis, at)
            self.desk.document.edit(self.tr("move a cut"), move_cut(self.desk.job, old, at), merge=True)
            return True
        return False

    # -- edits
    def _pick(self, cut: Cut) -> None:
        self._picked = cut
        self.refresh()
        self.desk.stage.update()

    def _pick_joint(self, name: str) -> None:
        self._joint = name
        self.refresh()

    def _propose(self) -> None:
        kit = self.desk.engine.kit
        if kit is not None:
            cuts = propose_cuts(np.array(kit.low), np.array(kit.high), self.desk.job.printer)
            self.desk.document.edit(self.tr("propose cuts"), replace(self.desk.job, cuts=tuple(cuts)))
            if not cuts:
                self.desk.message.say(self.tr("The design fits the bed as it is; no cut is needed."), calm=True)

    def _add(self, axis: Axis) -> None:
        """A new cut in the middle of the longest stretch."""
        kit = self.desk.engine.kit
        if kit is None:
            return
        k = AXES.index(axis)
        edges = [kit.low[k], *positions(self.desk.job.cuts, axis), kit.high[k]]
        _, a, b = max((b - a, a, b) for a, b in pairwise(edges))
        cut = Cut(axis, round((a + b) / 2, 2))
        self._picked = cut
        self.desk.document.edit(self.tr("add a cut"), replace(self.desk.job, cuts=(*self.desk.job.cuts, cut)))

    def _delete(self, cut: Cut) -> None:
        self.desk.document.edit(self.tr("delete a cut"), remove_cut(self.desk.job, cut))

    def _keys(self, what: str, merge: bool, **changes: object) -> None:
        keys = replace(self.desk.job.keys, **changes)
        self.desk.document.edit(self.tr("change {0}").format(what.replace("_", " ")), replace(self.desk.job, keys=keys), merge)

    def _bed(self, k: int, value: float) -> None:
        bed = list(self.desk.job.printer.bed)
        bed[k] = value
        self._printer(bed=(bed[0], bed[1], bed[2]))

    def _printer(self, **changes: object) -> None:
        printer = replace(self.desk.job.printer, **changes)
        name = self.tr("Bench {0}").format(format_mm(printer.bed[0], 0))
        self.desk.document.edit(self.tr("change the bed"), replace(self.desk.job, printer=replace(printer, name=name)))
