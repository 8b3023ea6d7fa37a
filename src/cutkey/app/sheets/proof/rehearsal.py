"""The rehearsal of the kit on the Proof sheet: its film, and what it found."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QLabel

from cutkey.app.sheets.base import Desk
from cutkey.app.theme import theme
from cutkey.app.widgets.basics import Card, button
from cutkey.core.rehearse.told import Told
from cutkey.core.units import format_mm
from cutkey.worker.shown_film import FilmView, RehearsalView

#: Letters of a name that goes into a heading.
_SHORT = 6
ICONS = {"stop": ("stop", "madder"), "look at": ("look", "madder"), "sound": ("sound", "moss")}


def _tr(text: str) -> str:
    return QCoreApplication.translate("Rehearsal", text)


class Rehearsal:
    """Asks for the print of the kit once it is known, and for the layer that is looked at."""

    def __init__(self, desk: Desk, changed: Callable[[], None]) -> None:
        self._desk, self._changed = desk, changed
        self._for: object = None  # the kit that it was asked for
        self.view: RehearsalView | None = None
        self._wanted: tuple[int, int] | None = None
        self._pending = False
        desk.film.wanted.connect(self._want)

    def refresh(self) -> None:
        """Ask what the print of the kit comes to, once."""
        kit = self._desk.engine.kit
        if kit is None:
            self._for = self.view = self._desk.engine.rehearsal = None
            self._desk.film.show_rehearsal(None, self._desk.job.printer)
            self._desk.film.show_layer(None)
        elif kit is not self._for and self._desk.engine.current("kit"):
            self._for, self.view = kit, None
            self._desk.engine.rehearsal = None
            self._desk.engine.look(self._desk.job, "rehearsal", partial(self._found, kit))

    def _found(self, kit: object, view: RehearsalView | None) -> None:
        if kit is not self._for:
            return
        self.view = self._desk.engine.rehearsal = view
        film = self._desk.film
        film.show_rehearsal(view, self._desk.job.printer)
        self._changed()
        if view is not None:
            self._want(film.bed, film.layer)

    def _want(self, bed: int, layer: int) -> None:
        """Only the layer that the slider has come to meanwhile is asked for."""
        self._wanted = (bed, layer)
        if not self._pending and self._desk.engine.kit is not None:
            self._ask()

    def _ask(self) -> None:
        asked = self._wanted
        assert asked is not None
        self._pending = True

        def show(view: FilmView | None) -> None:
            self._pending = False
            self._desk.film.show_layer(view)
            if self._wanted != asked:
                self._ask()

        self._desk.engine.look(self._desk.job, f"film {asked[0]} {asked[1]}", show)

    @property
    def waiting(self) -> int:
        """What was found that is not sound."""
        return sum(t.finding.severity != "sound" for t in self.view.found) if self.view is not None else 0

    def show_bed(self, bed: int) -> None:
        """The film of a bed, at its last layer."""
        if self.view is not None and bed <= len(self.view.beds):
            layers = self.view.beds[bed - 1].layers
            self._desk.film.go_to(bed, layers, layers)

    def go_to(self, told: Told) -> None:
        """The layer in which something was found, and the place from near."""
        if self.view is None or not self.view.beds:
            return
        film = self._desk.film
        film.go_to(told.bed, told.first, self.view.beds[told.bed - 1].layers)
        if told.finding.place is not None and told.finding.severity != "sound":
            x, y, _ = told.finding.place
            pitch = 1.2 * self._desk.job.printer.bed[0] if len(self.view.beds) > 1 else 0.0
            film.show_place(x - (told.bed - 1) * pitch, y)

    def cards(self) -> list[Card]:
        """What was found, the worst first."""
        return [self._card(t) for t in self.view.found] if self.view is not None else []

    def _card(self, told: Told) -> Card:
        f = told.finding
        mark = QLabel()
        mark.setPixmap(theme.icon(*ICONS[f.severity]).pixmap(20, 20))
        # Long names stand in the sentence already.
        card = Card(f"{f.title}: {f.piece}" if f.piece and len(f.piece) <= _SHORT else f.title, f.text, mark)
        card.set_state(alarm=f.severity != "sound")
        if f.severity != "sound":
            b = button(_tr("show the layer"))
            b.clicked.connect(lambda: self.go_to(told))
            card.add_below(b)
        return card

    def lines(self) -> list[str]:
        """How long each bed takes, and what it uses, in words."""
        out = []
        for n, bed in enumerate(self.view.beds if self.view is not None else [], 1):
            hours, minutes = divmod(round(bed.seconds / 60), 60)
            took = _tr("{0} h {1} min").format(hours, minutes) if hours else _tr("{0} min").format(minutes)
            grams = format_mm(sum(bed.grams.values()), 0)
            text = _tr("bed {0}: {1} layers, about {2}, {3} g").format(n, bed.layers, took, grams)
            out.append(text + (_tr(", {0} changes").format(bed.changes) if bed.changes else ""))
        return out
