"""Messages on the page: one clear sentence, with what can be done about it; never a modal box."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QWidget

from cutkey.app.widgets.basics import button, label

#: The topic of messages about what was just done.
STEP = "step"


class MessageStrip(QFrame):
    """A strip over the drawing; hidden while there is nothing to say."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "message")
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(12, 6, 6, 6)
        self._layout.setSpacing(8)
        self._text = label("", wrap=True)
        self._layout.addWidget(self._text, 1)
        self._buttons: list[QWidget] = []
        self._topic = ""
        self._said: tuple[str, list[tuple[str, Callable[[], object]]], bool, str] | None = None
        # warnings nobody has closed yet
        self._earlier: list[tuple[str, list[tuple[str, Callable[[], object]]], bool, str]] = []
        self._more = label("", "small")
        self._layout.addWidget(self._more)
        close = button("", "flat", "close", self.tr("Close this message"))
        close.clicked.connect(self._close)
        self._layout.addWidget(close)
        self.hide()

    @property
    def text(self) -> str:
        """The sentence shown, "" when hidden."""
        return self._text.text() if not self.isHidden() else ""

    def say(
        self,
        text: str,
        actions: Sequence[tuple[str, Callable[[], object]]] = (),
        calm: bool = False,
        topic: str = "",
    ) -> None:
        """Show a sentence and buttons; a calm one is a note, not a warning.

        A warning that nobody has closed yet comes back when this one is closed. One about `STEP` is about
        what was just done, and passes when something else is.
        """
        said = (text, list(actions), calm, topic)
        if self._said is not None and not self.isHidden() and not self._said[2] and self._said[0] != text:
            self._earlier = [e for e in self._earlier if e[0] not in (text, self._said[0])]
            if not (topic and self._said[3] == topic):
                self._earlier.append(self._said)
        self._show(*said)

    def hideEvent(self, event: QHideEvent) -> None:
        """What was put away is not said again."""
        if not event.spontaneous() and self.isHidden():
            self._earlier = []

    def _close(self) -> None:
        if self._earlier:
            self._show(*self._earlier.pop())
        else:
            self.hide()

    def _show(
        self, text: str, actions: Sequence[tuple[str, Callable[[], object]]], calm: bool, topic: str
    ) -> None:
        self._said = (text, list(actions), calm, topic)
        count = len(self._earlier)
        self._more.setText(self.tr("and {0} more").format(count) if count else "")
        for old in self._buttons:
            self._layout.removeWidget(old)
            old.deleteLater()
        self._buttons = []
        self._topic = topic
        self._text.setText(text)
        self.setAccessibleName(text)
        for name, action in actions:
            b = button(name)
            b.clicked.connect(self._close)
            b.clicked.connect(lambda _=False, action=action: action())
            self._layout.insertWidget(self._layout.count() - 1, b)
            self._buttons.append(b)
        self.setProperty("calm", calm)
        self.style().unpolish(self)
        self.style().polish(self)
        self.show()

    def settle(self, topic: str) -> None:
        """Take back messages about a topic that is no longer true; an earlier one comes back then."""
        self._earlier = [e for e in self._earlier if e[3] != topic]
        if self._topic == topic and not self.isHidden():
            self._close()
