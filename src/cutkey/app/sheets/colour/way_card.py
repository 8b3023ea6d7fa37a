"""The way of colour, what the plan by height may do, and what each way costs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QGridLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.colour.assignment_card import way_names
from cutkey.app.widgets.basics import Card, Segments, button, clear, column, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model.colouring import Choice, Cost, Heights, Help, Offer
from cutkey.core.model.edits import assign
from cutkey.core.units import format_mm
from cutkey.worker.shown import InlayView
from cutkey.worker.shown_kit import CostsView


def _tr(text: str) -> str:
    return QCoreApplication.translate("WayCard", text)


class WayCard(Card):
    """Bodies, heights or inlays; under it the settings, and what they come to."""

    def __init__(self, desk: Desk, lifted: Callable[[], None]) -> None:
        super().__init__(_tr("Way of colour"), "")
        self._desk = desk
        self.way = Segments(
            _tr("Way of colour"),
            (
                (
                    "bodies",
                    _tr("as bodies"),
                    _tr("Several filaments at once: each colour is a body of its own"),
                ),
                (
                    "heights",
                    _tr("by height"),
                    _tr("One nozzle: the filament is changed at layers, and every layer has one colour"),
                ),
                (
                    "inlays",
                    _tr("inlays"),
                    _tr("Pockets in the model, and pieces that are printed by themselves and put in"),
                ),
            ),
        )
        self.way.chosen.connect(
            lambda way: self._set(_tr("print colours: {0}").format(self.way.button(way).text()), way=way)
        )
        self.add_below(self.way)
        self.numbers: dict[str, NumberField] = {}
        self._rows: list[QWidget] = []
        for key, name, unit, high, step, tip in (
            (
                "travel",
                _tr("May differ by"),
                "mm",
                100,
                0.2,
                _tr("How far a height may come to lie from what was asked on the Place sheet"),
            ),
            (
                "cover",
                _tr("Layers to cover"),
                "",
                50,
                1,
                _tr(
                    "Layers of a colour at least, so that what is under it does not show: pale over dark"
                    " wants more"
                ),
            ),
            (
                "returns",
                _tr("May come back"),
                "",
                6,
                1,
                _tr("How often a colour may be printed a second time, for one change more"),
            ),
            ("play", _tr("Play a side"), "mm", 5, 0.05, _tr("Between an inlay and the wall of its pocket")),
            (
                "deeper",
                _tr("Deeper by"),
                "mm",
                5,
                0.05,
                _tr(
                    "A pocket is so much deeper than its inlay is thick, so that it does not stand out; glue"
                    " takes it up"
                ),
            ),
            (
                "seat",
                _tr("Let in by"),
                "mm",
                100,
                0.2,
                _tr(
                    "How deep inlays that stand up sit in the model; flush ones are as thick as they were"
                    " asked to be"
                ),
            ),
            (
                "lead",
                _tr("Lower edge off"),
                "mm",
                5,
                0.2,
                _tr("What is taken off the lower edge, so that an inlay finds its pocket"),
            ),
            (
                "flush",
                _tr("Flushed out"),
                "mm³",
                10_000,
                10,
                _tr("What your printer flushes out at a change"),
            ),
        ):
            field = NumberField(name, unit, 1 if key == "cover" else 0, high, step, 2, tip)
            field.committed.connect(lambda v, key=key: self._number(key, v, False))
            field.stepped.connect(lambda v, key=key: self._number(key, v, True))
            holder = QWidget()
            holder.setLayout(field_row(name, field, tip))
            self.numbers[key] = field
            self._rows.append(holder)
            self.add_below(holder)
        self.plan = label("", "small", wrap=True)
        self.add_below(self.plan)
        self.trouble = label("", "warn", wrap=True)
        self.add_below(self.trouble)
        self.helps, self._help_rows = column()
        self.add_below(self.helps)
        self.down = QCheckBox(_tr("print face down"))
        self.down.setToolTip(
            _tr(
                "The sections lie on the bed with what is their top now: smooth there, and layers count from"
                " the face"
            )
        )
        self.down.toggled.connect(self._turn)
        self.add_below(self.down)
        self.numbered = QCheckBox(_tr("number inlays and pockets"))
        self.numbered.setToolTip(
            _tr("Engraved under each inlay and in the floor of its pocket, where there is room")
        )
        self.numbered.toggled.connect(lambda on: self._set(_tr("number the inlays"), numbered=on))
        self.add_below(self.numbered)
        self.lift = QCheckBox(_tr("lift the inlays out"))
        self.lift.setToolTip(_tr("To see the pockets, and which piece goes where"))
        self.lift.toggled.connect(lambda _: lifted())
        self.add_below(self.lift)
        self.free = button(_tr("let the planner set all changes"), "link")
        self.free.clicked.connect(lambda: self._set(_tr("free the changes"), rungs=()))
        self.add_below(self.free)

    def refresh(self, heights: Heights | None, inlays: Sequence[InlayView], trouble: str) -> None:
        """Show the settings, and what they come to."""
        c = self._desk.job.colouring
        self.way.set_choice(c.way)
        by_height, let_in = c.uses("heights"), c.uses("inlays")
        shown = (
            *(("travel", "cover", "returns") if by_height else ()),
            *(("play", "deeper", "seat", "lead") if let_in else ()),
        )
        shown += ("flush",) if c.way != "inlays" else ()
        with QSignalBlocker(self.down), QSignalBlocker(self.numbered):
            self.down.setChecked(c.face_down)
            self.numbered.setChecked(c.numbered)
        self.numbered.setVisible(let_in)
        for key, holder in zip(self.numbers, self._rows, strict=True):
            self.numbers[key].set_value(float(getattr(c, key)))
            holder.setVisible(key in shown)
        self.free.setVisible(by_height and bool(c.rungs))
        self.lift.setVisible(let_in and bool(inlays))
        self.show_plan(heights if by_height else None)
        if let_in:
            told = [t for t in (self.trouble.text(), trouble) if t]
            self.trouble.setText("\n".join(told))
            self.trouble.setVisible(bool(told))
            count = _tr("1 inlay") if len(inlays) == 1 else _tr("{0} inlays").format(len(inlays))
            lines = [t for t in (self.plan.text(), count if inlays else "") if t]
            self.plan.setText("\n".join(lines))
            self.plan.setVisible(bool(lines))

    def show_plan(self, heights: Heights | None) -> None:
        """What a plan comes to."""
        self.trouble.setText(str(heights.trouble or "") if heights else "")
        self.trouble.setVisible(bool(heights and heights.trouble))
        clear(self._help_rows)
        for h in heights.helps if heights else ():
            do = button(_tr("do"), "link", tip=_tr("{0}: one undo step").format(str(h.says)))
            do.clicked.connect(lambda _=False, h=h: self._help(h))
            self._help_rows.addLayout(row(label(str(h.says), "small", wrap=True), do))
        lines = []
        if heights and heights.stripes:
            lines.append(
                _tr("1 change") if heights.changes == 1 else _tr("{0} changes").format(heights.changes)
            )
            lines += [
                _tr("{0}: {1} instead of {2}").format(
                    t.name, _relief(t.gets - t.face), _relief(t.asked - t.face)
                )
                for t in heights.tops
                if t.placement and abs(t.gets - t.asked) > 1e-6
            ]
            lines += [_choice(c) for c in heights.choices if c.changes > heights.changes]
            lines += map(str, heights.notes)
        self.plan.setText("\n".join(lines))
        self.plan.setVisible(bool(lines))

    def _help(self, h: Help) -> None:
        self._desk.document.edit(str(h.says), replace(self._desk.job, colouring=h.colouring))

    def _turn(self, on: bool) -> None:
        if on != self._desk.job.colouring.face_down:
            # What was set from one side means nothing from the other.
            self._set(_tr("print face down") if on else _tr("print face up"), face_down=on, rungs=())

    def _number(self, key: str, value: float, merge: bool) -> None:
        whole: Any = int(value) if key in ("cover", "returns") else value
        self._set(_tr("change the plan by height"), merge, **{key: whole})

    def _set(self, text: str, merge: bool = False, **changes: Any) -> None:
        job = self._desk.job
        self._desk.document.edit(text, replace(job, colouring=replace(job.colouring, **changes)), merge)


def _relief(mm: float) -> str:
    """How a region lies to its face, in words."""
    if abs(mm) < 1e-6:
        return _tr("flush")
    return (_tr("{0} mm up") if mm > 0 else _tr("{0} mm deep")).format(format_mm(abs(mm), 2))


def _choice(c: Choice) -> str:
    return _tr(
        "With {0} changes nothing would be off by more than {1} mm: let a colour come back {2} times."
    ).format(c.changes, format_mm(c.off, 2), c.returns)


class CostsCard(Card):
    """The ways side by side."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(_tr("What it costs"), "")
        self._desk = desk
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(3)
        inside = QWidget()
        inside.setLayout(self._grid)
        self.add_below(inside)
        self.more = Card(_tr("More filaments than are loaded"), "")
        holder, self._offers = column()
        self.more.add_below(holder)
        self.more.setVisible(False)
        self._for: object = None
        self.costs: list[Cost] = []

    def refresh(self) -> None:
        """Ask what the ways cost, once for a kit."""
        kit = self._desk.engine.kit
        if kit is None or not self._desk.engine.current("kit"):
            if kit is None:
                self._show([])
            return
        if kit is not self._for:
            self._for = kit
            self._desk.engine.look(self._desk.job, "costs", self._found)

    def _found(self, found: CostsView | None) -> None:
        self._show(found.costs if found is not None else [])
        clear(self._offers)
        for offer in found.offers if found is not None else []:
            do = button(_tr("do"), "link", tip=_tr("{0}: one undo step").format(str(offer.says)))
            do.clicked.connect(lambda _=False, o=offer: self._take(o))
            self._offers.addLayout(row(label(str(offer.says), "small", wrap=True), do))
        self.more.setVisible(bool(found is not None and found.offers))

    def _take(self, offer: Offer) -> None:
        job = replace(self._desk.job, colouring=offer.colouring)
        for colour, filament in offer.filaments.items():
            job = assign(job, colour, filament)
        self._desk.document.edit(str(offer.says), job)

    def _show(self, costs: list[Cost]) -> None:
        self.costs = costs
        clear(self._grid)
        self.setVisible(bool(costs))
        names = {
            "bodies": _tr("bodies"),
            "heights": _tr("height"),
            "inlays": _tr("inlays"),
            "mixed": _tr("as set"),
        }
        rows: list[tuple[str, list[str]]] = [
            ("", [names[c.way] for c in costs]),
            (_tr("changes"), [str(c.changes) for c in costs]),
            (_tr("filaments"), [str(c.filaments) for c in costs]),
            (_tr("flushed out"), [_tr("{0} g").format(format_mm(c.flushed, 1)) for c in costs]),
            (_tr("printed"), [_tr("{0} g").format(format_mm(c.grams, 0)) for c in costs]),
            (_tr("to be put in"), [str(c.pieces) for c in costs]),
            (_tr("heights off by"), [_tr("{0} mm").format(format_mm(c.moved, 2)) for c in costs]),
        ]
        if any(s.price for c in costs for s in c.spools):
            rows.append((_tr("price"), [format_mm(sum(s.price for s in c.spools), 2) for c in costs]))
        for y, (name, cells) in enumerate(rows):
            self._grid.addWidget(label(name, "small"), y, 0)
            for x, cell in enumerate(cells, 1):
                self._grid.addWidget(label(cell, "small" if y else "caption"), y, x)
        missing = [name for way, name in way_names().items() if way not in {c.way for c in costs}]
        if costs and missing:
            text = _tr("not possible for this design: {0}").format(", ".join(missing))
            self._grid.addWidget(label(text, "small", wrap=True), len(rows), 0, 1, 4)
