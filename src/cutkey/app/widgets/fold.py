"""Sections and cards of a panel that fold, and remember it between sessions."""

from __future__ import annotations

import json
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtWidgets import QLayout, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, button
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


class FoldingCard(Card):
    """A card whose contents fold away under its title; what it says there stays."""

    def __init__(self, name: str, title: str, subtitle: str = "", mark: QWidget | None = None) -> None:
        super().__init__(title, subtitle, mark)
        self._name = name
        self._inner = QWidget()
        self._inside = QVBoxLayout(self._inner)
        self._inside.setContentsMargins(0, 0, 0, 0)
        self._inside.setSpacing(6)
        super().add_below(self._inner)
        self.head = button("", "fold", tip=self.tr("Fold or unfold"))
        self.head.setAccessibleName(self.tr("Fold {0}").format(title))
        self.head.setFixedWidth(26)
        self.head.setCheckable(True)
        self.head.clicked.connect(lambda _: self.fold(self.head.isChecked()))
        self.add_beside(self.head)
        self._show(name in folded())

    def add_below(self, item: QWidget | QLayout) -> None:
        """Put something where it folds away."""
        if isinstance(item, QLayout):
            self._inside.addLayout(item)
        else:
            self._inside.addWidget(item)

    def fold(self, away: bool) -> None:
        """Fold or unfold, and remember it."""
        self._show(away)
        _keep(self._name, away)

    def _show(self, away: bool) -> None:
        self.head.setChecked(away)
        self.head.setText("▸" if away else "▾")
        self._inner.setVisible(not away)
