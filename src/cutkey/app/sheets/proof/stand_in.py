"""The stand-in printer on the Proof sheet.

A bed load printed so many times as fast, with what the maker must do.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, QTimer
from PySide6.QtWidgets import QComboBox, QMenu, QProgressBar

from cutkey.app.widgets.basics import Card, allow, button, label, row
from cutkey.app.widgets.film import Film
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.printer import FAULTS, Fault, Load, StandIn

#: Milliseconds between two looks, and how many times as fast it prints.
_TICK, SPEEDS = 100, (100, 1000, 10_000)
#: Lines of what it said that are shown.
_LINES = 3


def _tr(text: str) -> str:
    return QCoreApplication.translate("StandInCard", text)


class StandInCard(Card):
    """Prints the bed load that the film shows; the film goes along. `printer` gives the job's."""

    def __init__(self, film: Film, printer: Callable[[], Printer]) -> None:
        super().__init__(_tr("Stand-in printer"), "")
        self._film, self._printer = film, printer
        self._loads: list[Load] = []
        self.machine: StandIn | None = None
        self._bed = 1
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self.tick)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.said = label("", "small", wrap=True)
        self.asks = label("", "warn", wrap=True)
        self.go = button(_tr("print it"))
        self.go.clicked.connect(self._go)
        self.stop = button(_tr("stop"), "link")
        self.stop.clicked.connect(self._stop)
        self.fail = button(_tr("let it fail"), "link", tip=_tr("As printers do, at the next layer or change"))
        menu = QMenu(self.fail)
        texts = {
            "runs out": _tr("The filament runs out"),
            "loses a step": _tr("It loses a step"),
            "jams": _tr("It jams at the next change"),
            "loses power": _tr("Power is lost"),
        }
        for fault in FAULTS:
            menu.addAction(texts[fault]).triggered.connect(partial(self._fail, fault))
        self.fail.setMenu(menu)
        self.speed = QComboBox()
        self.speed.setAccessibleName(_tr("How many times as fast"))
        for n in SPEEDS:
            self.speed.addItem(_tr("{0} × as fast").format(f"{n:,}"), n)
        self.speed.setCurrentIndex(1)
        self.add_below(self.bar)
        self.add_below(self.said)
        self.add_below(self.asks)
        self.add_below(row(self.go, self.speed, spacing=6))
        self.add_below(row(self.fail, self.stop, 1, spacing=12))
        self._show()

    def set_loads(self, loads: list[Load]) -> None:
        """Take over the bed loads; a print of other ones is over."""
        if loads != self._loads:
            self._loads = loads
            self._stop()
            self.machine = None
        self._show()

    def _go(self, _checked: bool = False) -> None:
        """Print the bed load, or go on after what was asked for."""
        m = self.machine
        if m is not None and m.state in ("waiting", "off"):
            if m.resume():
                # What it asks for is done by saying so.
                wanted = next((f for f in (m.load.filaments if m.load else ()) if f not in m.loaded), "")
                m.put_in(wanted, m.loaded[0] if m.loaded else "")
                m.resume()
        elif self._loads:
            self._bed = min(self._film.bed, len(self._loads))
            load = self._loads[self._bed - 1]
            room = self._printer().loaded or len(load.filaments)
            self.machine = m = StandIn(replace(self._printer(), loaded=room), load.filaments[: max(1, room)])
            why = m.start(load)
            if why:
                self.asks.setText(why)
                self.asks.show()
                return
            self._film.go_to(self._bed, 1, len(load.layers))
        self._timer.start()
        self._show()

    def _stop(self, _checked: bool = False) -> None:
        self._timer.stop()
        if self.machine is not None:
            self.machine.stop()
        self._show()

    def _fail(self, fault: Fault, _checked: bool = False) -> None:
        if self.machine is not None:
            self.machine.plant(fault, self.machine.layer + 1 if fault != "jams" else self.machine.layer)

    def tick(self) -> None:
        """Let time go by."""
        m = self.machine
        if m is None or m.state != "printing":
            self._timer.stop()
            self._show()
            return
        m.run_on(_TICK / 1000 * float(self.speed.currentData()))
        if m.layer != self._film.layer and self._film.isVisible() and self._film.bed == self._bed:
            self._film.slider.setValue(m.layer)
        self._show()

    def _show(self) -> None:
        m = self.machine
        state = m.state if m is not None else "idle"
        allow(self.go, "" if self._loads else _tr("There is nothing to print yet"))
        self.go.setText(
            _tr("go on")
            if state in ("waiting", "off")
            else _tr("print bed {0}").format(min(self._film.bed, max(1, len(self._loads))))
        )
        self.go.setVisible(state != "printing")
        allow(self.fail, "" if state == "printing" else _tr("It is not printing"))
        self.stop.setVisible(state in ("printing", "waiting", "off", "spoiled"))
        self.bar.setValue(round(1000 * (m.progress if m is not None else 0)))
        if m is not None and m.load is not None:
            lines = [
                _tr("layer {0}: {1}").format(t.layer, t.text) for t in m.log[-_LINES:] if t.text != m.asks
            ]
            head = _tr("layer {0} of {1}").format(m.layer, len(m.load.layers)) if state == "printing" else ""
            self.said.setText("\n".join([head, *lines] if head else lines))
        else:
            self.said.setText(
                _tr("Tries the written file before the printer does: what is to be done, and when.")
            )
        self.asks.setText(m.asks if m is not None else "")
        self.asks.setVisible(bool(self.asks.text()))
