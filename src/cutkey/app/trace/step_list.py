"""The preparation list: one card a step, switched, moved, opened and removed there."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, Swatch, allow, button, clear, field_row, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.picture.rectangle import true_proportion
from cutkey.core.picture.steps import Crop, Denoise, EvenLight, Invert, Paint, Square, Step, TakeAway, Tone, Turn
from cutkey.core.units import format_mm

Steps = tuple[Step, ...]


def _tr(text: str) -> str:
    return QCoreApplication.translate("StepList", text)


def describe(step: Step, size: tuple[int, int] | None = None) -> tuple[str, str]:
    """Title and summary of a step."""
    if isinstance(step, Crop):
        return _tr("Crop"), _tr("to a rectangle")
    if isinstance(step, Turn):
        return _tr("Turn"), _tr("{0}° clockwise").format(format_mm(step.degrees, 2))
    if isinstance(step, Square):
        return _tr("Square up"), _squared(step, size)
    if isinstance(step, EvenLight):
        return _tr("Even light"), _tr("for photographs")
    if isinstance(step, Tone):
        return _tr("Brightness"), _tr("{0} bright, {1} contrast").format(
            format_mm(100 * step.brightness, 0), format_mm(100 * step.contrast, 0)
        )
    if isinstance(step, Denoise):
        return _tr("Denoise"), _tr("strength {0}").format(format_mm(step.strength, 1))
    if isinstance(step, Invert):
        return _tr("Invert"), _tr("light becomes dark")
    if isinstance(step, TakeAway):
        how = _tr("touching only") if step.touching else _tr("everywhere")
        return _tr("Take away"), _tr("{0}, tolerance {1}").format(how, format_mm(step.tolerance, 0))
    tool = {"brush": _tr("brush"), "lasso": _tr("lasso"), "area": _tr("area")}[step.tool]
    if step.ink == "erase":
        return _tr("Erase"), tool
    if step.ink == "restore":
        return _tr("Restore"), tool
    return _tr("Paint over"), f"{tool}, {step.ink}"


class StepList(QWidget):
    """Cards of the steps; `changed` is called with what was done, the new steps, and whether a drag goes on."""

    def __init__(self, changed: Callable[[str, Steps, bool], None]) -> None:
        super().__init__()
        self._changed = changed
        self._steps: Steps = ()
        self._open = -1
        self._size: tuple[int, int] | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(7)
        self._shown: object = None

    def open(self, k: int) -> None:
        """Open a step's settings, -1 none."""
        self._open = k
        self._shown = None

    def show_steps(self, steps: Steps, size: tuple[int, int] | None = None) -> None:
        """Show the steps of the picked graphic; `size` is that of its picture, px."""
        self._size = size
        state = (tuple((type(s), s.on) for s in steps), self._open)
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
        if isinstance(step, Paint) and step.ink.startswith("#"):
            card.add_beside(Swatch(step.ink, 18))
        card.clicked.connect(lambda: self._toggle(k))
        if k == self._open:
            card.set_state(picked=True)
            for name, field in self._fields(k, step):
                card.add_below(field_row(name, field))
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

    def _fields(self, k: int, step: Step) -> list[tuple[str, QWidget]]:
        """Number fields and switches of an opened step."""
        numbers: list[tuple[str, str, float, float, float, float]] = []  # label, attribute, factor, low, high, step
        if isinstance(step, Turn):
            numbers = [(_tr("Degrees"), "degrees", 1, -360, 360, 0.5)]
        elif isinstance(step, Tone):
            numbers = [(_tr("Brightness"), "brightness", 100, -100, 100, 5), (_tr("Contrast"), "contrast", 100, -100, 100, 5)]
        elif isinstance(step, Denoise):
            numbers = [(_tr("Strength"), "strength", 1, 1, 60, 1)]
        elif isinstance(step, Square):
            numbers = [(_tr("Width : height"), "proportion", 1, 0, 50, 0.05)]
        elif isinstance(step, TakeAway) or (isinstance(step, Paint) and step.tool == "area"):
            numbers = [(_tr("Tolerance"), "tolerance", 1, 0, 100, 1)]
        elif isinstance(step, Paint) and step.tool == "brush":
            numbers = [(_tr("Brush, % of width"), "width", 100, 0.1, 50, 0.5)]
        out: list[tuple[str, QWidget]] = []
        for name, attribute, factor, low, high, by in numbers:
            field = NumberField(name, "", low, high, by, 3)
            if attribute == "proportion":
                field.zero = _tr("measured") if self._size and true_proportion(step.corners, self._size) else _tr("type it")  # type: ignore[union-attr]
            field.set_value(getattr(step, attribute) * factor)
            field.committed.connect(lambda v, a=attribute, f=factor: self._put(k, replace(self._steps[k], **{a: v / f})))
            field.stepped.connect(lambda v, a=attribute, f=factor: self._put(k, replace(self._steps[k], **{a: v / f}), True))
            out.append((name, field))
        if isinstance(step, TakeAway):
            only = QCheckBox(_tr("only what touches"))
            only.setChecked(step.touching)
            only.clicked.connect(lambda on: self._put(k, replace(self._steps[k], touching=on)))
            out.append(("", only))
        return out

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


def _squared(step: Square, size: tuple[int, int] | None) -> str:
    """Which proportion the rectangle is given, and why."""
    if step.proportion > 0 or size is None:
        return _tr("four corners made a rectangle")
    found = true_proportion(step.corners, size)
    if found is None:
        return _tr("the corners do not tell how wide it is for its height: open this step and type it")
    return _tr("width : height {0}, measured from the four corners").format(format_mm(found, 3))
