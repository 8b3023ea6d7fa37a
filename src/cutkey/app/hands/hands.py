"""Taking hold of what lies on a face.

Moving, turning and sizing it, the same on the square-on view and on the stage.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from cutkey.app.drafting import note
from cutkey.app.hands.snapping import drawn_to
from cutkey.app.hands.things import Face, Thing
from cutkey.app.theme import theme
from cutkey.core.units import format_mm
from cutkey.worker.shown import PlacedView

#: Pixels: how near a handle the mouse must be, how far the turning handle and those of the corners stand off,
#: how near a guide draws.
NEAR, OFF, BESIDE, DRAWS = 9.0, 26.0, 7.0, 5.0
ToWidget = Callable[[float, float], QPointF]


class Posed(NamedTuple):
    """Where a thing is wanted."""

    id: str
    offset: tuple[float, float]
    spin: float
    factor: float = 1.0  # of its size


class Hold(NamedTuple):
    """What the mouse has taken hold of."""

    what: Literal["move", "turn", "size"]
    id: str
    at: tuple[float, float]  # where on the plane
    corner: int = -1


@dataclass
class Hands:
    """The things on a face, which of them are picked, and what is being done with them."""

    things: list[Thing] = field(default_factory=list)
    picked: tuple[str, ...] = ()
    hold: Hold | None = None
    guides: tuple[float | None, float | None] = (None, None)
    posed: tuple[Posed, ...] = ()
    _start: dict[str, Thing] = field(default_factory=dict)

    def show(self, things: list[Thing], picked: Sequence[str]) -> None:
        """Take what lies on the face now."""
        self.things, self.picked = things, tuple(picked)

    def thing(self, id: str) -> Thing | None:
        """A thing on this face."""
        return next((t for t in self.things if t.id == id), None)

    def mine(self) -> list[Thing]:
        """The picked things on this face."""
        return [t for t in self.things if t.id in self.picked]

    def handled(self) -> Thing | None:
        """The one thing that has handles."""
        mine = self.mine()
        if len(mine) != 1:
            return None
        return next((t for t in self.preview() if t.id == mine[0].id), mine[0])

    # -- where the handles are
    def handles(self, to_widget: ToWidget) -> tuple[list[QPointF], QPointF] | None:
        """Places of the handles by the corners of the handled thing, and of its turning handle."""
        thing = self.handled()
        if thing is None:
            return None
        corners = [to_widget(x, y) for x, y in thing.corners().tolist()]
        top, middle = (corners[2] + corners[3]) * 0.5, (corners[0] + corners[2]) * 0.5
        away = top - middle
        length = math.hypot(away.x(), away.y())
        if length < 2:
            return None
        # Outside the box, so that letters in its corners are seen.
        out = [
            c + (c - middle) * (BESIDE / max(math.hypot(c.x() - middle.x(), c.y() - middle.y()), 1.0))
            for c in corners
        ]
        return out, top + away * (OFF / length)

    def find(
        self,
        p: QPointF,
        at: tuple[float, float],
        to_widget: ToWidget,
        only_picked: bool = False,
        handles: bool = True,
    ) -> Hold | None:
        """What lies under a widget place, which is `at` on the plane.

        A handle of what is picked, else the smallest thing there.
        """
        shown = self.handles(to_widget) if handles else None
        thing = self.handled()
        if shown is not None and thing is not None:
            corners, knob = shown
            if thing.turnable and math.hypot(p.x() - knob.x(), p.y() - knob.y()) < NEAR:
                return Hold("turn", thing.id, at)
            for k, c in enumerate(corners if thing.sizable else ()):
                if math.hypot(p.x() - c.x(), p.y() - c.y()) < NEAR:
                    return Hold("size", thing.id, at, k)
        found = [t for t in self.things if t.holds(*at) and not (only_picked and t.id not in self.picked)]
        if not found:
            return None
        smallest = min(found, key=lambda t: (t.high[0] - t.low[0]) * (t.high[1] - t.low[1]))
        return Hold("move", smallest.id, at)

    # -- what is done
    def take(self, hold: Hold) -> None:
        """Begin."""
        self.hold, self.posed, self.guides = hold, (), (None, None)
        self._start = {t.id: t for t in self.things if t.id in {*self.picked, hold.id}}

    def drag(
        self, at: tuple[float, float], face: Face, margin: float, near: float, free: bool
    ) -> tuple[Posed, ...]:
        """Where things are wanted when the mouse is at a place; `free` does without guides and steps."""
        hold = self.hold
        thing = self._start.get(hold.id) if hold is not None else None
        if hold is None or thing is None:
            return ()
        if hold.what == "move":
            self.posed = self._moved(hold, thing, at, face, margin, near, free)
        elif hold.what == "turn":
            self.posed = (self._turned(hold, thing, at, free),)
        else:
            self.posed = (self._sized(hold, thing, at, free),)
        return self.posed

    def _moved(
        self,
        hold: Hold,
        thing: Thing,
        at: tuple[float, float],
        face: Face,
        margin: float,
        near: float,
        free: bool,
    ) -> tuple[Posed, ...]:
        wanted = (thing.at[0] + at[0] - hold.at[0], thing.at[1] + at[1] - hold.at[1])
        self.guides = (None, None)
        if not free:
            others = [t.at for t in self.things if t.id not in self._start]
            drawn = drawn_to(wanted, thing, face.outline, others, margin, near)
            self.guides = drawn.guides
            # What no guide has drawn comes to lie at a tenth of a millimetre, or seen large at a hundredth.
            digits = 1 if near > 0.5 else 2
            x, y = (
                w if g is not None else round(w, digits) for w, g in zip(drawn.at, drawn.guides, strict=True)
            )
            wanted = (x, y)
        dx, dy = wanted[0] - thing.at[0], wanted[1] - thing.at[1]
        return tuple(
            Posed(t.id, (round(t.offset[0] + dx, 4), round(t.offset[1] + dy, 4)), t.spin)
            for t in self._start.values()
        )

    @staticmethod
    def _turned(hold: Hold, thing: Thing, at: tuple[float, float], free: bool) -> Posed:
        before, now = (math.atan2(y - thing.at[1], x - thing.at[0]) for x, y in (hold.at, at))
        spin = thing.spin + math.degrees(now - before)
        nearest = round(spin / 15) * 15
        spin = nearest if not free and abs(spin - nearest) < 3 else round(spin, 1)
        return Posed(thing.id, thing.offset, (spin + 180) % 360 - 180)

    @staticmethod
    def _sized(hold: Hold, thing: Thing, at: tuple[float, float], free: bool) -> Posed:
        corners = thing.corners()
        fixed, taken = corners[(hold.corner + 2) % 4], corners[hold.corner]
        way = taken - fixed
        # By how far the mouse has gone: the handle stands a little outside its corner.
        now = taken + np.array(at) - np.array(hold.at)
        factor = float((now - fixed) @ way / max(float(way @ way), 1e-9))
        width = thing.high[0] - thing.low[0]
        wanted = min(5000.0, max(0.5, width * factor))
        if not free:
            wanted = max(0.5, round(wanted, 1))
        factor = wanted / width
        # The corner across stays where it is.
        x, y = (fixed + (np.array(thing.at) - fixed) * factor - np.array(thing.at)).tolist()
        return Posed(
            thing.id, (round(thing.offset[0] + x, 4), round(thing.offset[1] + y, 4)), thing.spin, factor
        )

    def end(self) -> None:
        """Let go."""
        self.hold, self.posed, self.guides = None, (), (None, None)
        self._start = {}

    def nudged(self, dx: float, dy: float) -> tuple[Posed, ...]:
        """The picked things moved by a little."""
        return tuple(
            Posed(t.id, (round(t.offset[0] + dx, 4), round(t.offset[1] + dy, 4)), t.spin) for t in self.mine()
        )

    def preview(self) -> list[Thing]:
        """The held things as they are wanted."""
        out = []
        for p in self.posed:
            now, t = self.thing(p.id), self._start.get(p.id)
            if now is None or t is None:
                continue
            # What is moved or turned is there already; a new size comes at the end.
            at = (t.at[0] + p.offset[0] - t.offset[0], t.at[1] + p.offset[1] - t.offset[1])
            out.append(now if p.factor == 1 else t.grown(p.factor, at)._replace(offset=p.offset))
        return out

    def figures(self) -> str:
        """What is being done, in numbers."""
        preview = self.preview()
        if self.hold is None or not preview:
            return ""
        t = next((p for p in preview if p.id == self.hold.id), preview[0])
        if self.hold.what == "turn":
            return f"{format_mm(t.spin, 1)}°"
        if self.hold.what == "size":
            return f"{format_mm(t.high[0] - t.low[0], 1)} × {format_mm(t.high[1] - t.low[1], 1)} mm"
        return f"{format_mm(t.offset[0], 1)}, {format_mm(t.offset[1], 1)} mm"

    # -- drawing
    def paint(
        self,
        painter: QPainter,
        to_widget: ToWidget,
        along: Callable[[np.ndarray], list[QPointF]],
        mouse: QPointF | None,
    ) -> None:
        """The boxes of what is picked, the handles of one, and the numbers of what is being done."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        pen = QPen(theme.colour("ultramarine"), 1.2)
        held = {t.id: t for t in self.preview()}
        for thing in (held.get(t.id, t) for t in self.mine()):
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            c = thing.corners()
            steps = np.linspace(0, 1, 9)[:-1, None]
            ring = np.concatenate([a + (b - a) * steps for a, b in zip(c, np.roll(c, -1, 0), strict=True)])
            painter.drawPolygon(QPolygonF(along(ring)))
        shown, one = self.handles(to_widget), self.handled()
        if shown is not None and one is not None:
            corners, knob = shown
            painter.setPen(pen)
            painter.setBrush(theme.colour("sheet"))
            if one.turnable:
                top = one.corners()[2:].mean(0).tolist()
                painter.drawLine(to_widget(*top), knob)
                painter.drawEllipse(knob, 5.5, 5.5)
            for p in corners if one.sizable else ():
                painter.drawRect(int(p.x()) - 4, int(p.y()) - 4, 8, 8)
        text = self.figures()
        if text and mouse is not None:
            note(painter, mouse + QPointF(16, -14), text)


def is_curved(face: Face | None) -> bool:
    """Whether a face follows a curved surface."""
    return isinstance(face, PlacedView) and face.grid is not None
