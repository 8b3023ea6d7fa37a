"""Tools that add preparation steps.

Each says what to do on the picture and makes a step of what was drawn.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from itertools import groupby

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from cutkey.app.sheets.base import Desk
from cutkey.app.table.gesture import Gesture, Place
from cutkey.app.widgets.struct_form import said
from cutkey.core.steps import all_steps
from cutkey.core.steps.kind import Step, Tool


class PictureTools(QObject):
    """Makes steps; `add` takes each new one with what it is called."""

    def __init__(self, desk: Desk, add: Callable[[Step], None], ink: Callable[[], str]) -> None:
        super().__init__()
        self._desk, self._add, self._ink = desk, add, ink

    def fill_menu(self, menu: QMenu) -> None:
        """Every tool there is."""
        for group, kinds in groupby(all_steps(), lambda k: k.group):
            if group:
                menu.addSeparator()
            for kind in kinds:
                for tool in kind.tools():
                    menu.addAction(said(tool.text)).triggered.connect(partial(self.take, tool))

    def take(self, tool: Tool, _checked: bool = False) -> None:
        """Add the step at once, or take the tool in hand."""
        ink = tool.ink or self._ink()

        def done(places: list[Place]) -> None:
            step = tool.make(places if tool.upright else self._desk.table.to_fractions(places), ink)
            if step is not None:
                self._add(step)

        if tool.gesture is None:
            done([])
            return
        table, view = self._desk.table, self._desk.graphic_view()
        if (view is None or view.picture is None) and not tool.upright:
            self._desk.message.say(
                self.tr("Preparation needs a picture; a vector drawing is edited on the table itself.")
            )
            return
        a, b = table.to_fractions([(0.0, 0.0), (1.0, 0.0)]) if tool.brush else ((0.0, 0.0), (1.0, 0.0))
        width = tool.brush / max(1e-9, math.dist(a, b))
        table.start(
            Gesture(
                tool.gesture,
                said(tool.prompt).format(ink),
                done,
                True,
                tool.stays,
                width,
                ink if tool.brush else "",
            )
        )
