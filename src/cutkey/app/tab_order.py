"""Tab goes through the window as it is read, whatever was made first: panel by panel, line by line."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication, QRadioButton, QScrollArea, QWidget

#: Pixels within which things stand in one line.
LINE = 14


def reading_order(places: Sequence[QWidget]) -> list[QWidget]:
    """What can be reached with Tab: place by place, in each from top to bottom and left to right."""
    out: list[QWidget] = []
    taken: set[int] = set()  # comparing some hundred widgets with one another holds the window
    for place in places:
        if not place.isVisible():
            continue
        found = [w for w in (place, *place.findChildren(QWidget)) if id(w) not in taken and _reached(w)]
        taken |= {id(w) for w in found}
        corners = {w: w.mapTo(place, QPoint(0, 0)) for w in found}
        out += sorted(found, key=lambda w: (round((corners[w].y() + w.height() / 2) / LINE), corners[w].x()))
    return out


def _reached(w: QWidget) -> bool:
    policy = w.focusPolicy()
    if (
        not (policy & Qt.FocusPolicy.TabFocus)
        or not w.isVisible()
        or not w.isEnabled()
        or w.focusProxy() is not None
    ):
        return False
    # The field inside a combo or spin box is reached as that; of a group of radio buttons only the one that
    # is on.
    parent = w.parentWidget()
    inside = parent is not None and parent.focusProxy() is w
    return not inside and not (isinstance(w, QRadioButton) and not w.isChecked())


def focus_next(places: Sequence[QWidget], forward: bool) -> bool:
    """Give the keyboard to what comes next; False when there is nothing."""
    order = reading_order(places)
    if not order:
        return False
    now = QApplication.focusWidget()
    while now is not None and now not in order:
        now = now.parentWidget()
    at = order.index(now) + (1 if forward else -1) if now is not None else 0
    wanted = order[at % len(order)]
    wanted.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
    holder = wanted.parentWidget()
    while holder is not None:
        if isinstance(holder, QScrollArea):
            holder.ensureWidgetVisible(wanted)
        holder = holder.parentWidget()
    return True
