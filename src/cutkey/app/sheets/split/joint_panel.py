"""The picked joint: its keys, their fit, and what is proved of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QWidget

from cutkey.app.sheets.split.cut_list import kind_name
from cutkey.app.widgets.basics import (
    Card,
    Choice,
    Panel,
    Segments,
    allow,
    button,
    clear,
    column,
    field_row,
    label,
    row,
)
from cutkey.app.widgets.number_field import NumberField
from cutkey.app.widgets.struct_form import said
from cutkey.core.keys import all_keys, set_keys
from cutkey.core.model.cuts import FITS, Keys, Labels, fit_clearance
from cutkey.core.model.edits import KeyScope
from cutkey.core.split.proofs.order import direction
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import JointView, KitView


class JointPanel(QWidget):
    """Fills the right-hand panel.

    Parameters
    ----------
    changed : callable
        Takes the new keys, where they are used (all, cut, joint), and whether the change goes on.
    picked : callable
        Takes the number of a joint.
    automatic : callable
        Gives the places of the picked joint's keys back to the program.
    labelled : callable
        Takes how names are engraved.
    """

    def __init__(
        self,
        panel: Panel,
        changed: Callable[[Keys, KeyScope, bool], None],
        picked: Callable[[int], None],
        automatic: Callable[[], None],
        labelled: Callable[[Labels], None],
    ) -> None:
        super().__init__()
        self._panel, self._changed, self._picked = panel, changed, picked
        self._keys = Keys()
        self._slides = 0.15
        self._shown = Labels()
        self.kind = Choice(self.tr("Key"), self.tr("What aligns the sections"))
        auto = self.tr("Dowels, or bow-ties from the back where the design is thin")
        kinds = [(k, said(all_keys()[k].title), said(all_keys()[k].tip)) for k in set_keys()]
        for key, text, tip in (
            ("auto", self.tr("automatic"), auto),
            *kinds,
            ("none", self.tr("none, glue only"), ""),
        ):
            self.kind.addItem(text, key)
            self.kind.setItemData(self.kind.count() - 1, tip, 3)
        self.kind.activated.connect(
            lambda _: self._set(False, kind=self.kind.currentData(), size=0.0, depth=0.0)
        )
        self.scope = Choice(
            self.tr("Where these keys are used"),
            self.tr("Everywhere, at the picked cut, or in the picked joint only"),
        )
        for key, text in (
            ("all", self.tr("all cuts")),
            ("cut", self.tr("this cut")),
            ("joint", self.tr("this joint")),
        ):
            self.scope.addItem(text, key)
        self.scope.activated.connect(lambda _: self._changed(self._keys, self.scope.currentData(), False))
        panel.add(field_row(self.tr("Key"), self.kind), field_row(self.tr("Used in"), self.scope))
        self.fields: dict[str, NumberField] = {}
        for key, name, low, high, step, tip in (
            ("size", self.tr("Size"), 0, 60, 0.5, self.tr("Diameter or width; 0 takes what the room allows")),
            ("depth", self.tr("Depth"), 0, 200, 1, self.tr("In each section; 0 goes with the size")),
            ("clearance", self.tr("Clearance"), 0, 2, 0.05, self.tr("Room on each side of the key")),
            ("end_gap", self.tr("End gap"), 0, 5, 0.1, self.tr("Room at each end, for glue")),
            ("wall", self.tr("Wall"), 0.4, 20, 0.2, self.tr("Least material left around it")),
            (
                "count",
                self.tr("At most"),
                0,
                12,
                1,
                self.tr("Keys in a joint; 0 takes as many as its length asks for"),
            ),
        ):
            f = NumberField(name, "" if key == "count" else "mm", low, high, step, 2, tip)
            f.committed.connect(lambda v, k=key: self._number(False, k, v))
            f.stepped.connect(lambda v, k=key: self._number(True, k, v))
            if key in ("size", "depth", "count"):
                f.zero = self.tr("automatic")
            self.fields[key] = f
            panel.add(field_row(name, f))
            if key == "depth":
                self.fit = Segments(
                    self.tr("Fit"),
                    (
                        ("loose", self.tr("loose"), self.tr("Falls in")),
                        ("sliding", self.tr("sliding"), self.tr("Slides by hand")),
                        ("press", self.tr("press"), self.tr("Holds without glue")),
                    ),
                )
                self.fit.chosen.connect(lambda f: self._set(False, clearance=fit_clearance(f, self._slides)))
                panel.add(self.fit)
        self.stock = Segments(
            self.tr("Dowel of"),
            (
                ("printed", self.tr("printed"), self.tr("Printed with the kit")),
                ("wood", self.tr("wood"), self.tr("Bought, cut to length")),
                ("metal", self.tr("metal"), self.tr("A rod, cut to length")),
            ),
        )
        self.stock.chosen.connect(lambda s: self._set(False, stock=s))
        panel.add(self.stock)
        self.labels = QCheckBox(self.tr("engrave names"))
        self.labels.setToolTip(
            self.tr("Section and joint on the cut faces, or on the back where these are too small")
        )
        tip = self.tr("Of capitals; smaller where there is less room")
        self.letters = NumberField(self.tr("Height of the names"), "mm", 3, 20, 0.5, 1, tip)
        for signal in (self.letters.committed, self.letters.stepped):
            signal.connect(lambda _: labelled(self._labels(True)))
        self.labels.clicked.connect(lambda on: labelled(self._labels(on)))
        panel.add(row(self.labels, self.letters))
        self.proved = label("", "small", wrap=True)
        panel.add(self.proved)
        self.auto = button(
            self.tr("set the keys automatically"), tip=self.tr("Forget where you put the keys of this joint")
        )
        self.auto.clicked.connect(lambda: automatic())
        panel.add(self.auto)
        holder, self.cards = column()
        panel.add(holder)
        panel.body.addStretch(1)

    def show_joints(
        self,
        kit: KitView | None,
        cut: int,
        number: int,
        keys: Keys,
        scope: str,
        slides: float,
        labels: Labels,
    ) -> None:
        """Show the joints of a cut; `number` is the picked joint."""
        self._keys, self._slides = keys, slides
        joints = [(n, j) for n, j in enumerate(kit.joints) if j.cut == cut] if kit else []
        picked = kit.joints[number] if kit and 0 <= number < len(kit.joints) else None
        self._panel.set_heading(
            self.tr("Joint {0}–{0}").format(picked.letter) if picked else self.tr("Joints")
        )
        self.kind.setCurrentIndex(self.kind.findData(keys.kind))
        self.scope.setCurrentIndex(self.scope.findData(scope))
        allow(self.scope, "" if cut >= 0 else self.tr("There is no cut yet; this goes for all that come"))
        no_keys = self.tr("There are no keys in this joint: it is glued") if keys.kind == "none" else ""
        for key, f in self.fields.items():
            f.set_value(getattr(keys, key))
            allow(f, no_keys)
        allow(self.fit, no_keys)
        for name in FITS:
            on = abs(fit_clearance(name, slides) - keys.clearance) < 1e-9
            self.fit.button(name).setCheckable(True)
            self.fit.button(name).setChecked(on)
        self.stock.set_choice(keys.stock)
        self.stock.setVisible(
            keys.kind == "auto" or (keys.kind in all_keys() and all_keys()[keys.kind].stocks)
        )
        self._shown = labels
        self.labels.setChecked(labels.on)
        self.letters.set_value(labels.height)
        allow(self.letters, "" if labels.on else self.tr("Names are not engraved"))
        self.auto.setVisible(picked is not None and picked.by_hand)
        self.proved.setText(self._proof(kit, picked) if kit and picked else "")
        self.proved.setVisible(bool(picked))
        clear(self.cards)
        for n, j in joints:
            self.cards.addWidget(self._card(n, j, n == number))

    def _labels(self, on: bool) -> Labels:
        return replace(self._shown, on=on, height=self.letters.value)

    def _proof(self, kit: KitView, joint: JointView) -> str:
        if joint.one_way:
            one = self.tr("One way only: yes, {0} pairs of faces tried").format(kit.pairs)
        else:
            one = self.tr("One way only: no")
        if joint.keys:
            form = joint.keys[0].form
            one += "\n" + self.tr("Keys: {0}, clearance {1} mm").format(
                form.described(), format_mm(form.clearance)
            )
        for n, step in enumerate(kit.assembly.steps):
            near, far = joint.numbers
            if (near in step.fixed and far in step.movers) or (far in step.fixed and near in step.movers):
                one += "\n" + self.tr("Goes together: step {0} of {1}, {2}").format(
                    n + 1, len(kit.assembly.steps), direction(step.way)
                )
        return one

    def _card(self, n: int, j: JointView, picked: bool) -> Card:
        count = len(j.keys)
        kind = kind_name(j.keys[0].form.kind, count) if j.keys else self.tr("keys")
        text = self.tr("{0} {1} · {2} mm² face").format(count, kind, format_mm(j.area, 0))
        if j.note:
            text += f" · {j.note}"
        card = Card(j.name.replace("|", " | "), text)
        card.set_state(picked=picked, alarm=bool(j.note))
        card.clicked.connect(lambda n=n: self._picked(n))
        return card

    def _number(self, merge: bool, key: str, value: float) -> None:
        self._set(merge, **{key: int(value) if key == "count" else value})

    def _set(self, merge: bool, **changes: Any) -> None:
        self._changed(replace(self._keys, **changes), self.scope.currentData(), merge)
