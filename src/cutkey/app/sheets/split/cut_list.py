"""The cuts, one card each; the picked one with everything that can be changed about it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QApplication, QCheckBox, QMenu, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, Choice, allow, button, clear, context_menu, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.app.widgets.struct_form import said
from cutkey.core.keys import all_keys, key_kind, seam_forms
from cutkey.core.model.cuts import Cut
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import KitView


class CutList(QWidget):
    """Cards of the cuts.

    Parameters
    ----------
    picked, changed, removed, limited : callable
        Take the number of a cut; `changed` also the new cut, and whether the change goes on; `limited` the
        name of a section, or "".
    """

    def __init__(
        self,
        picked: Callable[[int], None],
        changed: Callable[[int, Cut, bool], None],
        removed: Callable[[int], None],
        limited: Callable[[int, str], None],
    ) -> None:
        super().__init__()
        self._pick, self._change, self._remove, self._limit = picked, changed, removed, limited
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        self._cuts: Sequence[Cut] = ()
        self._number = -1
        self._cards: list[Card] = []
        self._shown: list[tuple[int, bool, bool, bool]] = []
        self._span: tuple[Sequence[float], Sequence[float]] | None = None
        self._form = self._build_form()
        self._form.hide()

    def _build_form(self) -> QWidget:
        holder = QWidget(self)
        form = QVBoxLayout(holder)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(5)
        self.fields: dict[str, NumberField] = {}
        for key, name, unit, low, high, tip in (
            ("at", self.tr("At"), "mm", -5000.0, 5000.0, self.tr("Where it crosses its ruler")),
            (
                "tilt",
                self.tr("Tilt"),
                "°",
                -80.0,
                80.0,
                self.tr("Turned about z, as seen from above; a cut across z about y"),
            ),
            (
                "lean",
                self.tr("Lean"),
                "°",
                -80.0,
                80.0,
                self.tr("Turned about the other axis that lies in it"),
            ),
        ):
            f = NumberField(name, unit, low, high, 1, 2, tip)
            f.committed.connect(lambda v, k=key: self._set(False, **{k: v}))
            f.stepped.connect(lambda v, k=key: self._set(True, **{k: v}))
            self.fields[key] = f
            form.addLayout(field_row(name, f, wide=64))
        self.through = Choice(self.tr("What it cuts"), self.tr("The whole design, or one section only"))
        self.through.activated.connect(lambda _: self._limit(self._number, self.through.currentData()))
        form.addLayout(field_row(self.tr("Cuts"), self.through, wide=64))
        self.seam = Choice(self.tr("Seam"), self.tr("The course of the cut across a flat design"))
        for key, text in (
            ("straight", self.tr("straight")),
            *((k, said(all_keys()[k].title)) for k in seam_forms()),
        ):
            self.seam.addItem(text, key)
        self.seam.activated.connect(lambda _: self._seam(False, shape=self.seam.currentData()))
        form.addLayout(field_row(self.tr("Seam"), self.seam, wide=64))
        self.bend = button(
            self.tr("bend"), tip=self.tr("Give the seam one more corner; drag it on the drawing")
        )
        self.bend.clicked.connect(lambda: self._bend())
        self.straighten = button(self.tr("straighten"), tip=self.tr("Take all corners out of the seam"))
        self.straighten.clicked.connect(lambda: self._set(False, path=()))
        form.addLayout(row(self.bend, self.straighten))
        self.seam_fields: dict[str, NumberField] = {}
        for key, name, low, high, tip in (
            ("pitch", self.tr("Pitch"), 4.0, 200.0, self.tr("From one step, wave or tab to the next")),
            ("reach", self.tr("Reach"), 1.0, 60.0, self.tr("How far it goes across the seam")),
            ("clearance", self.tr("Clearance"), 0.0, 1.0, self.tr("Room on each side around it")),
        ):
            f = NumberField(name, "mm", low, high, 0.05 if key == "clearance" else 1, 2, tip)
            f.committed.connect(lambda v, k=key: self._seam(False, **{k: v}))
            f.stepped.connect(lambda v, k=key: self._seam(True, **{k: v}))
            self.seam_fields[key] = f
        self._seam_rows = QWidget()
        inner = QVBoxLayout(self._seam_rows)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(5)
        for f in self.seam_fields.values():
            inner.addLayout(field_row(f.accessibleName(), f, wide=64))
        form.addWidget(self._seam_rows)
        self.pinned = QCheckBox(self.tr("pinned"))
        self.pinned.clicked.connect(lambda on: self._set(False, pinned=on))
        self.pinned.setToolTip(self.tr("It stays where it is when cuts are proposed"))
        self.drop = button(self.tr("delete"), "flat", "bin", self.tr("Delete this cut (Del)"))
        self.drop.clicked.connect(lambda: self._remove(self._number))
        form.addLayout(row(self.pinned, self.drop))
        return holder

    def show_cuts(self, cuts: Sequence[Cut], kit: KitView | None, number: int) -> None:
        """Show the cuts of a job; `number` is the picked one."""
        self._cuts, self._number = cuts, number
        views = kit.cuts if kit and len(kit.cuts) == len(cuts) else []
        order = sorted(
            range(len(cuts)), key=lambda i: (len(views[i].letter), views[i].letter) if views else (0, str(i))
        )
        shown = [(i, i == number, self._meets(i, kit), cuts[i].pinned) for i in order]
        if cuts and shown == self._shown:
            # Made anew only when something but words and figures has changed.
            for card, i in zip(self._cards, order, strict=True):
                card.set_text(self._title(i, views[i].letter if views else "?"), self._words(i, kit))
            if 0 <= number < len(cuts):
                self._fill(cuts[number], kit)
            return
        self._shown = shown
        # Whoever types in the form goes on typing when its card is made anew.
        focus = QApplication.focusWidget()
        held = focus if focus is not None and self._form.isAncestorOf(focus) else None
        self._form.hide()
        self._form.setParent(self)
        clear(self._layout)
        self._cards = [
            self._card(*s, self._title(s[0], views[s[0]].letter if views else "?"), kit) for s in shown
        ]
        for card in self._cards:
            self._layout.addWidget(card)
        if held is not None:
            held.setFocus()
        if not cuts:
            text = self.tr("No cuts: the design is printed as it is.")
            if kit and sum(not u.is_key for u in kit.units) > 1:
                text = self.tr("No cuts: every body is printed by itself.")
            self._layout.addWidget(label(text, "small", wrap=True))

    def _meets(self, i: int, kit: KitView | None) -> bool:
        return kit is None or any(j.cut == i for j in kit.joints)

    def _title(self, i: int, letter: str) -> str:
        cut = self._cuts[i]
        turned = f"  {format_mm(cut.tilt or cut.lean, 1)}°" if cut.tilt or cut.lean else ""
        return self.tr("{0}–{0}   {1} {2}{3}").format(letter, cut.axis, format_mm(cut.at, 1), turned)

    def _card(self, i: int, picked: bool, meets: bool, pinned: bool, title: str, kit: KitView | None) -> Card:
        card = Card(title, self._words(i, kit))
        card.set_state(picked=picked, alarm=not meets)
        if pinned:
            card.add_beside(label(self.tr("pinned"), "small"))
        card.clicked.connect(lambda: self._pick(i))
        card.context = lambda: self.menu_of(i)
        if picked:
            self._fill(self._cuts[i], kit)
            card.add_below(self._form)
            self._form.show()
        return card

    def menu_of(self, i: int) -> QMenu:
        """What can be done with a cut."""
        self._pick(i)
        menu = context_menu(self)
        cut = self._cuts[i]
        pin = self.tr("Let go") if cut.pinned else self.tr("Pin: proposals leave it where it is")
        menu.addAction(pin).triggered.connect(lambda _=False: self._set(False, pinned=not cut.pinned))
        menu.addAction(self.tr("Bend")).triggered.connect(lambda _=False: self._bend())
        upright = menu.addAction(self.tr("Square to its axis"))
        allow(upright, "" if cut.tilt or cut.lean or cut.path else self.tr("It is square to it already"))
        upright.triggered.connect(lambda _=False: self._set(False, tilt=0.0, lean=0.0, path=()))
        menu.addSeparator()
        menu.addAction(self.tr("Delete\tDelete")).triggered.connect(lambda _=False: self._remove(i))
        return menu

    def _words(self, i: int, kit: KitView | None) -> str:
        if kit is None or len(kit.cuts) != len(self._cuts):
            return ""
        joints = [j for j in kit.joints if j.cut == i]
        if not joints:
            return self.tr("meets no material")
        kinds: dict[str, int] = {}
        for j in joints:
            for k in j.keys:
                kinds[k.form.kind] = kinds.get(k.form.kind, 0) + 1
        keys = ", ".join(f"{n} {kind_name(kind, n)}" for kind, n in kinds.items()) or self.tr("glue only")
        area = sum(j.area for j in joints)
        reasons = [str(word.says) for word in kit.cuts[i].words if word.about != "room"]
        return " · ".join([keys, self.tr("{0} mm² to glue").format(format_mm(area, 0)), *reasons])

    def _fill(self, cut: Cut, kit: KitView | None) -> None:
        for key, f in self.fields.items():
            f.set_value(getattr(cut, key))
        self.pinned.setChecked(cut.pinned)
        self.seam.setCurrentIndex(self.seam.findData(cut.seam.shape))
        self._seam_rows.setVisible(cut.seam.shape != "straight")
        upright = cut.axis != "z" and not cut.lean
        level = "" if upright else self.tr("Only a cut that stands upright can be bent")
        allow(self.bend, level)
        allow(self.straighten, level or ("" if cut.path else self.tr("It is straight already")))
        self._span = (kit.low, kit.high) if kit else None
        for key, f in self.seam_fields.items():
            f.set_value(getattr(cut.seam, key))
        self.through.clear()
        self.through.addItem(self.tr("everything"), "")
        names = [u.name for u in kit.units if not u.is_key] if kit else []
        if cut.inside is not None:
            self.through.addItem(self.tr("one section only"), "keep")
        for name in names:
            self.through.addItem(self.tr("only {0}").format(name), name)
        self.through.setCurrentIndex(0 if cut.inside is None else 1)

    def _bend(self) -> None:
        """One more corner in the middle of the longest stretch of the seam, a little off it."""
        # A menu may be open while other cuts are proposed: what it was of is gone then.
        if self._span is None or not 0 <= self._number < len(self._cuts):
            return
        cut = self._cuts[self._number]
        low, high = self._span
        half = (high[1] - low[1]) / 2 if cut.axis == "x" else (high[0] - low[0]) / 2
        at = [-half, *sorted(u for u, _ in cut.path), half]
        a, b = max(pairwise(at), key=lambda s: s[1] - s[0])
        new: tuple[tuple[float, float], ...] = ((round((a + b) / 2, 1), round(0.06 * half, 1)),)
        if not cut.path:
            # The first bend: out and back, so that both ends stay where they are.
            new = ((round(-half / 3, 1), 0.0), (0.0, round(half / 6, 1)), (round(half / 3, 1), 0.0))
        self._set(False, path=tuple(sorted((*cut.path, *new))), hand=())

    def _set(self, merge: bool, **changes: Any) -> None:
        if 0 <= self._number < len(self._cuts):
            self._change(self._number, replace(self._cuts[self._number], **changes), merge)

    def _seam(self, merge: bool, **changes: Any) -> None:
        cut = self._cuts[self._number]
        self._change(self._number, replace(cut, seam=replace(cut.seam, **changes)), merge)


def kind_name(id: str, count: int) -> str:
    """What keys are called in a list."""
    kind = key_kind(id)
    return said(kind.noun if count == 1 else kind.nouns)
