"""A width or height that was typed is the one that comes out.

What edits take away as too narrow, and what counts as a speck, goes by the size of the graphic: at another
size the figure may be wider or narrower by pieces. So what came out is looked at, and put right.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QObject

from cutkey.app.document import Document
from cutkey.app.engine import Engine
from cutkey.core.model.edits import set_scale
from cutkey.core.model.job import Job

#: A size within this of the one that was typed is that, mm; and so often it is put right.
_NEAR, _TRIES = 0.005, 4


@dataclass(frozen=True)
class _Wanted:
    """A size that was typed."""

    graphic: str
    side: int  # 0 for the width, 1 for the height
    mm: float
    text: str
    gesture: str
    job: Job  # as it was made
    left: int = _TRIES


class Sizing(QObject):
    """Gives graphics a width or a height."""

    def __init__(self, document: Document, engine: Engine) -> None:
        super().__init__()
        self._document, self._engine = document, engine
        self._wanted: _Wanted | None = None
        self._count = 0
        engine.updated.connect(self._look)
        document.renewed.connect(self._forget)

    def set(self, graphic: str, side: int, mm: float, text: str, merge: bool) -> None:
        """Make a graphic so wide (side 0) or so high (1) as it is after its edits, mm."""
        if not merge or self._wanted is None or self._wanted.graphic != graphic:
            self._count += 1
        gesture = f"size {self._count}"
        job = self._scaled(graphic, side, mm)
        if job is not None:
            self._document.edit(text, job, merge=gesture)
            self._wanted = _Wanted(graphic, side, mm, text, gesture, self._document.job)

    def _scaled(self, graphic: str, side: int, mm: float) -> Job | None:
        view = self._engine.graphics.get(graphic)
        spec = next((g for g in self._document.job.graphics if g.id == graphic), None)
        if spec is None or view is None or view.size[side] <= 0 or view.width_mm <= 0:
            return None
        # What is shown may be of the width before.
        seen = view.size[side] * spec.width_mm / view.width_mm
        return set_scale(self._document.job, spec, round(spec.width_mm * mm / seen, 6))

    def _look(self, part: str) -> None:
        """Put a size right when it is known what came of it."""
        w = self._wanted
        if part != "graphic" or w is None:
            return
        if self._document.job is not w.job:
            self._forget()  # something else was decided
            return
        view = self._engine.graphics.get(w.graphic)
        if view is None or view.draft or not self._engine.current(f"graphic {w.graphic}"):
            return
        if abs(view.size[w.side] - w.mm) <= _NEAR or w.left == 0:
            self._forget()
            return
        job = self._scaled(w.graphic, w.side, w.mm)
        if job is not None:
            self._document.edit(w.text, job, merge=w.gesture)
            self._wanted = replace(w, job=self._document.job, left=w.left - 1)

    def _forget(self) -> None:
        self._wanted = None
