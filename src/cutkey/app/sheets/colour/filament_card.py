"""The picked filament: its name, what it is made of, what it costs."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QLineEdit

from cutkey.app.widgets.basics import Card, field_row
from cutkey.app.widgets.number_field import NumberField
from cutkey.app.widgets.struct_form import StructForm
from cutkey.core.fields import fields_of
from cutkey.core.model.filament import Filament


def _tr(text: str) -> str:
    return QCoreApplication.translate("FilamentCard", text)


class FilamentCard(Card):
    """Shown while a filament of the rack is picked.

    `changed` takes the old one, the new one, and whether the change goes on.
    """

    def __init__(
        self, changed: Callable[[Filament, Filament, bool], None], cover: Callable[[str, int], None]
    ) -> None:
        super().__init__(_tr("Picked filament"), "")
        self._cover = cover
        self._changed = changed
        self._filament: Filament | None = None
        self.set_state(picked=True)
        self.name, self.material = QLineEdit(), QLineEdit()
        for field, title in ((self.name, _tr("Name")), (self.material, _tr("Material"))):
            field.setAccessibleName(title)
            field.editingFinished.connect(self._typed)
            self.add_below(field_row(title, field))
        self.form = StructForm(self._set)
        self.add_below(self.form)
        tip = _tr("Layers of it at least, so that what is under it does not show: pale over dark wants more")
        self.cover = NumberField(_tr("Layers to cover"), "", 1, 50, 1, 0, tip)
        self.cover.committed.connect(lambda n: self._covers(int(n)))
        self.cover.stepped.connect(lambda n: self._covers(int(n)))
        self.add_below(field_row(_tr("Layers to cover"), self.cover, tip))
        self.hide()

    def show_filament(self, filament: Filament | None, cover: int = 1) -> None:
        """Show a filament and the layers it has at least, or nothing."""
        self.cover.set_value(float(cover))
        self._filament = filament
        self.setVisible(filament is not None)
        if filament is None:
            return
        self.name.setText(filament.name)
        self.material.setText(filament.material)
        self.form.show_value(filament, [f for f in fields_of(Filament) if f.shown])

    def _covers(self, layers: int) -> None:
        if self._filament is not None:
            self._cover(self._filament.name, layers)

    def _typed(self) -> None:
        old = self._filament
        if old is not None:
            name, material = (
                self.name.text().strip() or old.name,
                self.material.text().strip() or old.material,
            )
            self._set(replace(old, name=name, material=material), False)

    def _set(self, new: Any, merge: bool) -> None:
        old = self._filament
        if old is not None and new != old:
            self._filament = new
            self._changed(old, new, merge)
