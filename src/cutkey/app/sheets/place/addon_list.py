"""The add-ons of the body: a card each, the picked one with its fields."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from cutkey.app.sheets.place.copies_card import CopiesCard
from cutkey.app.widgets.basics import Card, button, clear
from cutkey.app.widgets.struct_form import StructForm, said
from cutkey.core.addons import all_features
from cutkey.core.addons.kind import Feature
from cutkey.core.fields import LONG, fields_of, number
from cutkey.core.model.addon import AddOn
from cutkey.core.model.placement import Copies

AddOns = tuple[AddOn, ...]


_MIDDLE = "From the middle of the face"


class _Place(msgspec.Struct, frozen=True):
    """Where an add-on lies on its face, as the form shows it."""

    right: Annotated[float, number(-LONG, LONG, "Right by", _MIDDLE, "mm", low=-5000.0, high=5000.0)]
    up: Annotated[float, number(-LONG, LONG, "Up by", _MIDDLE, "mm", low=-5000.0, high=5000.0)]
    spin: Annotated[float, number(-360, 360, "Spin", unit="°")]

    @staticmethod
    def of(addon: AddOn) -> _Place:
        return _Place(addon.offset[0], addon.offset[1], addon.spin)


def _tr(text: str) -> str:
    return QCoreApplication.translate("AddOnList", text)


class AddOnList(QWidget):
    """Cards of add-ons and the button that arms a new one.

    `changed` takes what was done, the add-ons, and whether it goes on; `pick` an id, or "" to close what is
    open.
    """

    def __init__(
        self,
        changed: Callable[[str, AddOns, bool], None],
        arm: Callable[[Feature], None],
        pick: Callable[[str], None],
    ) -> None:
        super().__init__()
        self._changed, self._pick = changed, pick
        self._addons: AddOns = ()
        self._shown: tuple[object, ...] = ()
        self._picked = ""
        self._form: StructForm | None = None
        self._place: StructForm | None = None
        self._copies: CopiesCard | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        self.cards = QVBoxLayout()
        self.cards.setSpacing(7)
        layout.addLayout(self.cards)
        self.add = button(
            _tr("+ add-on"), "add", tip=_tr("Holes, pockets, rims; then click the face on the stage")
        )
        menu = QMenu(self.add)
        self.fill_kinds(menu, arm)
        self.add.setMenu(menu)
        layout.addWidget(self.add)

    @staticmethod
    def fill_kinds(menu: QMenu, act: Callable[[Feature], None]) -> None:
        """An entry for every kind of add-on."""
        for kind in all_features():
            action = menu.addAction(said(kind.title))
            action.setToolTip(said(kind.tip))
            action.triggered.connect(lambda _=False, kind=kind: act(kind()))
        menu.setToolTipsVisible(True)

    def show_addons(self, addons: AddOns, picked: str) -> None:
        """Show the job's add-ons, the picked one open."""
        self._addons, self._picked = addons, picked
        state = (tuple((a.id, type(a.feature), a.offset, self._summary(a)) for a in addons), self._picked)
        if state != self._shown:
            self._shown = state
            self._build()
        open_ = next((a for a in addons if a.id == self._picked), None)
        if open_ is not None and self._form is not None:
            self._form.show_value(open_.feature, fields_of(type(open_.feature)))
            if self._place is not None and self._copies is not None:
                self._place.show_value(_Place.of(open_), fields_of(_Place))
                self._copies.show_copies(open_.copies)

    def _summary(self, addon: AddOn) -> str:
        text = said(addon.feature.summary())
        kinds = {"grid": _tr("in rows"), "ring": _tr("in a ring"), "pair": _tr("a mirrored pair")}
        return f"{text}, {kinds[addon.copies.kind]}" if addon.copies.kind in kinds else text

    def _build(self) -> None:
        clear(self.cards)
        self._form = self._place = self._copies = None
        for addon in self._addons:
            card = Card(said(addon.feature.title), self._summary(addon))
            picked = addon.id == self._picked
            card.clicked.connect(lambda id="" if picked else addon.id: self._pick(id))
            card.set_state(picked=picked)
            if picked:
                self._form = StructForm(partial(self._set_feature, addon.id))
                card.add_below(self._form)
                if not addon.feature.whole_face:
                    self._place = StructForm(partial(self._set_place, addon.id))
                    self._copies = CopiesCard(partial(self._set_copies, addon.id))
                    card.add_below(self._place)
                    card.add_below(self._copies)
                gone = button(_tr("remove"), "link")
                gone.clicked.connect(lambda _=False, id=addon.id: self._remove(id))
                card.add_below(gone)
            self.cards.addWidget(card)

    def _set_feature(self, id: str, feature: Feature, merge: bool) -> None:
        self._change(id, merge, feature=feature)

    def _set_place(self, id: str, place: _Place, merge: bool) -> None:
        self._change(id, merge, offset=(place.right, place.up), spin=place.spin)

    def _set_copies(self, id: str, copies: Copies, merge: bool) -> None:
        self._change(id, merge, copies=copies)

    def _change(self, id: str, merge: bool, **changes: object) -> None:
        addons = tuple(replace(a, **changes) if a.id == id else a for a in self._addons)
        self._addons = addons
        name = next(said(a.feature.title) for a in addons if a.id == id)
        self._changed(_tr("change {0}").format(name.lower()), addons, merge)

    def _remove(self, id: str) -> None:
        name = next(said(a.feature.title) for a in self._addons if a.id == id)
        self._changed(
            _tr("remove {0}").format(name.lower()), tuple(a for a in self._addons if a.id != id), False
        )
