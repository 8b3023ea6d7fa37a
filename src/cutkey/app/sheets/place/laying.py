"""Choosing where something goes: a click on the model, or one of its sides by name."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QCoreApplication, Qt

from cutkey.app.sheets.base import Desk
from cutkey.app.stage.picking import Hit
from cutkey.app.widgets.basics import Card, button, row
from cutkey.core.model.placement import SIDES, SidePlace


def _tr(text: str) -> str:
    return QCoreApplication.translate("Laying", text)


def side_names() -> dict[str, str]:
    """What the sides of a model are called."""
    return dict(
        zip(
            SIDES,
            (_tr("top"), _tr("bottom"), _tr("front"), _tr("back"), _tr("left"), _tr("right")),
            strict=True,
        )
    )


class Laying(Card):
    """Asks for a place; the next click on the model, or a button here, gives it to what was armed."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(_tr("Where?"), "")
        self._desk = desk
        self._act: Callable[[Hit], None] | None = None
        self.sides = {
            side: button(name, tip=_tr("The middle of this side")) for side, name in side_names().items()
        }
        buttons = list(self.sides.values())
        for side, b in self.sides.items():
            b.clicked.connect(partial(self.choose, side))
        for k in (0, 3):
            self.add_below(row(*buttons[k : k + 3], spacing=5))
        self.hide()

    @property
    def armed(self) -> bool:
        """Whether a place is being asked for."""
        return self._act is not None

    def ask(self, act: Callable[[Hit], None], text: str, sides: bool = True) -> None:
        """Have the next click on the model do something."""
        self._act = act
        self.set_text(_tr("Where?"), text)
        for b in self.sides.values():
            b.setVisible(sides)
        self.show()
        self._desk.stage.setCursor(Qt.CursorShape.CrossCursor)
        self._desk.stage.setFocus()

    def take(self, hit: Hit) -> bool:
        """Give a place to what asked for one; False when nothing did."""
        if self._act is None:
            return False
        act = self._act
        self.leave()
        act(hit)
        return True

    def choose(self, side: str, _checked: bool = False) -> None:
        """Take the middle of a side."""
        act = self._act
        if act is None:
            return

        def known(place: SidePlace) -> None:
            act(Hit("side", np.asarray(place.point), np.asarray(place.normal), named=True))

        self.leave()
        self._desk.engine.look(self._desk.job, f"side {side}", known)

    def leave(self) -> None:
        """Ask no more."""
        self._act = None
        self.hide()
        self._desk.stage.setCursor(Qt.CursorShape.ArrowCursor)
