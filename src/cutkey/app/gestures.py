"""Where a gesture begins, and who undo belongs to while the keyboard is in a field."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from cutkey.app.document import Document


class Gestures(QObject):
    """Ends a gesture when something else is pressed or gets the keyboard.

    Parameters
    ----------
    drawings : iterable of widgets
        What is dragged on; a press there begins another gesture.

    In a field where nothing is being typed, undo and redo are the job's.
    """

    def __init__(self, document: Document, drawings: Iterable[QWidget]) -> None:
        super().__init__()
        self._document = document
        for watched in drawings:
            watched.installEventFilter(self)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._moved_on)

    def _moved_on(self, before: QWidget | None, now: QWidget | None) -> None:
        self._document.end_gesture()
        # Only the field that has the keyboard: every event of a watched widget takes the way through here.
        for field in (before, now):
            if isinstance(field, QLineEdit):
                field.removeEventFilter(self)
        if isinstance(now, QLineEdit):
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Look at presses and at keys that a field claims for itself."""
        if event.type() == QEvent.Type.MouseButtonPress:
            self._document.end_gesture()
        elif (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(watched, QLineEdit)
            and not watched.isModified()
        ):
            assert isinstance(event, QKeyEvent)
            if event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo):
                event.ignore()
                return True
        return False
