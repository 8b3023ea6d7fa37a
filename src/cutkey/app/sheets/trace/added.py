"""The form for shapes and text that are added to a graphic, or changed afterwards."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtWidgets import QComboBox, QPlainTextEdit, QWidget

from cutkey.app.widgets.basics import Card, Choice, Segments, button, field_row, label, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.lettering.fonts import SHIPPED, installed_fonts
from cutkey.core.model import table_edits as e

#: Fields of each kind of shape; those of text depend on where it stands.
_FIELDS = {
    "rectangle": ("width", "height", "corner"),
    "disc": ("width", "height"),
    "ring": ("width", "height", "inner"),
    "polygon": ("width", "height", "sides"),
    "star": ("width", "height", "sides", "inner"),
}
_STANDS = {"straight": (), "arc": ("radius",), "over": ("radius", "spread"), "under": ("radius", "spread")}


def _tr(text: str) -> str:
    return QCoreApplication.translate("AddedForm", text)


class TextLines(QPlainTextEdit):
    """Some lines of text; Tab goes on to the next field."""

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setFixedHeight(58)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)

    def text(self) -> str:
        """What is written, without empty lines at its ends."""
        return self.toPlainText().strip("\n")


class AddedForm(Card):
    """Kind, sizes, behind or in front.

    `add` takes the finished edit, `change` one in the place of another; `ink` tells the colour to use,
    `said_of` what is to be said of a font.
    """

    def __init__(
        self,
        add: Callable[[str, e.Edit], None],
        change: Callable[[str, int, e.Edit], None],
        ink: Callable[[], str],
        said_of: Callable[[str], str],
    ) -> None:
        super().__init__(_tr("Add text or a shape"))
        self._add, self._change, self._ink, self._said_of = add, change, ink, said_of
        # the edit that is changed, and its number
        self._old: tuple[int, e.AddText | e.AddShape] | None = None
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
        self.text = TextLines()
        self.text.setPlaceholderText(_tr("your text, in one line or several;\n{} takes the series"))
        self.text.setAccessibleName(_tr("Text"))
        self.text.textChanged.connect(self._show_fields)
        self.font_box = Choice(_tr("Font"))
        for name in SHIPPED:
            self.font_box.addItem(name)
        self.font_box.setCurrentText("Barlow Bold")
        self._more_fonts = _tr("fonts of this machine…")
        self.font_box.addItem(self._more_fonts)
        self.font_box.activated.connect(self._list_fonts)
        self.font_box.currentTextChanged.connect(lambda _: self._show_fields())
        self.note = label("", "small", wrap=True)
        self.stands = Choice(_tr("Base line"))
        for key, text in (
            ("straight", _tr("straight")),
            ("arc", _tr("on an arc")),
            ("over", _tr("round a circle, above")),
            ("under", _tr("round a circle, below")),
        ):
            self.stands.addItem(text, key)
        self.stands.currentIndexChanged.connect(lambda _: self._show_fields())
        self.align = Segments(
            _tr("Lines"),
            (("start", _tr("left"), ""), ("middle", _tr("centred"), ""), ("end", _tr("right"), "")),
        )
        self._aligned = {"align": "middle"}
        self.align.set_choice("middle")
        self.align.chosen.connect(lambda key: self._aligned.update(align=key))
        self.numbers: dict[str, tuple[NumberField, QWidget]] = {}
        holder_rows = []
        for key, name, unit, value, low, high, tip in (
            ("size", _tr("Capital height"), "mm", 8.0, 0.2, 1000, _tr("Height of a capital letter")),
            (
                "spacing",
                _tr("Letter spacing"),
                "mm",
                0.0,
                -100,
                1000,
                _tr("More between the letters; below 0 less"),
            ),
            (
                "leading",
                _tr("Line distance"),
                "",
                1.6,
                0.5,
                20,
                _tr("From line to line, in heights of a capital letter"),
            ),
            (
                "radius",
                _tr("Radius"),
                "mm",
                20.0,
                -5000,
                5000,
                _tr("Of the arc, below 0 it hangs; of a circle, to the middle of the capitals"),
            ),
            (
                "spread",
                _tr("Spread over"),
                "°",
                0.0,
                0,
                360,
                _tr("The angle that the letters are spread over, 360 all round; 0 as they come"),
            ),
            ("angle", _tr("Turned"), "°", 0.0, -360, 360, _tr("Clockwise")),
            (
                "least",
                _tr("Least stroke"),
                "mm",
                0.0,
                0,
                100,
                _tr("Strokes thinner than this are made so thick, for the nozzle; 0 as the font has them"),
            ),
            ("width", _tr("Width"), "mm", 30.0, 0.1, 5000, ""),
            ("height", _tr("Height"), "mm", 20.0, 0.1, 5000, ""),
            ("corner", _tr("Corner rounding"), "mm", 0.0, 0, 1000, ""),
            ("sides", _tr("Sides or points"), "", 6.0, 3, 60, ""),
            ("inner", _tr("Inner, % of outer"), "", 60.0, 1, 99, ""),
            ("x", _tr("Right of middle"), "mm", 0.0, -5000, 5000, ""),
            ("y", _tr("Above middle"), "mm", 0.0, -5000, 5000, ""),
        ):
            field = NumberField(name, unit, low, high, 1, 2, tip)
            field.set_value(value)
            holder = QWidget()
            holder.setLayout(field_row(name, field))
            self.numbers[key] = (field, holder)
            holder_rows.append(holder)
        self.behind = Segments(
            _tr("Put it"),
            (
                ("front", _tr("in front"), _tr("It covers what is there")),
                ("behind", _tr("behind"), _tr("It shows where nothing is")),
            ),
        )
        self._behind = {"behind": False}
        self.behind.set_choice("front")
        self.behind.chosen.connect(lambda key: self._behind.update(behind=key == "behind"))
        self.done = button(_tr("add it"), "add")
        self.done.clicked.connect(self._finish)
        for part in (
            self.kind,
            self.text,
            self.font_box,
            self.note,
            self.stands,
            self.align,
            *holder_rows,
            self.behind,
        ):
            self.add_below(part)
        self.add_below(row(self.done))
        self._show_fields()

    # -- showing
    def _show_fields(self) -> None:
        kind = self.kind.currentData()
        text = kind == "text"
        lines = "\n" in self.text.text()
        if text:
            shown = {
                "size",
                "spacing",
                "angle",
                "least",
                "x",
                "y",
                *_STANDS[self.stands.currentData()],
                *(("leading",) if lines else ()),
            }
        else:
            shown = {*_FIELDS[kind], "x", "y"}
        note = self._said_of(self.font_box.currentText()) if text else ""
        self.note.setText(note)
        for part in (self.text, self.font_box, self.stands):
            part.setVisible(text)
        self.note.setVisible(bool(note))
        self.align.setVisible(text and lines)
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

    def start_anew(self) -> None:
        """Add something, rather than change what is there."""
        self._old = None
        self.title.setText(_tr("Add text or a shape"))
        self.done.setText(_tr("add it"))

    def show_edit(self, k: int, edit: e.AddText | e.AddShape) -> None:
        """Change an edit: its number among the others, and what it is now."""
        self._old = k, edit
        self.kind.setCurrentIndex(self.kind.findData("text" if isinstance(edit, e.AddText) else edit.kind))
        values = {"x": edit.centre[0], "y": edit.centre[1]}
        if isinstance(edit, e.AddText):
            self.text.setPlainText(edit.text)
            if self.font_box.findText(edit.font) < 0:
                self.font_box.insertItem(0, edit.font)
            self.font_box.setCurrentText(edit.font)
            where = (
                "straight"
                if not edit.radius
                else "arc"
                if not edit.around
                else "over"
                if edit.radius > 0
                else "under"
            )
            self.stands.setCurrentIndex(self.stands.findData(where))
            self._aligned["align"] = edit.align
            self.align.set_choice(edit.align)
            radius = abs(edit.radius) if edit.around else edit.radius
            values |= {
                "size": edit.size,
                "spacing": edit.spacing,
                "leading": edit.leading,
                "spread": edit.spread,
                "angle": edit.angle,
            }
            values |= {"least": edit.least_stroke, **({"radius": radius} if radius else {})}
        else:
            values |= {
                "width": edit.width,
                "height": edit.height,
                "corner": edit.corner,
                "sides": float(edit.sides),
                "inner": 100 * edit.inner,
            }
        for key, value in values.items():
            self.numbers[key][0].set_value(value)
        self._behind["behind"] = edit.behind
        self.behind.set_choice("behind" if edit.behind else "front")
        self.title.setText(_tr("Change it"))
        self.done.setText(_tr("change it"))
        self._show_fields()
        self.show()

    # -- what was filled in
    def _value(self, key: str) -> float:
        return self.numbers[key][0].value

    def _finish(self) -> None:
        kind = self.kind.currentData()
        colour = self._old[1].colour if self._old else self._ink()
        edit = self._text(colour) if kind == "text" else self._shape(kind, colour)
        if edit is None:
            return
        if self._old is None:
            self._add(_tr("add {0}").format(self.kind.currentText()), edit)
        else:
            k, _ = self._old
            self.start_anew()
            self._change(_tr("change {0}").format(self.kind.currentText()), k, edit)

    def _text(self, colour: str) -> e.AddText | None:
        if not self.text.text().strip():
            return None
        stands = self.stands.currentData()
        radius = self._value("radius") if "radius" in _STANDS[stands] else 0.0
        around = stands in ("over", "under")
        return e.AddText(
            self.text.text(),
            (self._value("x"), self._value("y")),
            self._value("size"),
            colour,
            self.font_box.currentText(),
            self._value("spacing"),
            -abs(radius) if stands == "under" else abs(radius) if around else radius,
            self._behind["behind"],
            self._value("leading"),
            self._aligned["align"],  # type: ignore[arg-type]  # as the segments have it
            self._value("angle"),
            around,
            self._value("spread") if around else 0.0,
            self._value("least"),
        )

    def _shape(self, kind: str, colour: str) -> e.AddShape:
        return e.AddShape(
            kind,  # type: ignore[arg-type]  # as the box has it
            (self._value("x"), self._value("y")),
            self._value("width"),
            self._value("height"),
            colour,
            self._value("corner"),
            int(self._value("sides")),
            self._value("inner") / 100,
            self._behind["behind"],
        )
