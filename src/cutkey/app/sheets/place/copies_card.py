"""How often a graphic is laid: once, in rows, in a ring, or with a mirrored twin."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtWidgets import QComboBox, QWidget

from cutkey.app.widgets.basics import Card, field_row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model.placement import Copies


def _tr(text: str) -> str:
    return QCoreApplication.translate("CopiesCard", text)


class CopiesCard(Card):
    """Kind, numbers and steps; `changed` takes the copies and whether the change goes on."""

    def __init__(self, changed: Callable[[Copies, bool], None]) -> None:
        super().__init__(_tr("Copies"), "")
        self._changed = changed
        self._copies = Copies()
        self.kind = QComboBox()
        self.kind.setAccessibleName(_tr("Copies"))
        for key, name, tip in (
            ("one", _tr("only one"), ""),
            ("grid", _tr("rows"), _tr("Side by side and above one another, about the place of the first")),
            (
                "ring",
                _tr("a ring"),
                _tr("Turned about the middle of the face; move the graphic out of the middle first"),
            ),
            ("pair", _tr("a mirrored pair"), _tr("A mirrored twin on the other side of the model's middle")),
        ):
            self.kind.addItem(name, key)
            self.kind.setItemData(self.kind.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.kind.activated.connect(lambda _: self._change(False, kind=self.kind.currentData()))
        self.add_below(self.kind)
        self.fields: dict[str, tuple[NumberField, QWidget]] = {}
        for key, name, unit, low, high in (
            ("across", _tr("How many"), "", 1, 200),
            ("step x", _tr("Step to the right"), "mm", -1000, 1000),
            ("up", _tr("Rows"), "", 1, 200),
            ("step y", _tr("Step up"), "mm", -1000, 1000),
        ):
            field = NumberField(name, unit, low, high, 1, 2, "")
            field.committed.connect(lambda v, k=key: self._set(k, v, False))
            field.stepped.connect(lambda v, k=key: self._set(k, v, True))
            holder = QWidget()
            holder.setLayout(field_row(name, field))
            self.fields[key] = (field, holder)
            self.add_below(holder)

    def _set(self, key: str, value: float, merge: bool) -> None:
        (nx, ny), (dx, dy) = self._copies.count, self._copies.step
        count = (int(value), ny) if key == "across" else (nx, int(value)) if key == "up" else (nx, ny)
        step = (value, dy) if key == "step x" else (dx, value) if key == "step y" else (dx, dy)
        self._change(merge, count=count, step=step)

    def _change(self, merge: bool, **changes: object) -> None:
        # Kept at once: the next change may come before this one is shown.
        self._copies = replace(self._copies, **changes)
        self._changed(self._copies, merge)

    def show_copies(self, copies: Copies) -> None:
        """Show the copies of the picked placement."""
        self._copies = copies
        self.kind.setCurrentIndex(self.kind.findData(copies.kind))
        shown = {"grid": ("across", "step x", "up", "step y"), "ring": ("across",)}.get(copies.kind, ())
        for (key, (field, holder)), value in zip(
            self.fields.items(),
            (copies.count[0], copies.step[0], copies.count[1], copies.step[1]),
            strict=True,
        ):
            field.set_value(value)
            holder.setVisible(key in shown)
