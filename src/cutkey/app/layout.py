"""How the window is laid out: five sheets round one drawing, the title block, messages."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QCoreApplication, QSize, Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenuBar,
    QScrollArea,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from cutkey.app.menus import built_welcome
from cutkey.app.widgets.basics import button, label, row
from cutkey.app.widgets.sheet_frame import SheetFrame
from cutkey.app.widgets.sheet_tabs import SheetTabs
from cutkey.app.widgets.steps_popup import StepsPopup

if TYPE_CHECKING:
    from cutkey.app.window import Window

#: Widths of the panels and height of the strip, px, in windows of at least a width: where there is room, more
#: is shown.
ROOMS = ((1600, (290, 330, 236)), (1120, (248, 274, 180)), (0, (252, 256, 150)))


def _tr(text: str) -> str:
    return QCoreApplication.translate("Window", text)


def lay_out_window(w: Window) -> None:
    """Make the parts of a window and put them in their places."""
    root = QWidget()
    root.setObjectName("window")
    outer = QVBoxLayout(root)
    outer.setContentsMargins(0, 0, 0, 8)
    outer.setSpacing(6)
    w.menus = QMenuBar()
    w.menus.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    w.job_name = label("", "title")
    w.undo_button = button("", "flat", "undo", _tr("Undo"))
    w.redo_button = button("", "flat", "redo", _tr("Redo"))
    for b in (w.undo_button, w.redo_button):
        b.setIconSize(QSize(19, 19))
    w.bar = QHBoxLayout()
    w.bar.setContentsMargins(14, 6, 8, 0)
    w.bar.addWidget(label("Cut Key", "brand"))
    w.bar.addWidget(w.menus)
    w.bar.addStretch(1)
    w.bar.addWidget(w.job_name)
    w.bar.addStretch(1)
    w.bar.addWidget(w.undo_button)
    w.bar.addWidget(w.redo_button)
    w.steps_button = button(_tr("steps"), "flat", tip=_tr("Every step of this job, to go back to"))
    w.steps_popup = StepsPopup(w, w.document.go_to)
    w.bar.addWidget(w.steps_button)
    outer.addLayout(w.bar)
    w.tabs = SheetTabs([(s.id, _tr(s.title), _tr(s.tip)) for s in w.sheets.values()])
    w.lefts, w.rights, w.strips = QStackedWidget(), QStackedWidget(), QStackedWidget()
    for view in w.sheets.values():
        w.lefts.addWidget(view.left)
        w.rights.addWidget(view.right)
        w.strips.addWidget(view.strip)
    w.strips.setProperty("role", "panel")
    w.halves = QSplitter(Qt.Orientation.Horizontal)
    w.halves.addWidget(w.stage)
    w.halves.addWidget(w.face)
    w.halves.addWidget(w.ladder)
    w.halves.addWidget(w.film)
    w.halves.setSizes([520, 480, 190, 480])
    w.halves.setChildrenCollapsible(False)
    w.centre = QStackedWidget()
    w.centre.addWidget(w.table)
    w.centre.addWidget(w.halves)
    w.welcome = built_welcome(w)
    scroll = QScrollArea()
    scroll.setWidget(w.welcome)
    scroll.setWidgetResizable(True)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    w.centre.addWidget(scroll)
    w.frame = SheetFrame(w.centre)
    middle = QVBoxLayout()
    middle.setSpacing(8)
    middle.addWidget(w.message)
    middle.addWidget(w.keeper.copies)
    middle.addWidget(w.frame, 1)
    middle.addWidget(w.strips)
    w.side = QWidget()
    column = QVBoxLayout(w.side)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(8)
    column.addWidget(w.rights, 1)
    column.addWidget(w.block)
    body = row(w.tabs, w.lefts, spacing=6)
    body.addLayout(middle, 1)
    body.addWidget(w.side)
    body.setContentsMargins(0, 0, 8, 0)
    outer.addLayout(body, 1)
    w.setCentralWidget(root)


def make_room(w: Window) -> None:
    """Panels as wide as the window allows."""
    left, right, strip = next(sizes for least, sizes in ROOMS if w.width() >= least)
    w.lefts.setFixedWidth(left)
    w.side.setFixedWidth(right)
    w.strips.setFixedHeight(strip)
    for view in w.sheets.values():
        view.make_room(w.width())
