"""The list of edits made on the table, each switched or taken out again."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from cutkey.app.widgets.basics import Card, button, clear
from cutkey.core.model import table_edits as e
from cutkey.core.units import format_mm

Edits = tuple[e.Edit, ...]


def _tr(text: str) -> str:
    return QCoreApplication.translate("EditList", text)


def describe(edit: e.Edit) -> tuple[str, str]:
    """Title and summary of an edit."""
    title = {
        e.Delete: _tr("Delete"),
        e.Keep: _tr("Keep only"),
        e.Recolour: _tr("Recolour"),
        e.Absorb: _tr("Give to surroundings"),
        e.Part: _tr("Split into pieces"),
        e.FillHoles: _tr("Fill holes"),
        e.Offset: _tr("Grow"),
        e.Widen: _tr("Widen what is narrow"),
        e.JoinNarrow: _tr("As printable"),
        e.Round: _tr("Round corners"),
        e.Smooth: _tr("Smooth"),
        e.Straighten: _tr("Straighten"),
        e.MoveNode: _tr("Move edge"),
        e.AddNode: _tr("Add node"),
        e.DeleteNode: _tr("Delete node"),
        e.Bend: _tr("Bend an edge"),
        e.Cut: _tr("Cut"),
        e.Mirror: _tr("Mirror"),
        e.Move: _tr("Move"),
        e.AddShape: _tr("Shape"),
        e.AddText: _tr("Text"),
        e.CloseLines: _tr("Close lines"),
    }[type(edit)]
    if isinstance(edit, e.Offset):
        return (title if edit.mm >= 0 else _tr("Shrink")), _tr("{0} mm").format(format_mm(abs(edit.mm)))
    if isinstance(edit, e.Round):
        return title, _tr("radius {0} mm").format(format_mm(edit.radius))
    if isinstance(edit, e.Widen):
        return title, _tr("to {0} mm").format(format_mm(edit.line))
    if isinstance(edit, e.JoinNarrow):
        return title, _tr("what is under {0} mm joins what is beside it").format(format_mm(edit.line))
    if isinstance(edit, e.Smooth):
        return title, _tr("bumps under {0} mm").format(format_mm(edit.mm))
    if isinstance(edit, e.AddText):
        return title, f"“{edit.text.replace(chr(10), ' / ')}”, {format_mm(edit.size)} mm"
    if isinstance(edit, e.AddShape):
        place = _tr("behind") if edit.behind else _tr("in front")
        return title, f"{edit.kind}, {format_mm(edit.width)} × {format_mm(edit.height)} mm, {place}"
    if isinstance(edit, e.Move) and edit.copy:
        title = _tr("Duplicate")
    at = getattr(edit, "at", ())
    return title, (_tr("{0} pieces").format(len(at)) if len(at) > 1 else _tr("1 piece")) if at else ""


class EditList(QWidget):
    """Cards of the edits, the last on top."""

    def __init__(self, changed: Callable[[str, Edits], None], reopen: Callable[[int], None]) -> None:
        super().__init__()
        self._changed, self._reopen = changed, reopen
        self._edits: Edits | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(5)

    def show_edits(self, edits: Edits) -> None:
        """Show the edits of the picked graphic."""
        if edits == self._edits:
            return
        self._edits = edits
        clear(self._layout)
        for run in reversed(_runs(edits)):
            edit = edits[run[0]]
            tick = QCheckBox()
            tick.setChecked(all(edits[k].on for k in run))
            title, summary = describe(edit)
            if len(run) > 1:
                summary = _tr("{0} times").format(len(run))
            tick.setAccessibleName(title)
            tick.clicked.connect(lambda on, run=run: self._put(run, on))
            card = Card(title, summary, tick)
            if isinstance(edit, e.AddShape | e.AddText):
                again = button("", "flat", "edit", _tr("Change it"))
                again.clicked.connect(lambda _=False, k=run[0]: self._reopen(k))
                card.add_beside(again)
            gone = button(
                "",
                "flat",
                "close",
                _tr("Take this edit out") if len(run) == 1 else _tr("Take these edits out"),
            )
            gone.clicked.connect(lambda _=False, run=run: self._remove(run))
            card.add_beside(gone)
            self._layout.addWidget(card)

    def _put(self, run: range, on: bool) -> None:
        edits = list(self._edits or ())
        for k in run:
            edits[k] = replace(edits[k], on=on)
        self._changed(_tr("switch {0}").format(describe(edits[run[0]])[0].lower()), tuple(edits))

    def _remove(self, run: range) -> None:
        edits = self._edits or ()
        text = _tr("take out {0}").format(describe(edits[run[0]])[0].lower())
        self._changed(text, (*edits[: run[0]], *edits[run[-1] + 1 :]))


def _runs(edits: Edits) -> list[range]:
    """Numbers of the edits that share a card: edges bent one after the other are one piece of work."""
    out: list[range] = []
    for k, edit in enumerate(edits):
        if out and isinstance(edit, e.Bend) and isinstance(edits[k - 1], e.Bend):
            out[-1] = range(out[-1].start, k + 1)
        else:
            out.append(range(k, k + 1))
    return out
