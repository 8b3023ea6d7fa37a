"""Size, place, surface, copies and depths of the picked graphic on the Place sheet."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, Qt, QTimer
from PySide6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.place.copies_card import CopiesCard
from cutkey.app.sheets.place.depth_card import DepthCard
from cutkey.app.widgets.basics import allow, button, clear, field_row, row
from cutkey.app.widgets.fold import Fold
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.colour.names import plain_name
from cutkey.core.model.edits import change_graphic, change_placement, set_depth
from cutkey.core.model.placement import Depth, DepthMode, Placement, Reads
from cutkey.worker.shown import PlacedView


def _tr(text: str) -> str:
    return QCoreApplication.translate("PlaceView", text)


def _combo(name: str, choices: tuple[tuple[str, str, str], ...]) -> QComboBox:
    """Choices with a tip each."""
    out = QComboBox()
    out.setAccessibleName(name)
    for key, text, tip in choices:
        out.addItem(text, key)
        out.setItemData(out.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
    return out


class GraphicFields(QWidget):
    """Depths, surface and copies; `where` has size and place and stands where the graphics are listed.

    `placement` gives the one that is picked, `reach` asks for a place that a colour is to reach.
    """

    def __init__(
        self, desk: Desk, placement: Callable[[], Placement | None], reach: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._desk, self._placement, self._reach = desk, placement, reach
        self._depth_state: object = None
        self._sizes()
        self._surface()
        self.copies = CopiesCard(lambda c, m: self.change("copies", m, copies=c))
        self.depths = QVBoxLayout()
        self.depths.setSpacing(6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self.where = where = Fold("place.size", _tr("Size and place"))
        for name, f in (
            (_tr("Width"), self.width_),
            (_tr("Spin"), self.spin),
            (_tr("Right by"), self.along),
            (_tr("Up by"), self.up),
        ):
            where.add(field_row(name, f))
        where.add(row(self.mirror, 1, self.to_middle))
        depth = Fold("place.depth", _tr("Depth by colour"), self.depths)
        surface = Fold("place.surface", _tr("Surface and lettering"), field_row(_tr("Surface"), self.follow))
        surface.add(field_row(_tr("Lettering"), self.reads), field_row(_tr("Clear of edges"), self.margin))
        surface.add(field_row(_tr("Bridges"), self.bridges))
        copies = Fold("place.copies", _tr("Copies"), self.copies)
        for part in (depth, surface, copies):
            layout.addWidget(part)

    # -- building
    def _number(
        self, name: str, unit: str, low: float, high: float, step: float, tip: str, change: Any
    ) -> NumberField:
        f = NumberField(name, unit, low, high, step, 2, tip)
        f.committed.connect(lambda v: change(v, False))
        f.stepped.connect(lambda v: change(v, True))
        return f

    def _sizes(self) -> None:
        middle = _tr("From the middle of the face")
        self.width_ = self._number(
            _tr("Width of the graphic"), "mm", 0.5, 5000, 1, _tr("The proportion is kept"), self._width
        )
        counter = _tr("Counter-clockwise, seen from outside")
        self.spin = self._number(
            _tr("Spin"), "°", -360, 360, 5, counter, lambda v, m: self.change("spin", m, spin=v)
        )
        self.along = self._number(
            _tr("Right of the middle"), "mm", -5000, 5000, 0.5, middle, partial(self._offset, 0)
        )
        self.up = self._number(
            _tr("Above the middle"), "mm", -5000, 5000, 0.5, middle, partial(self._offset, 1)
        )
        self.mirror = QCheckBox(_tr("mirrored"))
        self.mirror.setToolTip(_tr("For stamps, and for reading from the back"))
        self.mirror.clicked.connect(lambda on: self.change("mirror", False, mirror=on))
        self.to_middle = button(_tr("centre"), "", "fit", _tr("To the middle of the face"))
        self.to_middle.clicked.connect(lambda: self.change("centre on the face", False, offset=(0.0, 0.0)))

    def _surface(self) -> None:
        tip = _tr("Kept free along the edges of the face and round its holes; the graphic is trimmed there")
        self.margin = self._number(
            _tr("Clear of edges"),
            "mm",
            0,
            200,
            0.5,
            tip,
            lambda v, m: self.change("keep clear of edges", m, margin=v),
        )
        tip = _tr("They hold the inner parts of what is cut through; 0 for none")
        self.bridges = self._number(
            _tr("Width of bridges"), "mm", 0, 50, 0.5, tip, lambda v, m: self.change("bridges", m, bridges=v)
        )
        self.follow = _combo(
            _tr("How it follows the surface"),
            (
                (
                    "auto",
                    _tr("automatic"),
                    _tr("Flat on flat faces, wrapped round cylinders and cones, projected on anything else"),
                ),
                (
                    "flat",
                    _tr("flat"),
                    _tr(
                        "Top and floor lie in one plane; on a curved surface it reaches in as deep as it must"
                    ),
                ),
                (
                    "project",
                    _tr("projected"),
                    _tr("Seen from the front it keeps its shape; its height follows the surface"),
                ),
                (
                    "wrap",
                    _tr("wrapped"),
                    _tr("Laid round a cylinder or cone like a label: lengths along the surface are true"),
                ),
            ),
        )
        self.follow.activated.connect(
            lambda _: self.change("follow the surface", False, follow=self.follow.currentData())
        )
        self.reads = _combo(
            _tr("Which way lettering reads"),
            (
                ("", _tr("not said"), _tr("You are asked when it is laid mirrored")),
                (
                    "right",
                    _tr("as it stands"),
                    _tr("Seen from outside it reads as in the picture; a mirrored one is told"),
                ),
                (
                    "mirrored",
                    _tr("mirrored"),
                    _tr("A stamp, or to be read from the back; one that is not mirrored is told"),
                ),
                ("none", _tr("there is none"), _tr("It may be laid either way")),
            ),
        )
        self.reads.activated.connect(lambda _: self._set_reads(self.reads.currentData()))

    # -- showing
    def show_placement(self, placement: Placement, face: PlacedView | None) -> None:
        """Show the picked graphic."""
        spec = self._desk.job.graphic(placement.graphic)
        view = self._desk.engine.graphics.get(spec.id)
        # The width is that of what is seen, edits included.
        factor = spec.width_mm / view.width_mm if view is not None and view.width_mm > 0 else 1.0
        self.width_.set_value(view.size[0] * factor if view is not None else spec.width_mm)
        self.spin.set_value(placement.spin)
        self.along.set_value(placement.offset[0])
        self.up.set_value(placement.offset[1])
        self.mirror.setChecked(placement.mirror)
        self.reads.setCurrentIndex(self.reads.findData(spec.reads))
        self.margin.set_value(placement.margin)
        self.bridges.set_value(placement.bridges)
        through = any(d.mode == "through" for d in placement.depths)
        allow(self.bridges, "" if through or placement.bridges else _tr("Nothing of it is cut through"))
        self.follow.setCurrentIndex(self.follow.findData(placement.follow))
        names = {
            "face": _tr("flat"),
            "straight": _tr("flat"),
            "project": _tr("projected"),
            "wrap": _tr("wrapped"),
        }
        self.follow.setItemText(
            0, _tr("automatic: {0}").format(names[face.way]) if face else _tr("automatic")
        )
        self.copies.show_copies(placement.copies)
        self._show_depths(
            placement, [c for c, _ in view.regions] if view else [], face.rim if face is not None else 0.0
        )

    def _show_depths(self, placement: Placement, colours: list[str], rim: float) -> None:
        layer = self._desk.job.printer.layer
        state = (placement.id, placement.depths, tuple(colours), layer, round(rim, 3))
        if self._depth_state == state:
            return
        self._depth_state = state
        clear(self.depths)

        def add(k: int) -> None:
            # One at a time: the window's thread is not held by a graphic of many colours.
            if self._depth_state is not state or k >= len(colours):
                return
            rule = placement.depth_of(colours[k])
            alike = partial(self._all_so, rule) if len(colours) > 1 else None
            act, reach = partial(self.set_depth, colours[k]), partial(self._reach, colours[k])
            self.depths.addWidget(DepthCard(colours[k], rule, layer, rim, act, reach, alike))
            QTimer.singleShot(0, self, partial(add, k + 1))

        add(0)

    # -- edits
    def change(self, what: str, merge: bool, **changes: object) -> None:
        """Change the picked placement."""
        placement = self._placement()
        if placement is not None:
            self._desk.document.edit(
                _tr(what), change_placement(self._desk.job, replace(placement, **changes)), merge
            )

    def _offset(self, k: int, value: float, merge: bool) -> None:
        placement = self._placement()
        if placement is not None:
            x, y = placement.offset
            self.change("move the graphic", merge, offset=(value, y) if k == 0 else (x, value))

    def _width(self, value: float, merge: bool) -> None:
        placement = self._placement()
        if placement is not None:
            self._desk.sizing.set(placement.graphic, 0, value, _tr("change width"), merge)

    def _set_reads(self, reads: Reads) -> None:
        placement = self._placement()
        if placement is not None:
            spec = replace(self._desk.job.graphic(placement.graphic), reads=reads)
            self._desk.document.edit(_tr("say which way it reads"), change_graphic(self._desk.job, spec))

    def _all_so(self, rule: Depth) -> None:
        """One depth for all colours."""
        self.change("depth of all colours", False, depths=(replace(rule, colour=""),))

    def set_depth(self, colour: str, mode: DepthMode | None, mm: float | None, merge: bool) -> None:
        """Change how a colour of the picked graphic meets the surface."""
        placement = self._placement()
        if placement is None:
            return
        old = placement.depth_of(colour)
        if mm is None:
            # Level starts level; coming back from there starts with a few layers.
            mm = (
                0.0
                if mode == "level"
                else old.mm
                if old.mode != "level"
                else round(4 * self._desk.job.printer.layer, 3)
            )
        rule = Depth(mode or old.mode, mm, colour)
        text = _tr("change depth of {0}").format(plain_name(colour))
        self._desk.document.edit(text, change_placement(self._desk.job, set_depth(placement, rule)), merge)
