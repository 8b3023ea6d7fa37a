"""Says of everything that belongs to the job as it was before the last change that it does."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QLabel, QWidget

from cutkey.app.widgets.basics import label

#: Distance of a tag from the corner of what it marks, px.
_OFF = 9


class LateMarks(QObject):
    """A small tag in the upper right corner of each place that shows results."""

    def __init__(self) -> None:
        super().__init__()
        self._tags: dict[QWidget, QLabel] = {}

    def show_marks(self, texts: Mapping[QWidget, str]) -> None:
        """Mark these places with these words, and no others."""
        for place in texts:
            if place not in self._tags:
                self._tags[place] = self._made(place)
        for place, tag in self._tags.items():
            if place in texts:
                tag.setText(texts[place])
                self._put(place)
                tag.raise_()
            tag.setVisible(place in texts)

    @property
    def marked(self) -> list[QWidget]:
        """The places that are marked."""
        return [place for place, tag in self._tags.items() if not tag.isHidden()]

    def _made(self, place: QWidget) -> QLabel:
        tag = label("", "late")
        tag.setParent(place)
        tag.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        place.installEventFilter(self)
        return tag

    def _put(self, place: QWidget) -> None:
        tag = self._tags[place]
        tag.adjustSize()
        tag.move(place.width() - tag.width() - _OFF, _OFF)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay in the corner."""
        if event.type() == QEvent.Type.Resize and isinstance(watched, QWidget) and watched in self._tags:
            self._put(watched)
        return False
