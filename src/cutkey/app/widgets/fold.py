"""Sections and cards of a panel that fold, and remember it between sessions."""

from __future__ import annotations

import json
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtWidgets import QLayout, QPushButton, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, fill
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


class _Head(QPushButton):
    """The triangle that folds something away, with a text or alone; remembered by a name."""

    def __init__(self, name: str, text: str, spoken: str, inner: QWidget) -> None:
        super().__init__()
        self._name, self._text, self._inner = name, text, inner
        self.setProperty("role", "fold")
        self.setToolTip(self.tr("Fold or unfold"))
        self.setAccessibleName(spoken)
        self.setCheckable(True)
        self.clicked.connect(lambda _: self.fold(self.isChecked()))
        self._show(name in folded())

    def fold(self, away: bool) -> None:
        """Fold or unfold, and remember it."""
        self._show(away)
        _keep(self._name, away)

    def _show(self, away: bool) -> None:
        self.setChecked(away)
        mark = "▸" if away else "▾"
        self.setText(f"{mark}  {self._text}" if self._text else mark)
        self._inner.setVisible(not away)


class Fold(QWidget):
    """A heading to click, and what is under it; `name` is what it is remembered by."""

    def __init__(self, name: str, title: str, *items: QWidget | QLayout) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        # Of this widget from the start: one that is made visible before it has a parent flashes up as a
        # window.
        inner = QWidget(self)
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(0, 0, 0, 4)
        self.body.setSpacing(6)
        self.head = _Head(name, title, title, inner)
        fill(layout, self.head, inner)
        self.add(*items)

    def add(self, *items: QWidget | QLayout) -> None:
        """Put things under the heading."""
        fill(self.body, *items)


class FoldingCard(Card):
    """A card whose contents fold away under its title; what it says there stays."""

    def __init__(self, name: str, title: str, subtitle: str = "", mark: QWidget | None = None) -> None:
        super().__init__(title, subtitle, mark)
        inner = QWidget(self)
        self._inside = QVBoxLayout(inner)
        self._inside.setContentsMargins(0, 0, 0, 0)
        self._inside.setSpacing(6)
        super().add_below(inner)
        self.head = _Head(name, "", self.tr("Fold {0}").format(title), inner)
        self.head.setFixedWidth(26)
        self.add_beside(self.head)

    def add_below(self, item: QWidget | QLayout) -> None:
        """Put something where it folds away."""
        fill(self._inside, item)
