"""Fields for the numbers and choices of a piece of the job, one below the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import field_row
from cutkey.app.widgets.number_field import NumberField


class Entry(NamedTuple):
    """One field: its name in the data, how it is called, and what it may be."""

    field: str
    name: str
    unit: str = "mm"
    low: float = 0.0
    high: float = 5000.0
    tip: str = ""
    choices: tuple[tuple[str, str], ...] = ()  # value and name, for a choice
    whole: bool = False
    tick: bool = False


class StructForm(QWidget):
    """Shows a value; `changed` takes the new one and whether the change goes on."""

    def __init__(self, changed: Callable[[Any, bool], None]) -> None:
        super().__init__()
        self._changed = changed
        self._value: Any = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(5)
        self.fields: dict[str, QWidget] = {}
        self._entries: tuple[Entry, ...] = ()

    def show_value(self, value: Any, entries: Sequence[Entry]) -> None:
        """Show a value with the entries that fit its kind."""
        if tuple(entries) != self._entries:
            self._build(tuple(entries))
        self._value = value
        for e in self._entries:
            field, at = self.fields[e.field], getattr(value, e.field)
            if isinstance(field, NumberField):
                field.set_value(float(at))
            elif isinstance(field, QCheckBox):
                field.setChecked(at)
            elif isinstance(field, QComboBox):
                field.setCurrentIndex(field.findData(at))

    def _build(self, entries: tuple[Entry, ...]) -> None:
        while self._layout.count():
            item = self._layout.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._entries, self.fields = entries, {}
        for e in entries:
            field: QWidget
            if e.tick:
                box = QCheckBox(e.name)
                box.clicked.connect(lambda on, e=e: self._set(e.field, on, False))
                self.fields[e.field] = box
                box.setToolTip(e.tip or e.name)
                self._layout.addWidget(box)
                continue
            if e.choices:
                combo = QComboBox()
                combo.setAccessibleName(e.name)
                for key, name in e.choices:
                    combo.addItem(name, key)
                combo.activated.connect(lambda _, e=e, combo=combo: self._set(e.field, combo.currentData(), False))
                field = combo
            else:
                number = NumberField(e.name, e.unit, e.low, e.high, 1, 3, e.tip)
                number.committed.connect(lambda v, e=e: self._set(e.field, int(v) if e.whole else v, False))
                number.stepped.connect(lambda v, e=e: self._set(e.field, int(v) if e.whole else v, True))
                field = number
            self.fields[e.field] = field
            holder = QWidget()
            holder.setLayout(field_row(e.name, field, e.tip))
            self._layout.addWidget(holder)

    def _set(self, field: str, value: Any, merge: bool) -> None:
        # Kept at once: the next change may come before this one is shown.
        self._value = replace(self._value, **{field: value})
        self._changed(self._value, merge)
