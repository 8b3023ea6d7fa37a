"""Places of a preparation step, moved on the picture as it is before that step."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QObject

from cutkey.app.sheets.base import Desk
from cutkey.app.table.corners import Corners
from cutkey.app.table.gesture import Place
from cutkey.core.model.edits import change_graphic
from cutkey.core.steps.kind import Step
from cutkey.worker.shown import GraphicView


class MovedCorners(QObject):
    """Shows the picture and the places on it; `put` takes the number of the step and what it became."""

    def __init__(self, desk: Desk, put: Callable[[int, Step], None], refresh: Callable[[], None]) -> None:
        super().__init__()
        self._desk, self._put, self._refresh = desk, put, refresh
        self._of: tuple[str, int, Step] | None = None  # graphic, number and the step as it was
        self.view: GraphicView | None = None  # the picture before it, while its places are in the hand

    @property
    def moving(self) -> int:
        """The number of the step whose places are in the hand, -1 for none."""
        return -1 if self._of is None else self._of[1]

    def toggle(self, k: int) -> None:
        """Take the places of a step in the hand, or take over what they became."""
        gesture = self._desk.table.gesture
        if self.moving == k and isinstance(gesture, Corners):
            self._done(gesture.places)
            return
        spec = self._desk.spec()
        if spec is None:
            return
        self._of = of = (spec.id, k, spec.trace.steps[k])
        before = replace(spec, trace=replace(spec.trace, steps=spec.trace.steps[:k]))
        job = change_graphic(self._desk.job, before)
        self._desk.engine.look(job, f"picture {spec.id}", lambda view: self._start(of, view))

    def check(self) -> None:
        """Lay the places down when the step they are of is there no more."""
        spec = self._desk.spec()
        if self._of is None:
            return
        id, k, step = self._of
        if spec is None or spec.id != id or spec.trace.steps[k : k + 1] != (step,):
            self.lay_down()

    def _start(self, of: tuple[str, int, Step], view: GraphicView) -> None:
        self.check()
        if self._of is not of:
            return
        self.view = view
        table = self._desk.table
        self._refresh()
        table.fit()
        prompt = self.tr("drag the corners; Enter takes them")
        table.start(Corners(prompt, table.from_fractions(of[2].handles), self._done, self._ended))
        table.setFocus()

    def _done(self, places: list[Place]) -> None:
        assert self._of is not None
        _, k, step = self._of
        moved = step.with_handles(self._desk.table.to_fractions(places))
        if moved is None:
            self._desk.message.say(self.tr("These four corners make no rectangle; move them apart."))
            return
        self.lay_down()
        if moved != step:
            self._put(k, moved)

    def lay_down(self) -> None:
        """Leave the step as it is, also where the picture is still asked for."""
        if isinstance(self._desk.table.gesture, Corners):
            self._desk.table.start(None)
        else:
            self._ended()

    def _ended(self) -> None:
        if self._of is not None:
            self._of = self.view = None
            self._refresh()
            self._desk.table.fit()
