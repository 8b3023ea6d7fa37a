"""The bodies of an opened model that has several: hidden for a look, taken away, coloured."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QMenu, QWidget

from cutkey.app.widgets.basics import Card, Swatch, button, clear, column, context_menu, row
from cutkey.app.widgets.fold import Fold
from cutkey.core.model.body_rule import BodyRule
from cutkey.core.units import format_size
from cutkey.worker.shown import ModelBodyView


def _tr(text: str) -> str:
    return QCoreApplication.translate("BodiesCard", text)


class BodiesCard(Fold):
    """`decide` takes what was done and all rules; `looked` is called when a body is hidden or shown."""

    def __init__(
        self, decide: Callable[[str, tuple[BodyRule, ...]], None], looked: Callable[[], None]
    ) -> None:
        super().__init__("place.bodies", _tr("Bodies of the model"))
        self._decide, self._looked = decide, looked
        self._bodies: tuple[ModelBodyView, ...] = ()
        self._state: object = None
        self.hidden: set[str] = set()
        holder, self.cards = column(5)
        self.add(holder)

    def show_bodies(self, bodies: Sequence[ModelBodyView]) -> None:
        """Show the bodies; nothing of a model that is one."""
        if [(b.name, b.rule.volume) for b in bodies] != [(b.name, b.rule.volume) for b in self._bodies]:
            # Of another model: what was hidden of the one before says nothing of this one.
            self.hidden.clear()
        self._bodies = tuple(bodies)
        self.setVisible(bool(bodies))
        state = ([(b.name, b.rule, b.shown, b.size) for b in bodies], frozenset(self.hidden))
        if state == self._state:
            return
        self._state = state
        clear(self.cards)
        for body in bodies:
            self.cards.addWidget(self._card(body))

    def seen(self) -> list[ModelBodyView]:
        """The bodies that are looked at while some are hidden; nothing when none is."""
        return (
            [b for b in self._bodies if b.name not in self.hidden and not b.rule.away] if self.hidden else []
        )

    def _card(self, body: ModelBodyView) -> Card:
        away, hidden = body.rule.away, body.name in self.hidden
        text = _tr("taken away") if away else _tr("hidden") if hidden else format_size(body.size, 1) + " mm"
        card = Card(body.name, text, Swatch(body.shown, 18) if body.shown else None)
        hide = button(
            _tr("show") if hidden else _tr("hide"),
            "link",
            tip=_tr("Only for a look: to reach what lies behind it"),
        )
        hide.clicked.connect(partial(self._hide, body.name))
        hide.setVisible(not away)
        take = button(
            _tr("put back") if away else _tr("take away"), "link", tip=_tr("Out of the design, and back")
        )
        take.clicked.connect(partial(self._take, body))
        colour = button(_tr("colour…"), "link", tip=_tr("Print it with the filament nearest to a colour"))
        colour.clicked.connect(partial(self._colour, body))
        colour.setVisible(not away)
        card.add_below(row(hide, take, colour, 1, spacing=4))
        card.context = partial(self._menu, body)
        return card

    def _menu(self, body: ModelBodyView) -> QMenu:
        menu = context_menu(self)
        hidden = body.name in self.hidden
        menu.addAction(_tr("Show it") if hidden else _tr("Hide it")).triggered.connect(
            lambda _=False: self._hide(body.name)
        )
        only = menu.addAction(_tr("Hide all others"))
        only.triggered.connect(lambda _=False: self._only(body.name))
        menu.addAction(_tr("Put it back") if body.rule.away else _tr("Take it away")).triggered.connect(
            lambda _=False: self._take(body)
        )
        if body.rule.colour:
            menu.addAction(_tr("As the model has it")).triggered.connect(
                lambda _=False: self._set_colour(body, "")
            )
        return menu

    def _hide(self, name: str, _checked: bool = False) -> None:
        self.hidden ^= {name}
        self.show_bodies(self._bodies)
        self._looked()

    def _only(self, name: str) -> None:
        self.hidden = {b.name for b in self._bodies if b.name != name}
        self.show_bodies(self._bodies)
        self._looked()

    def _take(self, body: ModelBodyView, _checked: bool = False) -> None:
        text = _tr("put {0} back") if body.rule.away else _tr("take {0} away")
        self._rule(text.format(body.name), body, replace(body.rule, away=not body.rule.away))

    def _colour(self, body: ModelBodyView, _checked: bool = False) -> None:
        window: QWidget = self.window()
        option = QColorDialog.ColorDialogOption.DontUseNativeDialog
        chosen = QColorDialog.getColor(
            QColor(body.shown or "#808080"), window, _tr("Colour of {0}").format(body.name), option
        )
        if chosen.isValid():
            self._set_colour(body, chosen.name())

    def _set_colour(self, body: ModelBodyView, colour: str) -> None:
        self._rule(_tr("colour {0}").format(body.name), body, replace(body.rule, colour=colour))

    def _rule(self, text: str, body: ModelBodyView, rule: BodyRule) -> None:
        rules = [rule if b.name == body.name else b.rule for b in self._bodies]
        self._decide(text, tuple(r for r in rules if r.away or r.colour))
