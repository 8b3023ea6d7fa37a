"""The hands on the stage: what is picked there is moved, turned and sized on its face as it is seen."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication

from cutkey.app.hands.hands import DRAWS, Hands, Posed
from cutkey.app.hands.on_surface import on_surface
from cutkey.app.hands.things import Face
from cutkey.app.stage.stage import Stage

#: A face that is seen more nearly edge on than this (cosine) cannot be worked on.
SEEN = 0.12


class StageHands:
    """`posed` takes where things are wanted, and whether the drag has ended."""

    def __init__(self, stage: Stage, posed: Callable[[tuple[Posed, ...], bool], None]) -> None:
        self._stage, self._posed = stage, posed
        self.hands = Hands()
        self._face: Face | None = None
        self._margin = 0.0
        self._mouse: QPointF | None = None

    def show(self, face: Face | None, things: Hands, margin: float) -> None:
        """Work on what the square-on view shows."""
        self._face, self._margin = face, margin
        self.hands.show(things.things if face is not None else [], things.picked)

    def _on_stage(self, xy: np.ndarray) -> np.ndarray:
        """Places in the model of points (N, 2) of the plane."""
        assert self._face is not None
        return on_surface(self._face, xy, 0.02)

    def to_widget(self, x: float, y: float) -> QPointF:
        """Where a place of the plane is seen."""
        return self._stage.to_widget(self._on_stage(np.array([[x, y]]))[0])

    def _along(self, xy: np.ndarray) -> list[QPointF]:
        (line,) = self._stage.lines_on(self._on_stage(xy), [len(xy)])
        return [line.at(k) for k in range(line.size())]

    def _to_face(self, p: QPointF) -> tuple[float, float] | None:
        """The place of the plane under a widget place, by its slope where the picked thing lies.

        None when it is seen edge on.
        """
        mine = self.hands.mine()
        if self._face is None or not mine or float(self._face.normal @ self._stage.seen.axes()[2]) < SEEN:
            return None
        x, y = mine[0].at
        o, u, v = (self.to_widget(*c) for c in ((x, y), (x + 1, y), (x, y + 1)))
        slope = np.array([[u.x() - o.x(), v.x() - o.x()], [u.y() - o.y(), v.y() - o.y()]])
        if abs(np.linalg.det(slope)) < 1e-9:
            return None
        dx, dy = np.linalg.solve(slope, [p.x() - o.x(), p.y() - o.y()]).tolist()
        return x + dx, y + dy

    def grab(self, p: QPointF) -> Callable[[QPointF, bool], None] | None:
        """What follows a drag that begins at a widget place; None when nothing that is picked lies there."""
        at = self._to_face(p)
        if at is None:
            return None
        hold = self.hands.find(p, at, self.to_widget, only_picked=True)
        if hold is None:
            return None

        start = p
        taken = False

        def follow(q: QPointF, done: bool) -> None:
            nonlocal taken
            # A click is no drag.
            if not taken and (q - start).manhattanLength() > 3:
                taken = True
                self.hands.take(hold)
            if taken:
                self._drag(q, done)

        return follow

    def _drag(self, p: QPointF, done: bool) -> None:
        at = self._to_face(p)
        self._mouse = p
        if at is not None and self._face is not None:
            near = DRAWS * self._stage.seen.mm_per_px
            free = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier)
            wanted = self.hands.drag(at, self._face, self._margin, near, free)
            if wanted and (done or all(w.factor == 1 for w in wanted)):
                self._posed(wanted, done)
        if done:
            self.hands.end()
        self._stage.update()

    def paint(self, painter: QPainter) -> None:
        """Boxes and handles of what is picked, and while it is held its outline where it will be."""
        if self._face is None or float(self._face.normal @ self._stage.seen.axes()[2]) < SEEN:
            return
        self.hands.paint(
            painter, self.to_widget, self._along, self._mouse if self.hands.hold is not None else None
        )
