"""The arrow keys as directions."""

from __future__ import annotations

from PySide6.QtCore import Qt

_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


def arrow_of(key: int) -> tuple[int, int] | None:
    """Right and up of an arrow key, None for any other."""
    return next((way for arrow, way in _ARROWS.items() if key == arrow), None)
