"""The ways of tracing a picture that suit it, each with a small picture of what comes of it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QSizePolicy, QToolButton, QVBoxLayout, QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.trace.way_names import cost_of, measured_of, said_of, way_names
from cutkey.app.widgets.basics import Card, button
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import Kind, Light, offers
from cutkey.core.steps.square import Square
from cutkey.worker.shown import WaysView

#: Side of a small picture, px.
_SIDE = 56


def _tr(text: str) -> str:
    return QCoreApplication.translate("WaysCard", text)


class WaysCard(Card):
    """Asks what suits the picture, shows it, and takes what is clicked."""

    def __init__(self, desk: Desk, take: Callable[[str, TraceSettings], None]) -> None:
        super().__init__(_tr("What suits it"), "")
        self._desk, self._take = desk, take
        self._for: tuple[str, str] | None = None  # graphic and source that the small pictures are of
        self._kind: Kind = "flat art"
        self._light: Light = "even"
        self._sheet: TraceSettings | None = None
        self.ask = button(
            _tr("try the ways that suit it"),
            "link",
            tip=_tr("Looks at the picture and shows what would come of several ways"),
        )
        self.ask.clicked.connect(self._ask)
        self.add_below(self.ask)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(4)
        self._inside = QWidget()
        self._inside.setLayout(self._list)
        self.add_below(self._inside)
        self.ways: dict[str, QToolButton] = {}
        self._clear()

    def refresh(self) -> None:
        """Keep the small pictures while they are of the picked picture."""
        spec = self._desk.spec()
        if spec is None or (spec.id, spec.source) != self._for:
            self._clear()
        for id, b in self.ways.items():
            b.setChecked(spec is not None and self._offered(id) == spec.trace)

    def _offered(self, id: str) -> TraceSettings:
        """The settings of a way, with everything that it does not say as it is now."""
        spec = self._desk.spec()
        assert spec is not None
        if id == "sheet":
            assert self._sheet is not None
            best, steps = self._sheet, spec.trace.steps
            # What was chosen since it was asked stays; the sheet is squared up before all else.
            new = [s for s in best.steps if s not in steps]
            first = [s for s in new if isinstance(s, Square)]
            steps = (*first, *steps, *(s for s in new if s not in first))
            return replace(spec.trace, steps=steps, mode=best.mode, light=best.light, shape=best.shape)
        return next(o.trace for o in offers(self._kind, self._light, spec.trace) if o.id == id)

    def _clear(self) -> None:
        self._for = None
        for b in self.ways.values():
            self._list.removeWidget(b)
            b.deleteLater()
        self.ways = {}
        self._inside.hide()
        self.ask.show()
        self.set_text(_tr("What suits it"), "")

    def _ask(self) -> None:
        spec = self._desk.spec()
        if spec is not None:
            of = spec.id, spec.source
            self._desk.engine.look(self._desk.job, f"ways {spec.id}", lambda found: self._show(of, found))

    def _show(self, of: tuple[str, str], found: WaysView) -> None:
        spec = self._desk.spec()
        if spec is None or (spec.id, spec.source) != of:
            return
        self._clear()
        self._for, self._kind, self._light, self._sheet = of, found.kind, found.light, found.sheet
        agree, looks = found.looks
        said = said_of(found.kind, found.light)
        if agree < looks:
            said = _tr("{0}; {1} of {2} looks at it agree").format(said, agree, looks)
        self.set_text(_tr("What suits it"), said)
        for way in found.ways:
            name, tip = way_names()[way.id]
            h, w = way.preview.shape[:2]
            image = QImage(way.preview.tobytes(), w, h, 4 * w, QImage.Format.Format_RGBA8888)
            b = QToolButton()
            b.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            b.setText(f"{name}\n{cost_of(way)}")
            b.setToolTip(f"{tip}\n{measured_of(way)}")
            b.setProperty("role", "demo")
            b.setIcon(QIcon(QPixmap.fromImage(image)))
            b.setIconSize(QSize(_SIDE, _SIDE))
            b.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            b.setCheckable(True)
            b.setAccessibleName(name)
            b.clicked.connect(
                partial(lambda id, text, _=False: self._take(text, self._offered(id)), way.id, name)
            )
            self._list.addWidget(b)
            self.ways[way.id] = b
        self._inside.show()
        self.ask.hide()
        self.refresh()
