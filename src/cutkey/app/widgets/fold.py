"""A section of a panel that folds, and remembers it between sessions."""

from __future__ import annotations

import json
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtWidgets import QLayout, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import button
from cutkey.core.files import write_atomic


def _file() -> Path:
    return user_state_path("cutkey", appauthor=False) / "folds.json"


def folded() -> set[str]:
    """Names of the sections that were folded."""
    try:
        names = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return set()
    return {n for n in names if isinstance(n, str)} if isinstance(names, list) else set()


def _keep(name: str, is_folded: bool) -> None:
    names = folded() | {name} if is_folded else folded() - {name}
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps(sorted(names)).encode())
    except OSError:
        # It is only folded for this once, then.
        return


class Fold(QWidget):
    """A heading to click, and what is under it; `name` is what it is remembered by."""

    def __init__(self, name: str, title: str, *items: QWidget | QLayout) -> None:
        super().__init__()
        self._name = name
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.head = button(title, "fold", tip=self.tr("Fold or unfold"))
        self.head.setAccessibleName(title)
        self.head.setCheckable(True)
        self.head.clicked.connect(lambda _: self.fold(self.head.isChecked()))
        self.inner = QWidget()
        self.body = QVBoxLayout(self.inner)
        self.body.setContentsMargins(0, 0, 0, 4)
        self.body.setSpacing(6)
        layout.addWidget(self.head)
        layout.addWidget(self.inner)
        self._title = title
        self.add(*items)
        self._show(name in folded())

    def add(self, *items: QWidget | QLayout) -> None:
        """Put things under the heading."""
        for item in items:
            if isinstance(item, QLayout):
                self.body.addLayout(item)
            else:
                self.body.addWidget(item)

    def fold(self, away: bool) -> None:
        """Fold or unfold, and remember it."""
        self._show(away)
        _keep(self._name, away)

    def _show(self, away: bool) -> None:
        self.head.setChecked(away)
        self.head.setText(("▸  " if away else "▾  ") + self._title)
        self.inner.setVisible(not away)
