"""Small parts every sheet is made of: labels, cards, segments, rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QAction, QColor, QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from cutkey.app.theme import theme


def label(text: str, role: str = "", wrap: bool = False) -> QLabel:
    """A label in one of the theme's roles: heading, caption, small, warn, title."""
    out = QLabel(text)
    out.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        out.setProperty("role", role)
    out.setWordWrap(wrap)
    return out


def recolour_icons(root: QWidget) -> None:
    """Icons of all buttons in the colours of the present theme."""
    for b in root.findChildren(QAbstractButton):
        wanted = b.property("drawn")
        if isinstance(wanted, tuple | list):
            b.setIcon(theme.icon(*wanted))


def button(text: str, role: str = "", icon: str = "", tip: str = "") -> QPushButton:
    """A push button in one of the theme's roles."""
    out = QPushButton(text)
    out.setAccessibleName(text or tip)
    if role:
        out.setProperty("role", role)
    if icon:
        colour = {"add": "ultramarine", "cut": "madder", "main": "on_ink"}.get(role, "ink")
        out.setIcon(theme.icon(icon, colour))
        out.setIconSize(QSize(16, 16))
        out.setProperty("drawn", [icon, colour])
    if tip:
        out.setToolTip(tip)
    return out


def allow(control: QWidget | QAction, why_not: str) -> None:
    """Let a control be used, or say under the mouse why it cannot be."""
    if control.property("tip") is None:
        control.setProperty("tip", control.toolTip())
    control.setEnabled(not why_not)
    control.setToolTip(why_not or control.property("tip"))


def context_menu(parent: QWidget) -> QMenu:
    """A menu that opens under the mouse, says why an entry cannot be used, and is gone when it is closed."""
    menu = QMenu(parent)
    menu.setToolTipsVisible(True)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def row(*widgets: QWidget | int, spacing: int = 8) -> QHBoxLayout:
    """Widgets beside each other; a number is a stretch."""
    out = QHBoxLayout()
    out.setContentsMargins(0, 0, 0, 0)
    out.setSpacing(spacing)
    for w in widgets:
        if isinstance(w, int):
            out.addStretch(w)
        else:
            out.addWidget(w)
    return out


def field_row(name: str, field: QWidget, tip: str = "", wide: int = 86) -> QHBoxLayout:
    """A captioned field of the panels; the caption is at least `wide` px wide."""
    caption = label(name, "caption")
    caption.setMinimumWidth(wide)
    caption.setToolTip(tip or field.toolTip())
    caption.setBuddy(field)
    out = row(caption, field)
    out.setStretch(1, 1)
    return out


def column(spacing: int = 7) -> tuple[QWidget, QVBoxLayout]:
    """A widget whose layout takes things below each other."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    return holder, layout


def fill(layout: QVBoxLayout, *items: QWidget | QLayout) -> None:
    """Put widgets or rows below each other."""
    for item in items:
        if isinstance(item, QLayout):
            layout.addLayout(item)
        else:
            layout.addWidget(item)


class Panel(QFrame):
    """A ruled sheet of paper with a heading; what does not fit scrolls."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "panel")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(13, 11, 6, 8)
        outer.setSpacing(8)
        self._heading = label("", "heading")
        outer.addWidget(self._heading)
        inner = QWidget()
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(0, 0, 7, 0)
        self.body.setSpacing(7)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        outer.addWidget(scroll)

    def set_heading(self, text: str) -> None:
        """Change the heading."""
        self._heading.setText(text)

    def add(self, *items: QWidget | QLayout) -> None:
        """Add widgets or rows below each other."""
        fill(self.body, *items)


class Swatch(QWidget):
    """A square of a filament's colour."""

    def __init__(self, colour: str, side: int = 28, round_: bool = False) -> None:
        super().__init__()
        self._colour, self._round = colour, round_
        self.setFixedSize(side, side)

    def set_colour(self, colour: str) -> None:
        """Show another colour."""
        self._colour = colour
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter = QPainter(self)
        painter.setPen(theme.colour("ink"))
        painter.setBrush(QColor(self._colour))
        box = self.rect().adjusted(0, 0, -1, -1)
        if self._round:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.drawEllipse(box)
            hub = box.center()
            painter.setBrush(theme.colour("sheet"))
            painter.drawEllipse(hub, box.width() // 7, box.width() // 7)
        else:
            painter.drawRect(box)


class Card(QFrame):
    """A row of a list: an optional swatch or icon, a title, a line below, and whatever else is added."""

    clicked = Signal()
    double_clicked = Signal()

    def __init__(self, title: str, subtitle: str = "", mark: QWidget | None = None) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.setAccessibleName(title)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        self.context: Callable[[], QMenu] | None = None
        self._outer = QVBoxLayout(self)
        self._outer.setContentsMargins(9, 7, 9, 7)
        self._outer.setSpacing(6)
        self.title = label(title, "title")
        self.subtitle = label(subtitle, "small", wrap=True)
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(self.title)
        words.addWidget(self.subtitle)
        self._head = row(spacing=9)
        if mark is not None:
            self._head.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
        self._head.addLayout(words, 1)
        self._outer.addLayout(self._head)
        # Only now: a widget that is made visible before it has a parent flashes up as a window.
        self.subtitle.setVisible(bool(subtitle))

    def set_text(self, title: str, subtitle: str) -> None:
        """Change both lines."""
        self.title.setText(title)
        self.subtitle.setText(subtitle)
        self.subtitle.setVisible(bool(subtitle))
        self.setAccessibleName(title)

    def add_beside(self, widget: QWidget) -> None:
        """Put something at the right end of the head."""
        self._head.addWidget(widget, 0, Qt.AlignmentFlag.AlignTop)

    def add_below(self, item: QWidget | QLayout) -> None:
        """Put something under the head."""
        fill(self._outer, item)

    def set_state(self, picked: bool = False, alarm: bool = False) -> None:
        """Show the card as picked, or as something that must be looked at."""
        if (bool(self.property("picked")), bool(self.property("alarm"))) == (picked, alarm):
            return
        self.setProperty("picked", picked)
        self.setProperty("alarm", alarm)
        self.style().unpolish(self)
        self.style().polish(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick it."""
        if event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()
        super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open it."""
        self.double_clicked.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with it."""
        if self.context is not None:
            self.context().popup(event.globalPos())
        else:
            super().contextMenuEvent(event)


class Segments(QWidget):
    """A few choices side by side, one of them taken."""

    chosen = Signal(str)

    def __init__(self, name: str, choices: Sequence[tuple[str, str, str]]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        layout = row(spacing=0)
        self.setLayout(layout)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QPushButton] = {}
        for key, text, tip in choices:
            b = button(text, "segment", tip=tip)
            b.setCheckable(True)
            b.setAccessibleName(f"{name}: {text}")
            b.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            self._group.addButton(b)
            self._buttons[key] = b
            layout.addWidget(b, 1)

    @property
    def choice(self) -> str:
        """What is taken, "" when nothing is."""
        return next((key for key, b in self._buttons.items() if b.isChecked()), "")

    def set_choice(self, key: str) -> None:
        """Show a choice as taken."""
        if key in self._buttons:
            self._buttons[key].setChecked(True)

    def button(self, key: str) -> QPushButton:
        """The button of a choice."""
        return self._buttons[key]


class Choice(QComboBox):
    """A list of choices that is no wider than its place."""

    def __init__(self, name: str, tip: str = "") -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tip or name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(6)


def clear(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget, inner = (item.widget(), item.layout()) if item else (None, None)
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)
