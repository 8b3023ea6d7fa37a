"""Fields for the numbers and choices of a piece of the job, one below the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import field_row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.fields import Field


def said(text: str) -> str:
    """A text of the core's kinds, in the language of the window."""
    return QCoreApplication.translate("Kinds", text) if text else ""


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
        self._entries: tuple[Field, ...] = ()

    def show_value(self, value: Any, entries: Sequence[Field]) -> None:
        """Show a value with the fields that its kind has."""
        if tuple(entries) != self._entries:
            self._build(tuple(entries))
        self._value = value
        for e in self._entries:
            field, at = self.fields[e.name], getattr(value, e.name)
            if isinstance(field, NumberField):
                field.set_value(float(at) * e.factor)
            elif isinstance(field, QCheckBox):
                field.setChecked(at)
            elif isinstance(field, QComboBox):
                field.setCurrentIndex(field.findData(at))

    def _build(self, entries: tuple[Field, ...]) -> None:
        while self._layout.count():
            item = self._layout.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._entries, self.fields = entries, {}
        for e in entries:
            title, tip = said(e.title), said(e.tip)
            if e.tick:
                box = QCheckBox(title)
                box.clicked.connect(lambda on, e=e: self._set(e.name, on, False))
                self.fields[e.name] = box
                box.setToolTip(tip or title)
                self._layout.addWidget(box)
                continue
            field = self._combo(e, title) if e.choices else self._number(e, title, tip)
            self.fields[e.name] = field
            holder = QWidget()
            holder.setLayout(field_row(title, field, tip))
            self._layout.addWidget(holder)

    def _combo(self, e: Field, title: str) -> QComboBox:
        combo = QComboBox()
        combo.setAccessibleName(title)
        for key, name in e.choices:
            combo.addItem(said(name), key)
        combo.activated.connect(lambda _: self._set(e.name, combo.currentData(), False))
        return combo

    def _number(self, e: Field, title: str, tip: str) -> NumberField:
        def value(v: float) -> float:
            return int(v) if e.whole else v / e.factor

        number = NumberField(title, e.unit, e.low, e.high, e.step, 3, tip)
        number.zero = said(e.zero)
        number.committed.connect(lambda v: self._set(e.name, value(v), False))
        number.stepped.connect(lambda v: self._set(e.name, value(v), True))
        return number

    def _set(self, field: str, value: Any, merge: bool) -> None:
        # Kept at once: the next change may come before this one is shown.
        self._value = replace(self._value, **{field: value})
        self._changed(self._value, merge)
