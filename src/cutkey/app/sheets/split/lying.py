"""The beds page of the Split sheet.

Pieces are dragged from bed to bed, and each says which side it lies on, and why.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QScrollArea, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.widgets.basics import Choice, allow, button, context_menu, label, row
from cutkey.app.widgets.bed_loads import BedLoads
from cutkey.core.kit.bed import Spot
from cutkey.core.model.job import Job
from cutkey.core.model.lying import Lay, Put
from cutkey.worker.shown_kit import KitView, UnitView

#: How nearly a face that is clicked is one that a section can lie on, as a cosine.
_SAME = 0.999


class Lying(QWidget):
    """Beds, and beside them what is said of the picked piece."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._kit: KitView | None = None
        self.loads = BedLoads(editable=True)
        self.loads.picked.connect(lambda _: self._show_piece())
        self.loads.put.connect(self._put)
        self.loads.asked.connect(self._ask)
        self.title = label("", "caption")
        self.sides = Choice(
            self.tr("Side on the bed"),
            self.tr("The best first; or click a face with the right button and lay that down"),
        )
        self.sides.activated.connect(lambda n: self._lay(self._unit(), n))
        self.why = label("", "small", wrap=True)
        self.turn = button(self.tr("turn"), tip=self.tr("By a quarter, where it lies"))
        self.turn.clicked.connect(self._turn)
        self.anew = button(self.tr("lay all anew"), tip=self.tr("Give all places back to the program"))
        self.anew.clicked.connect(self._lay_anew)
        inside = QWidget()
        lines = QVBoxLayout(inside)
        lines.setContentsMargins(0, 30, 10, 4)
        lines.setSpacing(5)
        for w in (self.title, self.sides, self.why):
            lines.addWidget(w)
        lines.addLayout(row(self.turn, self.anew))
        lines.addStretch(1)
        self._beside = QScrollArea()
        self._beside.setWidget(inside)
        self._beside.setWidgetResizable(True)
        self._beside.setFixedWidth(236)
        self._beside.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.loads, 1)
        layout.addWidget(self._beside)

    def show_kit(self, kit: KitView | None) -> None:
        """Show the beds of a kit; the picked piece stays picked."""
        name = unit.name if (unit := self._unit()) is not None else ""
        self._kit = kit
        self.loads.show_kit(kit, self._desk.job.printer)
        same = self.loads.numbers_of(name)
        if self.loads.chosen not in same:
            self.loads.chosen = same[0] if same else -1
        self._show_piece()

    def pick(self, name: str) -> None:
        """Pick a unit by its name, where there is one."""
        self.loads.pick(next(iter(self.loads.numbers_of(name)), -1))

    def _unit(self) -> UnitView | None:
        """What is picked."""
        kit, n = self._kit, self.loads.chosen
        return kit.units[kit.spots[n].unit] if kit is not None and 0 <= n < len(kit.spots) else None

    def _show_piece(self) -> None:
        unit, kit = self._unit(), self._kit
        self._beside.setVisible(unit is not None)
        if unit is None or kit is None:
            return
        self.title.setText(self.tr("{0} on bed {1}").format(unit.name, kit.spots[self.loads.chosen].load + 1))
        lies = unit.lies
        self.sides.clear()
        for side in lies.sides if lies is not None else ():
            self.sides.addItem(self.tr(side.name) + ("" if side.good else self.tr(" (not well)")))
            self.sides.setItemData(
                self.sides.count() - 1, ", ".join(map(str, side.reasons)), Qt.ItemDataRole.ToolTipRole
            )
        self.sides.setVisible(lies is not None)
        self.why.setVisible(lies is not None)
        if lies is not None:
            self.sides.setCurrentIndex(lies.chosen)
            allow(self.sides, lies.fixed)
            who = self.tr("Chosen by you") if lies.by_hand else self.tr("Proposed")
            self.why.setText(
                f"{who}: {', '.join(map(str, lies.sides[lies.chosen].reasons))}."
                + (f" {lies.fixed}." if lies.fixed else "")
            )
        by_hand = self._desk.job.puts or self._desk.job.lays
        allow(self.anew, "" if by_hand else self.tr("Nothing was laid by hand"))

    # -- edits
    def _ask(self, number: int, place: QPoint) -> None:
        """The menu of a piece."""
        menu = context_menu(self)
        unit = self._unit()
        menu.addAction(self.tr("Turn by a quarter")).triggered.connect(lambda _=False: self._turn())
        if unit is not None and unit.lies is not None:
            below = menu.addMenu(self.tr("Lie on another side"))
            allow(below.menuAction(), unit.lies.fixed)
            for n, side in enumerate(unit.lies.sides):
                below.addAction(self.tr(side.name)).triggered.connect(
                    lambda _=False, n=n: self._lay(self._unit(), n)
                )
        menu.addAction(self.tr("Lay all anew")).triggered.connect(lambda _=False: self._lay_anew())
        menu.popup(place)

    def add_to(self, menu: QMenu, hit: Any) -> None:
        """Entries for the face that was clicked on the stage."""
        kit = self._kit
        if kit is None or hit is None or self._desk.engine.nearest != "kit":
            return
        unit = next(
            (u for u in kit.units if u.lies is not None and any(p[0] == hit.key for p in u.pieces)), None
        )
        if unit is None or unit.lies is None:
            return
        n = next((n for n, s in enumerate(unit.lies.sides) if _same(s.down, hit.normal)), None)
        action = menu.addAction(self.tr("Print {0} with this face on the bed").format(unit.name))
        allow(
            action,
            unit.lies.fixed
            or ("" if n is not None else self.tr("{0} cannot rest on this face").format(unit.name)),
        )
        if n is not None:
            action.triggered.connect(lambda _=False: self._lay(unit, n))
        menu.addSeparator()

    def _lay(self, unit: UnitView | None, number: int) -> None:
        """Lay a section on one of its sides; the one that is proposed is no choice by hand."""
        if unit is None or unit.lies is None or not 0 <= number < len(unit.lies.sides):
            return
        job, side = self._desk.job, unit.lies.sides[number]
        others = tuple(lay for lay in job.lays if lay.unit != unit.name)
        text = self.tr("lay {0} {1}").format(unit.name, self.tr(side.name))
        self._edit(
            text, replace(job, lays=(*others, Lay(unit.name, side.down)), puts=_without(job.puts, unit.name))
        )

    def _lay_anew(self) -> None:
        self._edit(self.tr("lay all anew"), replace(self._desk.job, lays=(), puts=()))

    def _turn(self) -> None:
        if self._unit() is not None:
            self._put(self.loads.chosen, self.loads.turned(self.loads.chosen))

    def _put(self, number: int, at: Spot) -> None:
        """Leave a piece at a place; all others stay where they are."""
        kit = self._kit
        if kit is None:
            return
        why_not = self.loads.why_not(number, at)
        if why_not:
            self._desk.message.say(why_not, calm=True)
            return
        count: dict[str, int] = {}
        puts = []
        for n, old in enumerate(kit.spots):
            spot, name = at if n == number else old, kit.units[old.unit].name
            count[name] = count.get(name, -1) + 1
            if spot.fits:
                puts.append(
                    Put(
                        name,
                        count[name],
                        spot.load,
                        round(float(spot.x), 4),
                        round(float(spot.y), 4),
                        float(spot.angle),
                    )
                )
        self._edit(
            self.tr("put {0} on bed {1}").format(kit.units[at.unit].name, at.load + 1),
            replace(self._desk.job, puts=tuple(puts)),
        )

    def _edit(self, text: str, job: Job) -> None:
        if job != self._desk.job:
            self._desk.document.edit(text, job)


def _without(puts: Sequence[Put], unit: str) -> tuple[Put, ...]:
    return tuple(p for p in puts if p.unit != unit)


def _same(a: Any, b: Any) -> bool:
    return float(sum(x * y for x, y in zip(a, b, strict=True))) > _SAME
