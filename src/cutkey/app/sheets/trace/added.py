"""The form for shapes and text that are added to a graphic."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from cutkey.app.widgets.basics import Card, Segments, button, field_row, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.lettering.fonts import SHIPPED, installed_fonts
from cutkey.core.model import table_edits as e


def _tr(text: str) -> str:
    return QCoreApplication.translate("AddedForm", text)


class AddedForm(Card):
    """Kind, sizes, behind or in front; `add` takes the finished edit, `ink` tells the colour to use."""

    def __init__(self, add: Callable[[str, e.Edit], None], ink: Callable[[], str]) -> None:
        super().__init__(_tr("Add text or a shape"))
        self._add, self._ink = add, ink
        self.kind = QComboBox()
        self.kind.setAccessibleName(_tr("What to add"))
        for key, text in (
            ("text", _tr("text")),
            ("rectangle", _tr("rectangle")),
            ("disc", _tr("disc")),
            ("ring", _tr("ring")),
            ("polygon", _tr("regular polygon")),
            ("star", _tr("star")),
        ):
            self.kind.addItem(text, key)
        self.kind.currentIndexChanged.connect(lambda _: self._show_fields())
        self.text = QLineEdit()
        self.text.setPlaceholderText(_tr("your text; {} takes the series"))
        self.text.setAccessibleName(_tr("Text"))
        self.font_box = QComboBox()
        self.font_box.setAccessibleName(_tr("Font"))
        for name in SHIPPED:
            self.font_box.addItem(name)
        self.font_box.setCurrentText("Barlow Bold")
        self._more_fonts = _tr("fonts of this machine…")
        self.font_box.addItem(self._more_fonts)
        self.font_box.activated.connect(self._list_fonts)
        self.numbers: dict[str, tuple[NumberField, QWidget]] = {}
        holder_rows = []
        for key, name, value, low, high, tip in (
            ("size", _tr("Capital height"), 8.0, 0.2, 1000, _tr("Height of a capital letter")),
            ("radius", _tr("On an arc of"), 0.0, -5000, 5000, _tr("Radius of the arc the text stands on; 0 is straight, below 0 it hangs")),
            ("width", _tr("Width"), 30.0, 0.1, 5000, ""),
            ("height", _tr("Height"), 20.0, 0.1, 5000, ""),
            ("corner", _tr("Corner rounding"), 0.0, 0, 1000, ""),
            ("sides", _tr("Sides or points"), 6.0, 3, 60, ""),
            ("inner", _tr("Inner, % of outer"), 60.0, 1, 99, ""),
            ("x", _tr("Right of middle"), 0.0, -5000, 5000, ""),
            ("y", _tr("Above middle"), 0.0, -5000, 5000, ""),
        ):
            field = NumberField(name, "" if key in ("sides", "inner") else "mm", low, high, 1, 2, tip)
            field.set_value(value)
            holder = QWidget()
            line = field_row(name, field)
            holder.setLayout(line)
            self.numbers[key] = (field, holder)
            holder_rows.append(holder)
        self.behind = Segments(
            _tr("Put it"),
            (("front", _tr("in front"), _tr("It covers what is there")), ("behind", _tr("behind"), _tr("It shows where nothing is"))),
        )
        self._behind = {"behind": False}
        self.behind.set_choice("front")
        self.behind.chosen.connect(lambda key: self._behind.update(behind=key == "behind"))
        self.done = button(_tr("add it"), "add")
        self.done.clicked.connect(self._finish)
        self.add_below(self.kind)
        self.add_below(self.text)
        self.add_below(self.font_box)
        for holder in holder_rows:
            self.add_below(holder)
        self.add_below(self.behind)
        self.add_below(row(self.done))
        self._show_fields()

    def _show_fields(self) -> None:
        kind = self.kind.currentData()
        shown = {
            "text": ("size", "radius", "x", "y"),
            "rectangle": ("width", "height", "corner", "x", "y"),
            "disc": ("width", "height", "x", "y"),
            "ring": ("width", "height", "inner", "x", "y"),
            "polygon": ("width", "height", "sides", "x", "y"),
            "star": ("width", "height", "sides", "inner", "x", "y"),
        }[kind]
        self.text.setVisible(kind == "text")
        self.font_box.setVisible(kind == "text")
        for key, (_, holder) in self.numbers.items():
            holder.setVisible(key in shown)

    def _list_fonts(self, index: int) -> None:
        if self.font_box.itemText(index) != self._more_fonts:
            return
        self.font_box.removeItem(index)
        for name in sorted(installed_fonts()):
            self.font_box.addItem(name)
        self.font_box.setCurrentText("Barlow Bold")
        self.font_box.showPopup()

    def _value(self, key: str) -> float:
        return self.numbers[key][0].value

    def _finish(self) -> None:
        centre, kind = (self._value("x"), self._value("y")), self.kind.currentData()
        if kind == "text":
            if self.text.text().strip():
                edit: e.Edit = e.AddText(
                    self.text.text(),
                    centre,
                    self._value("size"),
                    self._ink(),
                    self.font_box.currentText(),
                    radius=self._value("radius"),
                    behind=self._behind["behind"],
                )
                self._add(_tr("add text"), edit)
            return
        edit = e.AddShape(
            kind,
            centre,
            self._value("width"),
            self._value("height"),
            self._ink(),
            self._value("corner"),
            int(self._value("sides")),
            self._value("inner") / 100,
            self._behind["behind"],
        )
        self._add(_tr("add {0}").format(kind), edit)
