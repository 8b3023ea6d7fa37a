"""The preparation list: one card a step, switched, moved, opened and removed there."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, Swatch, allow, button, clear, row
from cutkey.app.widgets.struct_form import StructForm, said
from cutkey.core.steps.kind import Step

Steps = tuple[Step, ...]


def _tr(text: str) -> str:
    return QCoreApplication.translate("StepList", text)


def describe(step: Step, size: tuple[int, int] | None = None) -> tuple[str, str]:
    """Title and summary of a step."""
    title, summary = step.words(size)
    return said(title), said(summary)


class StepList(QWidget):
    """Cards of the steps.

    `changed` is called with what was done, the new steps, and whether a drag goes on; `move` with the number
    of a step whose places are to be moved on the picture.
    """

    def __init__(self, changed: Callable[[str, Steps, bool], None], move: Callable[[int], None]) -> None:
        super().__init__()
        self._changed, self._move = changed, move
        self._steps: Steps = ()
        self._open = -1
        self._size: tuple[int, int] | None = None
        self._moving = -1
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(7)
        self._shown: object = None

    def open(self, k: int) -> None:
        """Open a step's settings, -1 none."""
        self._open = k
        self._shown = None

    def show_steps(self, steps: Steps, size: tuple[int, int] | None = None, moving: int = -1) -> None:
        """Show the steps of the picked graphic.

        Its picture is `size` px large; the places of the step `moving` are in the hand.
        """
        self._size, self._moving = size, moving
        state = (tuple((type(s), s.on) for s in steps), self._open, moving)
        if state == self._shown:
            # Only numbers changed; the fields that made them keep the focus.
            self._steps = steps
            for k, step in enumerate(steps):
                item = self._layout.itemAt(k)
                card = item.widget() if item else None
                if isinstance(card, Card):
                    card.set_text(*describe(step, size))
            return
        self._steps, self._shown = steps, state
        clear(self._layout)
        for k, step in enumerate(steps):
            self._layout.addWidget(self._card(k, step))

    def _card(self, k: int, step: Step) -> Card:
        tick = QCheckBox()
        tick.setChecked(step.on)
        title, summary = describe(step)
        tick.setAccessibleName(title)
        tick.clicked.connect(lambda on: self._put(k, replace(self._steps[k], on=on)))
        card = Card(title, summary, tick)
        if step.swatch:
            card.add_beside(Swatch(step.swatch, 18))
        card.clicked.connect(lambda: self._toggle(k))
        if k == self._open:
            card.set_state(picked=True)
            form = StructForm(lambda new, merge: self._put(k, new, merge))
            form.show_value(step, step.fields(self._size))
            card.add_below(form)
            if step.handles:
                self.corners = button(
                    _tr("take these corners") if k == self._moving else _tr("move its corners"),
                    "link",
                    tip=_tr("The picture is shown as it is before this step, with the corners on it"),
                )
                self.corners.clicked.connect(lambda: self._move(k))
                card.add_below(row(self.corners, 1))
            up = button(_tr("earlier"), "link", tip=_tr("Carry this step out before the one above"))
            allow(up, "" if k > 0 else _tr("It is the first step already"))
            up.clicked.connect(lambda: self._swap(k, k - 1))
            down = button(_tr("later"), "link", tip=_tr("Carry this step out after the one below"))
            allow(down, "" if k + 1 < len(self._steps) else _tr("It is the last step already"))
            down.clicked.connect(lambda: self._swap(k, k + 1))
            gone = button(_tr("remove"), "link")
            gone.clicked.connect(lambda: self._remove(k))
            card.add_below(row(up, down, 1, gone))
        return card

    def _toggle(self, k: int) -> None:
        self.open(-1 if self._open == k else k)
        self.show_steps(self._steps)

    def _put(self, k: int, step: Step, merge: bool = False) -> None:
        steps = (*self._steps[:k], step, *self._steps[k + 1 :])
        self._changed(_tr("change {0}").format(describe(step)[0].lower()), steps, merge)

    def _swap(self, k: int, other: int) -> None:
        steps = list(self._steps)
        steps[k], steps[other] = steps[other], steps[k]
        self.open(other)
        self._changed(_tr("reorder preparation"), tuple(steps), False)

    def _remove(self, k: int) -> None:
        self.open(-1)
        name = describe(self._steps[k])[0].lower()
        self._changed(_tr("remove {0}").format(name), (*self._steps[:k], *self._steps[k + 1 :]), False)
