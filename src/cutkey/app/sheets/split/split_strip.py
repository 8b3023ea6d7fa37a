"""The strip of the Split sheet: beds, the picked joint close up, setting out.

In a wide window two of them at once.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.split.joint_strip import JointStrip
from cutkey.app.sheets.split.lying import Lying
from cutkey.app.sheets.split.setting_strip import SettingStrip
from cutkey.app.widgets.basics import Segments

#: Windows at least so wide show the joint beside the beds; those narrower than this have the pages' names
#: further left.
WIDE, NARROW = 1600, 1120


class SplitStrip(QWidget):
    """`move_keys` takes the places a joint's keys were dragged to, and whether the drag has ended."""

    def __init__(self, desk: Desk, move_keys: Callable[[list[tuple[float, float]], bool], None]) -> None:
        super().__init__()
        self.beds, self.joint, self.setting = Lying(desk), JointStrip(move_keys), SettingStrip()
        self.page_name, self._wide = "beds", False
        self.names = Segments(
            self.tr("Strip"),
            (
                ("beds", self.tr("beds"), self.tr("What is printed together, on which bed")),
                (
                    "joint",
                    self.tr("joint"),
                    self.tr("The picked joint close up, with dimensions; drag its keys"),
                ),
                (
                    "setting",
                    self.tr("setting out"),
                    self.tr("Spacers between loose islands, and which number goes where"),
                ),
            ),
        )
        self.names.chosen.connect(self.turn)
        self.names.set_choice("beds")
        self._stack = QStackedWidget()
        for page in (self.beds, self.joint, self.setting):
            self._stack.addWidget(page)
        self.names.setParent(self._stack)
        self.names.setGeometry(232, 3, 264, 26)
        self._beside = QWidget()
        self._room = QVBoxLayout(self._beside)
        self._room.setContentsMargins(0, 0, 0, 0)
        self._beside.hide()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._stack, 1)
        layout.addWidget(self._beside, 1)
        self.names.raise_()

    def make_room(self, width: int) -> None:
        """The joint beside the beds in a wide window, else behind them."""
        wide = width >= WIDE
        self.names.setGeometry(232 if width >= NARROW else 80, 3, 176 if wide else 264, 26)
        if wide == self._wide:
            return
        self._wide = wide
        if wide:
            self._room.addWidget(self.joint)
            self.joint.show()
        else:
            self._stack.insertWidget(1, self.joint)
        self._beside.setVisible(wide)
        self.names.button("joint").setVisible(not wide)
        self.turn("beds" if wide and self.page_name == "joint" else self.page_name)

    def turn(self, name: str) -> None:
        """Show a page: "beds", "joint" or "setting"."""
        self.page_name = name
        shown = {"beds": self.beds, "joint": self.joint, "setting": self.setting}[name]
        if self._stack.indexOf(shown) >= 0:
            self._stack.setCurrentWidget(shown)
            self.names.set_choice(name)
        self.names.raise_()
