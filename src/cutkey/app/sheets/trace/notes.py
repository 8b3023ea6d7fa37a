"""What a maker should know of a graphic, and what can be done about it."""

from __future__ import annotations

from collections.abc import Callable

from cutkey.app.widgets.basics import Card, button
from cutkey.core.units import format_mm
from cutkey.core.words.kind import Words
from cutkey.core.words.reading import gradient_in_steps, letters_left_out, soft_edge
from cutkey.worker.shown import GraphicView


class NotesCard(Card):
    """Notes of reading and tracing, open lines, and what is narrower than the nozzle prints."""

    def __init__(
        self,
        close_lines: Callable[[], None],
        as_printable: Callable[[], None],
        widen: Callable[[], None],
        keep_letters: Callable[[float], None],
        keep_soft: Callable[[bool], None],
        join_gradients: Callable[[bool], None],
    ) -> None:
        super().__init__("", "")
        self.close_lines = button(self.tr("close its open lines"), "link")
        self.close_lines.clicked.connect(close_lines)
        tip = self.tr("What is narrower than a line joins what is beside it; how much, is said here")
        self.printable = button(self.tr("as printable"), "link", tip=tip)
        self.printable.clicked.connect(as_printable)
        tip = self.tr(
            "What is narrower than a line is made as wide as one; it takes the room from what is beside it"
        )
        self.widen = button(self.tr("widen to a line"), "link", tip=tip)
        self.widen.clicked.connect(widen)
        self._limit = 0.0
        self.letters = button(
            self.tr("keep the letters"), "link", tip=self.tr("Lower the speck limit for them")
        )
        self.letters.clicked.connect(lambda: keep_letters(self._limit))
        self._kept = False
        self.soft = button("", "link")
        self.soft.clicked.connect(lambda: keep_soft(not self._kept))
        self._joined = False
        self.gradients = button("", "link")
        self.gradients.clicked.connect(lambda: join_gradients(not self._joined))
        for b in (self.soft, self.gradients, self.letters, self.close_lines, self.printable, self.widen):
            self.add_below(b)

    def show_notes(self, view: GraphicView, nozzle: float) -> None:
        """Show what is to be said of a graphic, and what can be done about it."""
        notes = [str(n) for n in view.notes]
        if view.open_lines:
            count = len(view.open_lines)
            lines = self.tr("1 line is open") if count == 1 else self.tr("{0} lines are open").format(count)
            notes.append(lines)
        fine = sum(m.narrowest < nozzle for m in view.measures) if not view.draft else 0
        if fine:
            one = self.tr("1 colour has places narrower than {1} mm")
            many = self.tr("{0} colours have places narrower than {1} mm")
            notes.append((one if fine == 1 else many).format(fine, format_mm(nozzle, 2)))
        soft, letters, gradient = (
            _of(view, wording) for wording in (soft_edge, letters_left_out, gradient_in_steps)
        )
        self.letters.setVisible(letters is not None)
        if letters is not None:
            self._limit = float(letters.args["keep_mm2"])
        self.soft.setVisible(soft is not None)
        if soft is not None:
            self._kept = bool(soft.args["kept"])
            self.soft.setText(
                self.tr("leave the shadow or glow out") if self._kept else self.tr("keep the shadow or glow")
            )
        self.gradients.setVisible(gradient is not None)
        if gradient is not None:
            self._joined = bool(gradient.args["joined"])
            self.gradients.setText(
                self.tr("keep the steps of its gradients") if self._joined else self.tr("one colour for it")
            )
        self.close_lines.setVisible(bool(view.open_lines))
        self.printable.setVisible(bool(fine))
        self.widen.setVisible(bool(fine))
        self.set_text(self.tr("Please note"), "\n".join(notes))
        self.setVisible(bool(notes))


def _of(view: GraphicView, wording: Callable[..., Words]) -> Words | None:
    """The note of a wording, None where a graphic has none."""
    return next((n for n in view.notes if n.code == wording.__name__.replace("_", " ")), None)
