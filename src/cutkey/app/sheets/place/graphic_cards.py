"""The graphics on the model, a card each."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtWidgets import QApplication, QMenu, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.place.depth_card import depth_text
from cutkey.app.sheets.place.thing_actions import ThingActions
from cutkey.app.widgets.basics import Card, button, clear, context_menu, row
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.units import format_mm


def _tr(text: str) -> str:
    return QCoreApplication.translate("GraphicCards", text)


class GraphicCards(QWidget):
    """`pick` takes the ids that a click picks."""

    def __init__(self, desk: Desk, actions: ThingActions, pick: Callable[[tuple[str, ...]], None]) -> None:
        super().__init__()
        self._desk, self._actions, self._pick = desk, actions, pick
        self._state: object = None
        self._cards = QVBoxLayout(self)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(7)

    def show_graphics(self, shown: Placement | None) -> None:
        """Show what is placed; `shown` is the one whose fields are open."""
        # A drag changes nothing that the cards say.
        job, graphics = self._desk.job, self._desk.engine.graphics
        colours = {id: [c for c, _ in view.regions] for id, view in graphics.items()}
        placed = [(p.id, job.graphic(p.graphic), p.depths, colours.get(p.graphic)) for p in job.placements]
        state = (shown.id if shown else "", self._desk.picked, placed)
        if state == self._state:
            return
        self._state = state
        clear(self._cards)
        for p in job.placements:
            self._cards.addWidget(self._card(p, shown is not None and shown.id == p.id))

    def _card(self, p: Placement, shown: bool) -> Card:
        spec = self._desk.job.graphic(p.graphic)
        seen = self._desk.engine.graphics.get(spec.id)
        # The rule for every other colour is told only when there is another.
        used = [p.depth_of(c) for c, _ in seen.regions] if seen is not None else list(p.depths)
        depth = " · ".join(depth_text(Depth(m, mm)) for m, mm in sorted({(r.mode, r.mm) for r in used}))
        width = (
            seen.size[0] * spec.width_mm / seen.width_mm
            if seen is not None and seen.width_mm > 0
            else spec.width_mm
        )
        card = Card(spec.name, f"{format_mm(width)} mm, {depth}")
        picked = self._desk.picked
        card.set_state(picked=p.id in picked or (not picked and shown))
        card.clicked.connect(partial(self._clicked, p.id))
        card.context = partial(self._menu, p.id)
        if shown and len(self._desk.job.placements) > 1:
            tip = _tr("What is placed later cuts into what is there")
            earlier, later = (button(text, "link", tip=tip) for text in (_tr("earlier"), _tr("later")))
            earlier.clicked.connect(lambda: self._actions.reorder(p.id, -1))
            later.clicked.connect(lambda: self._actions.reorder(p.id, 1))
            card.add_below(row(earlier, later, 1))
        return card

    def _clicked(self, id: str) -> None:
        more = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._pick((*(i for i in self._desk.picked if i != id), id) if more else (id,))

    def _menu(self, id: str) -> QMenu:
        if id not in self._desk.picked:
            self._pick((id,))
        menu = context_menu(self)
        self._actions.fill_menu(menu)
        return menu
