"""What can be done with what is picked on the model.

By keys, by the menu under the mouse, by the card of several.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu, QWidget

from cutkey.app.clipboard import holds_part, put_part
from cutkey.app.hands.hands import Hands, Posed
from cutkey.app.sheets.base import Desk
from cutkey.app.widgets.basics import Card, allow, button, row
from cutkey.app.widgets.struct_form import said
from cutkey.core.model.edits import move_placement
from cutkey.core.model.job import Job
from cutkey.core.model.table_edits import alignment
from cutkey.core.model.things import joined, part_of, posed, removed

#: A copy lies so far beside what it was made of, mm.
BESIDE = 4.0


def _tr(text: str) -> str:
    return QCoreApplication.translate("ThingActions", text)


class ThingActions:
    """Edits of the picked things; `hands` knows which lie on the face that is shown."""

    def __init__(self, desk: Desk, hands: Hands, picked: Callable[[tuple[str, ...]], None]) -> None:
        self._desk, self._hands, self._pick = desk, hands, picked

    def ids(self) -> tuple[str, ...]:
        """What is picked; without anything, the graphic whose fields are shown."""
        job = self._desk.job
        there = {*(p.id for p in job.placements), *(a.id for a in job.addons)}
        picked = tuple(i for i in self._desk.picked if i in there)
        if picked:
            return picked
        shown = (
            self._desk.placement
            if self._desk.placement in there
            else job.placements[0].id
            if job.placements
            else ""
        )
        return (shown,) if shown else ()

    def name(self, ids: Iterable[str]) -> str:
        """What some things are called in a step of undo."""
        job, ids = self._desk.job, tuple(ids)
        names = {p.id: job.graphic(p.graphic).name for p in job.placements}
        names |= {a.id: said(a.feature.title).lower() for a in job.addons}
        return names.get(ids[0], "") if len(ids) == 1 else _tr("{0} things").format(len(ids))

    # -- edits
    def pose(self, wanted: Iterable[Posed], merge: bool) -> None:
        """Put things where they are wanted."""
        job, wanted = self._desk.job, tuple(wanted)
        graphics = {p.id: p for p in job.placements}
        turned = False
        for w in wanted:
            before = graphics.get(w.id) or next((a for a in job.addons if a.id == w.id), None)
            turned |= before is not None and before.spin != w.spin
            job = posed(job, w.id, w.offset, w.spin, w.factor)
        what = (
            _tr("change the size")
            if any(w.factor != 1 for w in wanted)
            else _tr("turn")
            if turned
            else _tr("move")
        )
        if len(wanted) > 1:
            name = _tr("{0} things").format(len(wanted))
        else:
            name = (
                _tr("the graphic") if wanted and wanted[0].id in graphics else self.name(w.id for w in wanted)
            )
        text = (
            _tr("{0} of {1}").format(what, name) if any(w.factor != 1 for w in wanted) else f"{what} {name}"
        )
        self._desk.document.edit(text, job, merge)

    def remove(self) -> None:
        """Take what is picked off the model."""
        ids = self.ids()
        if not ids:
            return
        text = _tr("take {0} off the model").format(self.name(ids))
        self._pick(())
        self._desk.document.edit(text, removed(self._desk.job, ids))

    def copy(self) -> None:
        """Put what is picked on the clipboard."""
        ids = self.ids()
        if ids:
            put_part(part_of(self._desk.job, ids), self._desk.document.sources)
            self._desk.message.say(_tr("{0} is on the clipboard.").format(self.name(ids)), calm=True)

    def double(self) -> None:
        """Lay what is picked once more, a little beside."""
        ids = self.ids()
        if ids:
            self._join(_tr("lay {0} once more").format(self.name(ids)), part_of(self._desk.job, ids), True)

    def paste(self, job: Job) -> None:
        """Take in a part of a job, a little beside what lies in the same place."""
        if self._desk.job.base is None:
            self._desk.message.say(_tr("There is no model to lay it on yet; open one or make a body first."))
            return
        here = {(p.point, p.offset) for p in self._desk.job.placements} | {
            (a.point, a.offset) for a in self._desk.job.addons
        }
        there = {(p.point, p.offset) for p in job.placements} | {(a.point, a.offset) for a in job.addons}
        beside = bool(here & there)
        self._join(_tr("paste"), job, beside)

    def _join(self, text: str, part: Job, beside: bool) -> None:
        job, ids = joined(self._desk.job, part, (BESIDE, -BESIDE) if beside else (0.0, 0.0))
        self._desk.picked = ids
        first = next((p.id for p in job.placements if p.id in ids), "")
        if first:
            self._desk.placement = first
        self._desk.document.edit(text, job)

    def line_up(self, how: str) -> None:
        """Have what is picked on the face meet one line, or spread it with equal gaps.

        `how` as `alignment` takes it.
        """
        job, mine = self._desk.job, self._hands.mine()
        text = _tr("spread") if how.startswith("spread") else _tr("line up")
        for t, (dx, dy) in zip(mine, alignment([t.box() for t in mine], how), strict=True):
            job = posed(job, t.id, (round(t.offset[0] + dx, 4), round(t.offset[1] + dy, 4)), t.spin)
        self._desk.document.edit(text, job)

    def turn(self, by: float) -> None:
        """Turn each picked thing about its own middle."""
        wanted = [Posed(t.id, t.offset, (t.spin + by + 180) % 360 - 180) for t in self._hands.mine()]
        if wanted:
            self.pose(wanted, False)

    def centre(self) -> None:
        """Put what is picked in the middle of its face."""
        self.pose([Posed(t.id, (0.0, 0.0), t.spin) for t in self._hands.mine()], False)

    def mirror(self) -> None:
        """Mirror the picked graphics."""
        ids = self.ids()
        placements = tuple(
            replace(p, mirror=not p.mirror) if p.id in ids else p for p in self._desk.job.placements
        )
        self._desk.document.edit(_tr("mirror"), replace(self._desk.job, placements=placements))

    def reorder(self, id: str, by: int) -> None:
        """Place a graphic earlier or later."""
        self._desk.document.edit(_tr("change the order"), move_placement(self._desk.job, id, by))

    def fill_menu(self, menu: QMenu) -> None:
        """Entries for what is picked."""
        job, ids = self._desk.job, self.ids()
        graphics = [p for p in job.placements if p.id in ids]
        shown = self._hands.mine()
        if ids:
            menu.addSection(self.name(ids))
        if shown:
            menu.addAction(_tr("Centre on the face")).triggered.connect(lambda _=False: self.centre())
            menu.addAction(_tr("Turn a quarter to the left")).triggered.connect(
                lambda _=False: self.turn(90.0)
            )
            menu.addAction(_tr("Turn a quarter to the right")).triggered.connect(
                lambda _=False: self.turn(-90.0)
            )
        if graphics:
            menu.addAction(_tr("Mirror")).triggered.connect(lambda _=False: self.mirror())
        if len(graphics) == 1 and len(job.placements) > 1:
            for text, by in ((_tr("Place it earlier"), -1), (_tr("Place it later"), 1)):
                menu.addAction(text).triggered.connect(
                    partial(lambda id, by, _=False: self.reorder(id, by), graphics[0].id, by)
                )
        if ids:
            menu.addSeparator()
            menu.addAction(_tr("Lay once more\tCtrl+D")).triggered.connect(lambda _=False: self.double())
            menu.addAction(_tr("Copy\tCtrl+C")).triggered.connect(lambda _=False: self.copy())
        paste = menu.addAction(_tr("Paste\tCtrl+V"))
        allow(paste, "" if holds_part() else _tr("Nothing of a job is on the clipboard"))
        paste.triggered.connect(lambda _=False: self._desk.commands["paste"]())
        if ids:
            menu.addSeparator()
            menu.addAction(_tr("Take off the model\tDelete")).triggered.connect(lambda _=False: self.remove())


class SeveralCard(Card):
    """Shown while several things of a face are picked: lines them up and spreads them."""

    def __init__(self, actions: ThingActions) -> None:
        super().__init__(_tr("Several picked"), _tr("Line up by their"))
        self.setAccessibleName(_tr("Several picked"))
        lines = (
            ("left", _tr("left")),
            ("centre", _tr("centre")),
            ("right", _tr("right")),
            ("top", _tr("top")),
            ("middle", _tr("middle")),
            ("bottom", _tr("bottom")),
        )
        self.lines: dict[str, QWidget] = {}
        for key, text in lines:
            b = button(text, tip=_tr("Line up by their {0}").format(text))
            b.clicked.connect(partial(lambda k, _=False: actions.line_up(k), key))
            self.lines[key] = b
        buttons = list(self.lines.values())
        self.add_below(row(*buttons[:3], spacing=4))
        self.add_below(row(*buttons[3:], spacing=4))
        self.across = button(
            _tr("spread across"), "link", tip=_tr("Equal gaps from left to right; the outer two stay")
        )
        self.upright = button(
            _tr("spread upwards"), "link", tip=_tr("Equal gaps from bottom to top; the outer two stay")
        )
        self.across.clicked.connect(lambda: actions.line_up("spread x"))
        self.upright.clicked.connect(lambda: actions.line_up("spread y"))
        self.add_below(row(self.across, 1, self.upright))
        self.hide()

    def show_count(self, count: int) -> None:
        """Say how many are picked."""
        self.setVisible(count > 1)
        self.set_text(_tr("{0} picked").format(count), _tr("Line up by their"))
        for b in (self.across, self.upright):
            allow(b, "" if count > 2 else _tr("Pick three or more to spread them"))
