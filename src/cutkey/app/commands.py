"""The window's actions: menus, shortcuts, and the finder that runs any of them by name."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QCompleter, QLineEdit, QMainWindow, QMenu


class Commands(QObject):
    """Makes actions, keeps them findable by their text."""

    def __init__(self, window: QMainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.all: list[QAction] = []

    def add(
        self, menu: QMenu, text: str, run: Callable[[], object], keys: str = "", tip: str = ""
    ) -> QAction:
        """An action in a menu."""
        action = QAction(text, self._window)
        if keys:
            action.setShortcuts([QKeySequence(k) for k in keys.split("|")])
        if tip:
            action.setToolTip(tip)
        action.triggered.connect(lambda _=False: run())
        menu.addAction(action)
        self._window.addAction(action)
        self.all.append(action)
        return action


class Finder(QLineEdit):
    """Type a few letters of what you want to do."""

    def __init__(self, commands: Commands) -> None:
        super().__init__()
        self._commands = commands
        self.setPlaceholderText(self.tr("find an action… Ctrl+K"))
        self.setAccessibleName(self.tr("Find an action"))
        self.setFixedWidth(190)
        names = [self._name(a) for a in commands.all]
        completer = QCompleter(names, self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setMaxVisibleItems(9)
        self._ran = False  # just now: Return in the list comes as a choice and as a Return, in either order
        completer.activated.connect(self._once)
        self.setCompleter(completer)
        self.returnPressed.connect(lambda: self._once(self.text()))

    def _once(self, text: str) -> None:
        if self._ran:
            return
        self._ran = True
        QTimer.singleShot(0, self, self._settle)
        self._run(text)

    def _settle(self) -> None:
        self._ran = False
        self.clear()

    @staticmethod
    def _name(action: QAction) -> str:
        return action.text().replace("&", "").replace("…", "")

    def _run(self, text: str) -> None:
        """Run the action of that name, or the only one that contains the text."""
        names = [a for a in self._commands.all if self._name(a).lower() == text.lower()]
        found = names or [a for a in self._commands.all if text and text.lower() in self._name(a).lower()]
        if len(found) >= 1 and found[0].isEnabled():
            self.clear()
            self.clearFocus()
            found[0].trigger()
