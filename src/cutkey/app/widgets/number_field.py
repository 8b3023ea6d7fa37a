"""A field for a length or an angle: units and sums are understood, arrows step, Esc takes back."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from cutkey.core.errors import BadInput
from cutkey.core.units import format_mm, parse_number


class NumberField(QLineEdit):
    """Number with a unit; `committed` tells a new value, `stepped` one reached by arrow keys or wheel."""

    committed = Signal(float)
    stepped = Signal(float)

    def __init__(
        self,
        name: str,
        unit: str = "mm",
        low: float = -1e6,
        high: float = 1e6,
        step: float = 1.0,
        digits: int = 2,
        tip: str = "",
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setToolTip(tip or name)
        self._unit, self._low, self._high, self._step, self._digits = unit, low, high, step, digits
        self._value = 0.0
        self.zero = ""  # shown for 0
        self.editingFinished.connect(self._commit)
        self.textEdited.connect(lambda _: self._mark(False))

    @property
    def value(self) -> float:
        """The value last set or committed."""
        return self._value

    def set_value(self, value: float) -> None:
        """Show a value, unless somebody is typing."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._show()

    def _show(self) -> None:
        text = f"{format_mm(self._value, self._digits)} {self._unit}".strip()
        self.setText(self.zero if self.zero and self._value == 0 else text)
        self.setModified(False)
        self._mark(False)

    def _mark(self, wrong: bool, why: str = "") -> None:
        if bool(self.property("wrong")) != wrong:
            self.setProperty("wrong", wrong)
            self.style().unpolish(self)
            self.style().polish(self)
        if wrong:
            self.setToolTip(why)

    def _commit(self) -> None:
        if not self.isModified():
            return
        try:
            value = parse_number(self.text())
            if not self._low <= value <= self._high:
                raise BadInput(
                    self.tr("Between {0} and {1} {2}.").format(
                        format_mm(self._low), format_mm(self._high), self._unit
                    )
                )
        except BadInput as error:
            self._mark(True, str(error))
            return
        self._value = value
        self._show()
        self.committed.emit(value)

    def _step_by(self, steps: float) -> None:
        value = min(self._high, max(self._low, round(self._value + steps * self._step, 6)))
        if value != self._value:
            self._value = value
            self._show()
            self.stepped.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step (ten times with Shift), Esc takes back what was typed."""
        factor = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if event.key() == Qt.Key.Key_Up:
            self._step_by(factor)
        elif event.key() == Qt.Key.Key_Down:
            self._step_by(-factor)
        elif event.key() == Qt.Key.Key_Escape and self.isModified():
            self._show()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Step while the field has the focus; otherwise the panel scrolls."""
        if self.hasFocus():
            self._step_by(1.0 if event.angleDelta().y() > 0 else -1.0)
            event.accept()
        else:
            event.ignore()
