"""Sheet 3, Split: sections that fit the bed, with keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import QMenu, QSlider

from cutkey.app.sheets.base import Desk, Sheet, section_items
from cutkey.app.sheets.split.bed_card import BedCard
from cutkey.app.sheets.split.cut_list import CutList
from cutkey.app.sheets.split.gauge_card import GaugeCard
from cutkey.app.sheets.split.joint_panel import JointPanel
from cutkey.app.sheets.split.proposals import Proposals
from cutkey.app.sheets.split.pulled_apart import FARTHEST, loose_items, spacer_items, step_words
from cutkey.app.sheets.split.rulers import Rulers
from cutkey.app.sheets.split.split_drawing import SplitDrawing
from cutkey.app.sheets.split.split_strip import SplitStrip
from cutkey.app.stage.item import Item
from cutkey.app.widgets.basics import Panel, button, column, context_menu, label, row
from cutkey.core.model.changes import Change
from cutkey.core.model.cuts import AXES, Axis, Cut, JointKeys, Keys, Labels
from cutkey.core.model.edits import KeyScope, change_cut, limit_cut, remove_cut, set_keys
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.worker.shown_kit import JointView, KitView


class SplitSheet(Sheet):
    """Cuts as tabs on rulers along the design; joints and their keys; how it all goes together."""

    id, rank, title, tip = "split", 30, "Split", "Sections that fit the bed, with keys"
    fed_by = frozenset({"design", "sections", "kit"})
    owns = frozenset({"cut", "lying", "printer"})

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.results = (self.left, self.right)
        self.left.set_heading(self.tr("Cuts and joints"))
        self._picked = 0
        self._joint = -1
        self.rulers = Rulers(desk.stage)
        self.drawing = SplitDrawing(desk, self.rulers)
        self._build_left(self.left)
        self.joints = JointPanel(self.right, self._keys, self._pick_joint, self._automatic, self._label)
        self.pages = SplitStrip(desk, self._move_keys)
        self.strip = self.pages
        desk.document.renewed.connect(self._forget)

    def _forget(self) -> None:
        """Another job was opened: it is shown together, and nothing of the one before is picked."""
        self._picked, self._joint = 0, -1
        self.apart.setValue(0)

    def _build_left(self, panel: Panel) -> None:
        self.plans = Proposals(self.desk)
        self.cuts = CutList(self._pick, self._change, self._delete, self._limit)
        adds = [
            button(self.tr("+ {0}").format(a), "cut", tip=self.tr("Add a cut across {0}").format(a))
            for a in AXES
        ]
        for b, axis in zip(adds, AXES, strict=True):
            b.clicked.connect(partial(self._add, axis))
        self.apart = QSlider(Qt.Orientation.Horizontal)
        self.apart.setRange(0, 100)
        self.apart.setAccessibleName(self.tr("Pull apart"))
        self.apart.setToolTip(self.tr("Undo the assembly step by step, the last push first"))
        self.apart.valueChanged.connect(lambda _: self._show_apart())
        self.step = label("", "small", wrap=True)
        self.gauge = GaugeCard(self._gauge)
        self.bed = BedCard(self._printer, lambda: self.desk.commands["test_piece"]())
        panel.add(self.plans.button, self.cuts, row(*adds), self.plans.others)
        # Shown once there is something to pull apart.
        self.pull, pull = column()
        for w in (label(self.tr("Pull apart"), "caption"), self.apart, self.step):
            pull.addWidget(w)
        panel.add(self.pull, self.gauge, self.bed)
        panel.body.addStretch(1)

    def make_room(self, width: int) -> None:
        """The joint beside the beds in a wide window, else behind them."""
        self.pages.make_room(width)

    @property
    def kit(self) -> KitView | None:
        """The kit when it is of the present cuts."""
        kit = self.desk.engine.kit
        return kit if kit and len(kit.cuts) == len(self.desk.job.cuts) else None

    def joint(self) -> JointView | None:
        """The picked joint."""
        kit = self.kit
        return kit.joints[self._joint] if kit and 0 <= self._joint < len(kit.joints) else None

    def refresh(self) -> None:
        """Show the cuts, the joints and the beds."""
        job, kit = self.desk.job, self.kit
        self._picked = min(self._picked, len(job.cuts) - 1) if job.cuts else -1
        if self._picked < 0 <= len(job.cuts) - 1:
            self._picked = 0
        joint = self.joint()
        if kit and (joint is None or joint.cut != self._picked):
            self._joint = next((n for n, j in enumerate(kit.joints) if j.cut == self._picked), -1)
        self.plans.refresh()
        self.cuts.show_cuts(job.cuts, kit, self._picked)
        self.bed.show_printer(job.printer)
        self.bed.offer(room=not job.cuts)
        cut = job.cuts[self._picked] if 0 <= self._picked < len(job.cuts) else None
        own = self._own_keys()
        keys = own.keys if own else (cut.keys if cut else None) or job.keys
        scope = "joint" if own else "cut" if cut and cut.keys else "all"
        self.joints.show_joints(kit, self._picked, self._joint, keys, scope, job.printer.slides, job.labels)
        self.pages.joint.show_joint(self.joint())
        self.pages.beds.show_kit(self.desk.engine.kit)
        self.pages.setting.show_setting(kit.setting if kit else None)
        self.gauge.show_gauge(job.gauge)
        self._show_step()

    def _show_step(self) -> None:
        kit = self.kit
        text = step_words(kit, self.apart.value() / 100)
        self.step.setText(text)
        self.step.setVisible(bool(text))
        self.pull.setVisible(bool(kit and kit.assembly.steps))

    # -- stage
    def items(self) -> list[Item]:
        """Sections, with the assembly undone as far as the slider says."""
        share = self.apart.value() / 100
        items = section_items(self.desk.engine, share, FARTHEST)
        if self.desk.engine.nearest != "kit":
            return items
        return items + (loose_items(self.desk.engine.kit, share) if share else spacer_items(self.kit))

    def empty_text(self) -> str:
        """What to do first."""
        return self.tr("There is nothing to split yet:\nput a model or a plate on the Place sheet.")

    def _show_apart(self) -> None:
        self.desk.stage.set_items(self.items())
        self._show_step()

    def paint(self, painter: QPainter) -> None:
        """Rulers with brackets and tabs, cuts, keys with their distances."""
        self.drawing.paint(painter, self._picked, self._joint, self.apart.value() > 0)

    def grab(self, p: QPointF) -> Callable[[QPointF, bool], None] | None:
        """Take hold of a cut's tab or handle, or of a key."""
        kit = self.kit
        if kit is None or self.apart.value() > 0:
            return None
        found = self.rulers.grab(p, self.desk.job.cuts, kit, self._picked, self._dragged, self._pull)
        return found or self._grab_key(p, kit)

    def _grab_key(self, p: QPointF, kit: KitView) -> Callable[[QPointF, bool], None] | None:
        for n, joint in enumerate(kit.joints):
            for k, key in enumerate(joint.keys):
                q = self.desk.stage.to_widget(key.centre)
                if abs(q.x() - p.x()) < 7 and abs(q.y() - p.y()) < 7:
                    return lambda q, done, n=n, k=k: self._follow_key(n, k, p, q, done)  # type: ignore[misc]
        return None

    def _follow_key(self, number: int, k: int, begun: QPointF, p: QPointF, done: bool) -> None:
        """Move a key along the face to the place nearest to the mouse; a mere click picks its joint."""
        kit = self.kit
        if kit is None or number >= len(kit.joints) or k >= len(kit.joints[number].keys):
            return
        joint = kit.joints[number]
        self._joint, self._picked = number, joint.cut
        if abs(p.x() - begun.x()) + abs(p.y() - begun.y()) < 3:
            if done:
                self._pick_joint(number)
            return
        a, b = (self.desk.stage.to_widget(joint.plane.lift(u, joint.keys[k].v)) for u in (0.0, 1.0))
        d = b - a
        u = ((p.x() - a.x()) * d.x() + (p.y() - a.y()) * d.y()) / max(1e-6, d.x() ** 2 + d.y() ** 2)
        self._set_hand([(round(u, 1) if i == k else x.u, x.v) for i, x in enumerate(joint.keys)])

    def _dragged(self, number: int, cut: Cut, done: bool) -> None:
        self._picked = number
        if self.desk.job.cuts[number] != cut:
            self._change(number, cut, True)
        elif done:
            self.refresh()

    def _pull(self, axis: Axis, at: float) -> int:
        self._new_cut(Cut(axis, at))
        return self._picked

    def click(self, hit: Any) -> None:
        """Pick the section clicked: its first joint."""
        kit = self.kit
        if kit is None or hit is None:
            return
        name = hit.key.split(" ", 1)[0]
        mine = [n for n, j in enumerate(kit.joints) if name in j.sections]
        if mine:
            self._pick_joint(
                mine[(mine.index(self._joint) + 1) % len(mine)] if self._joint in mine else mine[0]
            )

    def menu(self, p: QPointF) -> QMenu | None:
        """What can be done with the picked cut, and new cuts through the place that was clicked."""
        hit = self.desk.stage.pick(p)
        if self.desk.engine.design is None:
            return None
        menu = (
            self.cuts.menu_of(self._picked)
            if 0 <= self._picked < len(self.desk.job.cuts)
            else context_menu(self.desk.stage)
        )
        menu.addSeparator()
        self.pages.beds.add_to(menu, hit)
        for axis, at in zip(AXES, hit.point.round(1).tolist(), strict=True) if hit is not None else ():
            text = self.tr("New cut across {0} here").format(axis)
            menu.addAction(text).triggered.connect(
                lambda _=False, axis=axis, at=at: self._new_cut(Cut(axis, at))
            )
        menu.addAction(self.tr("Propose cuts")).triggered.connect(lambda _=False: self.plans.propose())
        menu.addSeparator()
        self.add_looks(menu)
        return menu

    def key(self, event: QKeyEvent) -> bool:
        """Delete removes the picked cut; arrows move it by a millimetre."""
        cuts = self.desk.job.cuts
        if not 0 <= self._picked < len(cuts):
            return False
        if event.key() == Qt.Key.Key_Delete:
            self._delete(self._picked)
            return True
        steps = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Down: -1.0, Qt.Key.Key_Right: 1.0, Qt.Key.Key_Up: 1.0}
        if event.key() in steps:
            cut = cuts[self._picked]
            self._change(self._picked, replace(cut, at=round(cut.at + steps[Qt.Key(event.key())], 3)), True)
            return True
        return False

    # -- edits
    def _pick(self, number: int) -> None:
        self._picked = number
        self.refresh()
        self.desk.stage.update()

    def show_change(self, change: Change) -> None:
        """Pick the cut, or the piece on its bed, if there is one."""
        if change.part == "cut" and change.number >= 0:
            self._picked = min(change.number, len(self.desk.job.cuts) - 1)
        elif change.part == "lying":
            self.pages.turn("beds")
            self.pages.beds.pick(change.id)

    def offers(self) -> dict[str, Callable[..., Any]]:
        """Proposing cuts."""
        return {"propose_cuts": self._propose_here}

    def _propose_here(self) -> None:
        self.desk.commands["open_sheet"](self.id)
        self.plans.button.click()

    def _pick_joint(self, number: int) -> None:
        kit = self.kit
        if kit is None:
            return
        self._joint, self._picked = number, kit.joints[number].cut
        self.pages.turn("joint")
        self.refresh()
        self.desk.stage.update()

    def _add(self, axis: Axis, _checked: bool = False) -> None:
        """A new cut in the middle of the longest stretch."""
        kit = self.desk.engine.kit
        if kit is None:
            return
        k = AXES.index(axis)
        edges = [
            kit.low[k],
            *sorted(c.at for c in self.desk.job.cuts if c.axis == axis and c.inside is None),
            kit.high[k],
        ]
        _, a, b = max((b - a, a, b) for a, b in pairwise(edges))
        self._new_cut(Cut(axis, round((a + b) / 2, 2)))

    def _new_cut(self, cut: Cut) -> None:
        """Cuts through everything come before those that are limited."""
        cuts = self.desk.job.cuts
        self._picked = sum(c.inside is None for c in cuts)
        new = (*cuts[: self._picked], cut, *cuts[self._picked :])
        self.desk.document.edit(self.tr("add a cut"), replace(self.desk.job, cuts=new))

    def _change(self, number: int, cut: Cut, merge: bool) -> None:
        old = self.desk.job.cuts[number]
        if (old.at, old.tilt, old.lean, old.path) != (cut.at, cut.tilt, cut.lean, cut.path):
            cut = replace(cut, hand=())
        text = self.tr("move a cut") if old.at != cut.at else self.tr("change a cut")
        self.desk.document.edit(text, change_cut(self.desk.job, number, cut), merge)

    def _delete(self, number: int) -> None:
        self.desk.document.edit(self.tr("delete a cut"), remove_cut(self.desk.job, number))

    def _limit(self, number: int, name: str) -> None:
        """Limit a cut to a section by name, or let it go through everything."""
        kit = self.kit
        if name == "keep" or kit is None:
            return
        place = None
        if name:
            unit = next(u for u in kit.units if u.name == name)
            x, y, z = (float(v) for v in np.array(unit.low) + np.array(unit.size) / 2)
            place = (round(x, 2), round(y, 2), round(z, 2))
        job = limit_cut(self.desk.job, number, place)
        self._picked = len(job.cuts) - 1 if name else sum(c.inside is None for c in job.cuts) - 1
        self.desk.document.edit(self.tr("limit a cut"), job)

    def _own_keys(self) -> JointKeys | None:
        """What the job says of the picked joint alone; the kit may not know of it yet."""
        joint = self.joint()
        if joint is None or joint.cut >= len(self.desk.job.cuts):
            return None
        places = (joint.place, joint.own.at if joint.own else joint.place)
        return next((j for j in self.desk.job.cuts[joint.cut].joints if j.at in places), None)

    def _keys(self, keys: Keys, scope: KeyScope, merge: bool) -> None:
        """Give all cuts, the picked one, or the picked joint these keys."""
        joint, own = self.joint(), self._own_keys()
        place = own.at if own else joint.place if joint else None
        job = set_keys(self.desk.job, keys, scope, self._picked, place)
        self.desk.document.edit(self.tr("change the keys"), job, merge)

    def _move_keys(self, places: list[tuple[float, float]], done: bool) -> None:
        self._set_hand(places)

    def _automatic(self) -> None:
        self._set_hand([])

    def _set_hand(self, places: list[tuple[float, float]]) -> None:
        """Set the places of the picked joint's keys by hand; none gives them back to the program."""
        joint = self.joint()
        if joint is None:
            return
        cut = self.desk.job.cuts[joint.cut]
        same = [j for j in self.kit.joints if j.cut == joint.cut and j.name != joint.name] if self.kit else []
        others = [k for j in same if j.by_hand for k in j.keys]
        hand = (*((k.u, k.v) for k in others), *((float(u), float(v)) for u, v in places))
        self.desk.document.edit(
            self.tr("move a key"), change_cut(self.desk.job, joint.cut, replace(cut, hand=hand)), merge=True
        )

    def _label(self, labels: Labels) -> None:
        text = self.tr("engrave names") if labels.on else self.tr("leave names off")
        self.desk.document.edit(text, replace(self.desk.job, labels=labels))

    def _gauge(self, gauge: Gauge, merge: bool) -> None:
        switched = gauge.on != self.desk.job.gauge.on
        self.desk.document.edit(self.tr("setting-out pieces"), replace(self.desk.job, gauge=gauge), merge)
        if switched:
            self.pages.turn("setting" if gauge.on else "beds")

    def _printer(self, printer: Printer, merge: bool) -> None:
        self.desk.document.edit(self.tr("change the printer"), replace(self.desk.job, printer=printer), merge)
