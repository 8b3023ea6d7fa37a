"""How deep one colour of a graphic goes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtWidgets import QComboBox

from cutkey.app.widgets.basics import Card, Swatch, allow, button, row
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.colour.names import plain_name
from cutkey.core.model.placement import Depth, DepthMode
from cutkey.core.units import format_mm


def _tr(text: str) -> str:
    return QCoreApplication.translate("DepthCard", text)


def depth_text(rule: Depth) -> str:
    """A rule in a few words."""
    plain = rule.mode == "through" or (rule.mode == "level" and rule.mm == 0)
    return _tr(rule.mode) if plain else f"{_tr(rule.mode)} {format_mm(rule.mm)}"


class DepthCard(Card):
    """Mode and depth of a colour.

    `changed` takes a new mode or depth and whether the change goes on, `up_to` asks for a place to reach.
    """

    def __init__(
        self,
        colour: str,
        rule: Depth,
        layer: float,
        rim: float,
        changed: Callable[[DepthMode | None, float | None, bool], None],
        up_to: Callable[[], None],
        for_all: Callable[[], None] | None = None,
    ) -> None:
        layers = rule.mm / layer
        whole = abs(layers - round(layers)) < 1e-6 or rule.mode == "through"
        text = (
            _tr("{0} layers").format(format_mm(layers, 1))
            if rule.mode != "through"
            else _tr("cut right through")
        )
        if rule.mode == "level":
            layers = (rim + rule.mm) / layer
            whole = abs(layers - round(layers)) < 1e-3
            where = (
                _tr("level with the rim")
                if rule.mm == 0
                else _tr("{0} mm over the rim").format(format_mm(rule.mm, 2))
            )
            text = _tr("{0}: raised {1} mm, {2} layers").format(
                where, format_mm(rim + rule.mm, 2), format_mm(layers, 1)
            )
        super().__init__(
            plain_name(colour),
            text if whole else _tr("{0}: not a whole number").format(text),
            Swatch(colour, 26),
        )
        if not whole:
            self.subtitle.setProperty("role", "warn")
        self.mode = QComboBox()
        self.mode.setAccessibleName(_tr("How {0} meets the surface").format(plain_name(colour)))
        for key, name, tip in (
            ("raised", _tr("raised"), _tr("Stands on the surface")),
            ("recessed", _tr("recessed"), _tr("A pocket in the surface")),
            ("flush", _tr("flush"), _tr("Inlaid in its own colour, level with the surface")),
            ("through", _tr("through"), _tr("A hole right through")),
            (
                "level",
                _tr("level"),
                _tr(
                    "Raised until level with the model's highest place, such as a rim, and by this much"
                    " above it"
                ),
            ),
        ):
            self.mode.addItem(name, key)
            self.mode.setItemData(self.mode.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.mode.setCurrentIndex(self.mode.findData(rule.mode))
        self.mode.activated.connect(lambda _: changed(self.mode.currentData(), None, False))
        low = -500 if rule.mode == "level" else 0
        self.mm = NumberField(
            _tr("Depth of {0}").format(plain_name(colour)),
            "mm",
            low,
            500,
            layer,
            2,
            _tr("Arrow keys step by one layer"),
        )
        self.mm.set_value(rule.mm)
        allow(self.mm, _tr("It goes right through: there is no depth") if rule.mode == "through" else "")
        self.mm.committed.connect(lambda v: changed(None, v, False))
        self.mm.stepped.connect(lambda v: changed(None, v, True))
        line = row(self.mode, self.mm, spacing=6)
        line.setStretch(0, 1)
        line.setStretch(1, 1)
        self.add_below(line)
        self.reach = button(
            _tr("up to a place…"),
            "link",
            tip=_tr("Then click the surface on the stage that it is to reach, or the floor"),
        )
        self.reach.clicked.connect(lambda: up_to())
        links = [self.reach]
        if for_all is not None:
            self.all = button(
                _tr("all colours so"),
                "link",
                tip=_tr("Every colour of this graphic meets the surface as this one does"),
            )
            self.all.clicked.connect(lambda: for_all())
            links.append(self.all)
        if not whole:
            # The nearest whole numbers of layers either side.
            for n in (int(layers), int(layers) + 1):
                if n > 0:
                    b = button(
                        _tr("{0} layers").format(n), "link", tip=_tr("{0} mm").format(format_mm(n * layer))
                    )
                    b.clicked.connect(lambda _=False, n=n: changed(None, round(n * layer, 4), False))
                    links.append(b)
        self.add_below(row(*links, 1))
