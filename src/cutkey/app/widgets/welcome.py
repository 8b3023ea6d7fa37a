"""The empty start: what to begin with, the demo jobs as small pictures, and what was open lately."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from cutkey.app.theme import theme
from cutkey.app.widgets.basics import button, clear, label

#: Size of the demos' pictures, px, and the number of recent jobs shown.
PICTURE = QSize(150, 96)
_RECENT = 5


class Welcome(QWidget):
    """Shown on the table while the job is empty.

    Everything on it is a button, and files may be dropped anywhere.

    Parameters
    ----------
    starts : sequence of (text, what it takes, icon, function)
    demos : sequence of (name, text)
    """

    def __init__(
        self,
        starts: Sequence[tuple[str, str, str, Callable[[], object]]],
        demos: Sequence[tuple[str, str]],
        open_demo: Callable[[str], object],
        open_recent: Callable[[Path], object],
    ) -> None:
        super().__init__()
        self.setObjectName("welcome")
        self._open_recent = open_recent
        outer = QVBoxLayout(self)
        outer.setContentsMargins(34, 22, 34, 18)
        outer.setSpacing(12)
        outer.addStretch(2)
        outer.addWidget(label(self.tr("Begin with a picture, a drawing or a model"), "heading"))
        self._first = QGridLayout()
        self._first.setSpacing(10)
        self.areas: list[QToolButton] = []
        for text, takes, icon, run in starts:
            b = _tile(f"{text}\n{takes}", "area")
            b.setIcon(theme.icon(icon, "ultramarine"))
            b.setProperty("drawn", [icon, "ultramarine"])
            b.setIconSize(QSize(26, 26))
            b.clicked.connect(lambda _=False, run=run: run())
            self.areas.append(b)
        outer.addLayout(self._first)
        outer.addWidget(
            label(
                self.tr("Click one, drop a file anywhere in the window, or paste a picture with Ctrl+V."),
                "small",
                wrap=True,
            )
        )
        outer.addStretch(1)
        outer.addWidget(label(self.tr("Or look at a finished job"), "heading"))
        self._second = QGridLayout()
        self._second.setSpacing(10)
        self.demos: dict[str, QToolButton] = {}
        for name, text in demos:
            b = _tile(text, "demo")
            picture = QPixmap()
            picture.loadFromData((files("cutkey") / "app/assets/demos" / f"{name}.png").read_bytes())
            b.setIcon(QIcon(picture))
            b.setIconSize(PICTURE)
            b.clicked.connect(partial(open_demo, name))
            self.demos[name] = b
        outer.addLayout(self._second)
        outer.addStretch(1)
        self._recent_title = label(self.tr("Recent jobs"), "heading")
        outer.addWidget(self._recent_title)
        self._recent = QHBoxLayout()
        outer.addLayout(self._recent)
        outer.addStretch(2)

    def resizeEvent(self, event: object) -> None:
        """As many beside each other as there is room for."""
        room = self.width() - 68
        for grid, tiles, wide in (
            (self._first, self.areas, 190),
            (self._second, list(self.demos.values()), 176),
        ):
            across = max(1, min(3, room // wide))
            if grid.count() == len(tiles) and grid.property("across") == across:
                continue
            grid.setProperty("across", across)
            for k, tile in enumerate(tiles):
                grid.addWidget(tile, k // across, k % across)

    def show_recent(self, paths: Sequence[Path]) -> None:
        """Jobs that were open lately, the last one first."""
        clear(self._recent)
        for path in paths[:_RECENT]:
            b = button(path.stem, "flat", tip=str(path))
            b.clicked.connect(partial(self._open_recent, path))
            self._recent.addWidget(b)
        self._recent.addStretch(1)
        self._recent_title.setVisible(bool(paths))


def _tile(text: str, role: str) -> QToolButton:
    b = QToolButton()
    b.setText(text)
    b.setAccessibleName(text.replace("\n", ": "))
    b.setProperty("role", role)
    b.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
    b.setSizePolicy(b.sizePolicy().Policy.Ignored, b.sizePolicy().Policy.Fixed)
    b.setMinimumWidth(160)
    return b
