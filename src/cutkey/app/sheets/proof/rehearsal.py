"""The rehearsal of the kit on the Proof sheet: its film, and what it found."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QCoreApplication, Qt
from PySide6.QtGui import QPainter, QPen, QPixmap
from PySide6.QtWidgets import QLabel

from cutkey.app.engine import Question
from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.proof.cards import FindingCards
from cutkey.app.sheets.proof.place_pictures import SIZE, frame, with_mark
from cutkey.app.stage.item import Item
from cutkey.app.stage.stage import Stage
from cutkey.app.theme import theme
from cutkey.app.widgets.basics import Card
from cutkey.app.widgets.film import Drawn
from cutkey.core.printing.bed_rows import bed_corner
from cutkey.core.rehearse.told import Told
from cutkey.core.units import format_mm
from cutkey.worker.shown_film import BedSolids, FilmView, RehearsalView

#: Letters of a name that goes into a heading.
_SHORT = 6
#: So many findings have a picture, which shows so much of their layer, mm.
_DRAWN, _SHOWS = 10, 14.0


def _tr(text: str) -> str:
    return QCoreApplication.translate("Rehearsal", text)


class Rehearsal:
    """Asks for the print of the kit once it is known, and for the layer that is looked at."""

    def __init__(
        self, desk: Desk, changed: Callable[[], None], staged: Callable[[bool], None], found: FindingCards
    ) -> None:
        self._desk, self._changed, self._staged, self._found_cards = desk, changed, staged, found
        self._solids: BedSolids | None = None
        self._pictures: dict[int, QPixmap] = {}  # by the finding's place in the list
        self._frames: dict[int, QLabel] = {}
        self.on_stage = False  # the stage shows the bed as it is printed, too
        self._for: object = None  # the kit that it was asked for
        self.view: RehearsalView | None = None
        self._wanted: tuple[int, int] | None = None
        self._question: Question | None = None  # the layer that was asked for
        desk.film.wanted.connect(self._want)
        desk.film.staged.connect(self._stage)

    def refresh(self) -> None:
        """Ask what the print of the kit comes to, once."""
        kit = self._desk.engine.kit
        if kit is None:
            self._for = None
            self._clear()
        elif kit is not self._for and self._desk.engine.current("kit"):
            self._for = kit
            self._clear()
            self._desk.engine.look(self._desk.job, "rehearsal", partial(self._found, kit))

    def _clear(self) -> None:
        """Show nothing of a print until it is known."""
        self.view = self._solids = self._desk.engine.rehearsal = None
        self._pictures = {}
        if self._for is None:
            self.on_stage = False
        self._desk.film.show_rehearsal(None, self._desk.job.printer, keep_view=self._for is not None)
        self._desk.film.show_layer(None)

    def _found(self, kit: object, view: RehearsalView | None) -> None:
        if kit is not self._for:
            return
        self.view = self._desk.engine.rehearsal = view
        film = self._desk.film
        film.show_rehearsal(view, self._desk.job.printer)
        self._changed()
        if view is not None:
            self._want(film.bed, film.layer)
            self._draw_next()

    def _want(self, bed: int, layer: int) -> None:
        """Only the layer that the slider has come to meanwhile is asked for."""
        self._wanted = (bed, layer)
        if not self.pending and self._desk.engine.kit is not None:
            self._ask()

    @property
    def pending(self) -> bool:
        """Whether a layer is on its way."""
        return self._desk.engine.awaits(self._question)

    def _ask(self) -> None:
        asked = self._wanted
        assert asked is not None

        def show(view: FilmView | None) -> None:
            self._question = None
            self._desk.film.show_layer(view)
            if self.on_stage:
                self._show_on_stage()
            if self._wanted != asked:
                self._ask()

        self._question = self._desk.engine.look(self._desk.job, f"film {asked[0]} {asked[1]}", show)

    # -- on the stage
    def _stage(self, on: bool) -> None:
        """Show the bed as it is printed on the stage, or the kit again."""
        self.on_stage = on
        if on:
            self._show_on_stage(True)
        else:
            self._staged(True)

    def _show_on_stage(self, anew: bool = False) -> None:
        film, kit = self._desk.film, self._for
        if self._solids is not None and self._solids.bed == film.bed:
            self._staged(anew)
            return

        def take(solids: BedSolids | None) -> None:
            if kit is self._for and self.on_stage:
                self._solids = solids
                self._staged(True)

        self._desk.engine.look(self._desk.job, f"bed {film.bed}", take)

    def items(self) -> list[Item]:
        """The bed printed so far as the film is; nothing while the stage shows the kit."""
        film = self._desk.film.view
        if not self.on_stage or self._solids is None or film is None or film.bed != self._solids.bed:
            return []
        out = [
            Item(f"print {n}", mesh, colour, edges=False, under=film.top)
            for n, (colour, mesh) in enumerate(self._solids.bodies)
        ]
        return out + [
            Item(f"print face {n}", mesh, colour, edges=False) for n, (colour, mesh) in enumerate(film.caps)
        ]

    def paint(self, painter: QPainter, stage: Stage) -> None:
        """The bed's outline, and what is lost in the layer."""
        film, (bx, by, _) = self._desk.film.view, self._desk.job.printer.bed
        if film is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("soft"), 1.2))
        corners = np.array([(0, 0, 0), (bx, 0, 0), (bx, by, 0), (0, by, 0), (0, 0, 0)], float)
        if self._desk.job.printer.shape == "round":
            t = np.linspace(0, 2 * np.pi, 73)
            corners = np.c_[bx / 2 + bx / 2 * np.cos(t), by / 2 + by / 2 * np.sin(t), 0 * t]
        painter.drawPolyline(stage.lines_on(corners, [len(corners)])[0])
        for name, rings in (("ultramarine", film.hangs), ("madder", film.closed), ("madder", film.lost)):
            if len(rings.points):
                painter.setPen(QPen(theme.colour(name), 2.0))
                painter.setBrush(theme.colour(name, 120))
                flat = np.asarray(rings.points, float)
                for line in stage.lines_on(
                    np.c_[flat, np.full(len(flat), film.top)], np.diff(rings.first).tolist()
                ):
                    painter.drawPolygon(line)

    @property
    def waiting(self) -> int:
        """What was found that is not sound."""
        return sum(t.finding.waits for t in self.view.found) if self.view is not None else 0

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
        film.go_to(told.bed, told.layer, self.view.beds[told.bed - 1].layers)
        if told.finding.place is not None and told.finding.severity != "sound":
            film.show_place(*self._on_bed(told))

    def cards(self) -> list[Callable[[], Card]]:
        """What makes the card of each that was found, the worst first."""
        self._frames = {}
        return (
            [partial(self._card, n, t) for n, t in enumerate(self.view.found)]
            if self.view is not None
            else []
        )

    def _on_bed(self, told: Told) -> tuple[float, float]:
        """Where something was found, mm from the lower left corner of its bed."""
        assert told.finding.place is not None
        left, front = bed_corner(told.bed - 1, self._desk.job.printer.bed)
        return told.finding.place[0] - left, told.finding.place[1] - front

    def _draw_next(self) -> None:
        """The small picture of one finding after the other."""
        found, kit = self.view.found if self.view is not None else [], self._for
        n = next(
            (
                k
                for k, t in enumerate(found[:_DRAWN])
                if k not in self._pictures and t.finding.waits and t.finding.place
            ),
            None,
        )
        if n is None:
            return
        told = found[n]

        def take(view: FilmView | None) -> None:
            if kit is not self._for or view is None:
                return
            ratio = self._desk.film.devicePixelRatioF()
            self._pictures[n] = with_mark(Drawn(view).picture(self._on_bed(told), SIZE, _SHOWS, ratio))
            with contextlib.suppress(KeyError, RuntimeError):  # the card is gone
                self._frames[n].setPixmap(self._pictures[n])
            self._draw_next()

        self._desk.engine.look(self._desk.job, f"film {told.bed} {told.layer}", take)

    def _card(self, n: int, told: Told) -> Card:
        f = told.finding
        # Long names stand in the sentence already.
        title = (
            f"{f.title}: {f.piece}"
            if f.piece and len(f.piece) <= _SHORT and f.severity != "sound"
            else f.title
        )
        shown = None
        if f.waits and n < _DRAWN and f.place is not None:
            self._frames[n] = shown = frame(_tr("layer {0}").format(told.layer))
            if n in self._pictures:
                shown.setPixmap(self._pictures[n])
        return self._found_cards.card(
            f, title=title, picture=shown, show=partial(self.go_to, told), show_text=_tr("show the layer")
        )

    def lines(self) -> list[str]:
        """How long each bed takes, and what it uses, in words."""
        out = []
        for n, bed in enumerate(self.view.beds if self.view is not None else [], 1):
            hours, minutes = divmod(round(bed.seconds / 60), 60)
            took = _tr("{0} h {1} min").format(hours, minutes) if hours else _tr("{0} min").format(minutes)
            grams = format_mm(sum(bed.grams.values()), 0)
            text = _tr("bed {0}: {1} layers, about {2}, {3} g").format(n, bed.layers, took, grams)
            out.append(
                text
                + (
                    (_tr(", {0} changes").format(bed.changes) if bed.changes > 1 else _tr(", 1 change"))
                    if bed.changes
                    else ""
                )
            )
        return out
