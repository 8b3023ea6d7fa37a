"""The add-ons of the body: a card each, the picked one with its fields."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from cutkey.app.place.copies_card import CopiesCard
from cutkey.app.place.wording import feature_entries, feature_name, feature_tip
from cutkey.app.widgets.basics import Card, button, clear
from cutkey.app.widgets.struct_form import Entry, StructForm
from cutkey.core.relief import features as f
from cutkey.core.relief.placement import Copies
from cutkey.core.units import format_mm

AddOns = tuple[f.AddOn, ...]


class _Place(msgspec.Struct, frozen=True):
    """Where an add-on lies on its face, as the form shows it."""

    right: float
    up: float
    spin: float

    @staticmethod
    def of(addon: f.AddOn) -> _Place:
        return _Place(addon.offset[0], addon.offset[1], addon.spin)


KINDS: tuple[f.Feature, ...] = (f.Hole(), f.ScrewHole(), f.Loop(), f.Magnet(), f.Border(), f.Hollow(), f.Channel(), f.Half())


def _tr(text: str) -> str:
    return QCoreApplication.translate("AddOnList", text)


def _place_entries() -> tuple[Entry, ...]:
    middle = _tr("From the middle of the face")
    return (
        Entry("right", _tr("Right by"), low=-5000, tip=middle),
        Entry("up", _tr("Up by"), low=-5000, tip=middle),
        Entry("spin", _tr("Spin"), "°", -360, 360),
    )


class AddOnList(QWidget):
    """Cards of add-ons and the button that arms a new one.

    `changed` takes what was done, the add-ons, and whether it goes on; `pick` an id, or "" to close what is open.
    """

    def __init__(self, changed: Callable[[str, AddOns, bool], None], arm: Callable[[f.Feature], None], pick: Callable[[str], None]) -> None:
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
        self.add = button(_tr("+ add-on"), "add", tip=_tr("Holes, pockets, rims; then click the face on the stage"))
        menu = QMenu(self.add)
        self.fill_kinds(menu, arm)
        self.add.setMenu(menu)
        layout.addWidget(self.add)

    @staticmethod
    def fill_kinds(menu: QMenu, act: Callable[[f.Feature], None]) -> None:
        """An entry for every kind of add-on."""
        for kind in KINDS:
            action = menu.addAction(feature_name(kind))
            action.setToolTip(feature_tip(kind))
            action.triggered.connect(lambda _=False, kind=kind: act(kind))
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
            self._form.show_value(open_.feature, feature_entries(open_.feature))
            if self._place is not None and self._copies is not None:
                self._place.show_value(_Place.of(open_), _place_entries())
                self._copies.show_copies(open_.copies)

    def _summary(self, addon: f.AddOn) -> str:
        feature = addon.feature
        if isinstance(feature, f.Hole):
            text = _tr("{0} mm").format(format_mm(feature.diameter))
        elif isinstance(feature, f.ScrewHole):
            text = feature.size
        elif isinstance(feature, f.Magnet):
            across = format_mm(feature.width) + (f" × {format_mm(feature.length)}" if feature.length else "")
            text = _tr("{0} × {1} mm").format(across, format_mm(feature.height))
        elif isinstance(feature, f.Border):
            text = _tr("{0} wide, {1} high").format(format_mm(feature.width), format_mm(feature.height))
        elif isinstance(feature, f.Hollow):
            text = _tr("walls {0}, floor {1}").format(format_mm(feature.wall), format_mm(feature.floor))
        elif isinstance(feature, f.Channel):
            text = _tr("{0} wide, {1} deep").format(format_mm(feature.width), format_mm(feature.depth))
        elif isinstance(feature, f.Loop):
            text = _tr("hole {0} mm").format(format_mm(feature.hole))
        else:
            text = _tr(feature.keep)
        kinds = {"grid": _tr("in rows"), "ring": _tr("in a ring"), "pair": _tr("a mirrored pair")}
        return f"{text}, {kinds[addon.copies.kind]}" if addon.copies.kind in kinds else text

    def _build(self) -> None:
        clear(self.cards)
        self._form = self._place = self._copies = None
        for addon in self._addons:
            card = Card(feature_name(addon.feature), self._summary(addon))
            picked = addon.id == self._picked
            card.clicked.connect(lambda id="" if picked else addon.id: self._pick(id))
            card.set_state(picked=picked)
            if picked:
                self._form = StructForm(partial(self._set_feature, addon.id))
                card.add_below(self._form)
                if not isinstance(addon.feature, f.Border | f.Hollow | f.Half):
                    self._place = StructForm(partial(self._set_place, addon.id))
                    self._copies = CopiesCard(partial(self._set_copies, addon.id))
                    card.add_below(self._place)
                    card.add_below(self._copies)
                gone = button(_tr("remove"), "link")
                gone.clicked.connect(lambda _=False, id=addon.id: self._remove(id))
                card.add_below(gone)
            self.cards.addWidget(card)

    def _set_feature(self, id: str, feature: f.Feature, merge: bool) -> None:
        self._change(id, merge, feature=feature)

    def _set_place(self, id: str, place: _Place, merge: bool) -> None:
        self._change(id, merge, offset=(place.right, place.up), spin=place.spin)

    def _set_copies(self, id: str, copies: Copies, merge: bool) -> None:
        self._change(id, merge, copies=copies)

    def _change(self, id: str, merge: bool, **changes: object) -> None:
        addons = tuple(replace(a, **changes) if a.id == id else a for a in self._addons)
        self._addons = addons
        name = next(feature_name(a.feature) for a in addons if a.id == id)
        self._changed(_tr("change {0}").format(name.lower()), addons, merge)

    def _remove(self, id: str) -> None:
        name = next(feature_name(a.feature) for a in self._addons if a.id == id)
        self._changed(_tr("remove {0}").format(name.lower()), tuple(a for a in self._addons if a.id != id), False)
