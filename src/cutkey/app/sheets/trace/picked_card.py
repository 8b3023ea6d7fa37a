"""What can be done with the picked pieces."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QMenu

from cutkey.app.sheets.trace.piece_tools import PieceTools
from cutkey.app.widgets.basics import Card, button, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model import table_edits as e


def _tr(text: str) -> str:
    return QCoreApplication.translate("PickedCard", text)


class PickedCard(Card):
    """Actions on the picked pieces, shown while there are any."""

    def __init__(self, tools: PieceTools) -> None:
        super().__init__(_tr("Picked"), "")
        self._tools = tools
        self.set_state(picked=True)
        actions = (
            (
                "delete",
                _tr("delete"),
                _tr("Take the pieces out; the place stays empty"),
                lambda: tools.act(_tr("delete"), e.Delete),
            ),
            (
                "absorb",
                _tr("to surroundings"),
                _tr("Give the pieces the colour around them"),
                lambda: tools.act(_tr("give to surroundings"), e.Absorb),
            ),
            (
                "keep",
                _tr("keep only"),
                _tr("Take everything else out"),
                lambda: tools.act(_tr("keep only"), e.Keep),
            ),
            ("join", _tr("join"), _tr("Give all of them the first one's colour"), tools.join),
            ("fill", _tr("fill holes"), "", lambda: tools.act(_tr("fill holes"), e.FillHoles)),
            (
                "part",
                _tr("split"),
                _tr("Each piece of these colours becomes a chip of its own"),
                lambda: tools.act(_tr("split into pieces"), e.Part),
            ),
        )
        self.buttons = {}
        for key, text, tip, run in actions:
            b = button(text, "segment", tip=tip or text)
            b.clicked.connect(lambda _=False, run=run: run())
            self.buttons[key] = b
        keys = list(self.buttons)
        self.add_below(row(*(self.buttons[k] for k in keys[:3]), spacing=4))
        self.add_below(row(*(self.buttons[k] for k in keys[3:]), spacing=4))
        self.amount = NumberField(
            _tr("By how much"),
            "mm",
            -100,
            100,
            0.1,
            2,
            _tr("For grow (below 0 shrinks), round, smooth and duplicate"),
        )
        self.amount.set_value(0.4)
        more = button(_tr("more"), "segment")
        menu = QMenu(more)
        for text, make in (
            (_tr("Grow or shrink by it"), lambda at: e.Offset(at, self.amount.value)),
            (
                _tr("Widen what is narrower to it"),
                lambda at: e.Widen(at=at, line=max(0.05, abs(self.amount.value))),
            ),
            (
                _tr("Give what is narrower than it away"),
                lambda at: e.JoinNarrow(at=at, line=max(0.05, abs(self.amount.value))),
            ),
            (_tr("Round corners by it"), lambda at: e.Round(at, abs(self.amount.value))),
            (_tr("Smooth bumps under it"), lambda at: e.Smooth(at, abs(self.amount.value))),
            (_tr("Move right by it"), lambda at: e.Move(at, ((self.amount.value, 0.0),))),
            (_tr("Move up by it"), lambda at: e.Move(at, ((0.0, self.amount.value),))),
            (
                _tr("Duplicate to the right by it"),
                lambda at: e.Move(at, ((self.amount.value, 0.0),), copy=True),
            ),
        ):
            menu.addAction(text).triggered.connect(
                lambda _=False, text=text, make=make: tools.act(text.lower(), make)
            )
        menu.addSeparator()
        for text, edge in (
            (_tr("Line up left"), "left"),
            (_tr("Line up right"), "right"),
            (_tr("Line up at the top"), "top"),
            (_tr("Line up at the bottom"), "bottom"),
            (_tr("Centre on an upright line"), "centre"),
            (_tr("Centre on a level line"), "middle"),
            (_tr("Spread evenly sideways"), "spread x"),
            (_tr("Spread evenly up and down"), "spread y"),
        ):
            menu.addAction(text).triggered.connect(lambda _=False, edge=edge: tools.align(edge))
        more.setMenu(menu)
        self.menu = menu
        self.add_below(row(self.amount, more))

    def fill_menu(self, menu: QMenu) -> None:
        """The same actions for a menu under the mouse."""
        for b in self.buttons.values():
            menu.addAction(b.text()).triggered.connect(lambda _=False, b=b: b.click())
        more = menu.addMenu(_tr("more"))
        for action in self.menu.actions():
            more.addAction(action)

    def show_count(self, count: int) -> None:
        """Show how many pieces are picked, nothing when none."""
        self.setVisible(count > 0)
        self.set_text(
            _tr("Picked"),
            _tr("{0} pieces").format(count) if count != 1 else _tr("1 piece; Shift-click picks more"),
        )
