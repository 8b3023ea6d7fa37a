"""Tools that add preparation steps: each says what to do on the picture and makes a step of what was drawn."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from cutkey.app.table.gesture import Gesture, Kind, Place
from cutkey.app.views.base import Desk
from cutkey.core.picture.steps import Crop, Denoise, EvenLight, Invert, Paint, Square, Step, TakeAway, Tone, Turn

#: Width of the brush, as a fraction of the picture's, until it is changed.
BRUSH = 0.03


class PictureTools(QObject):
    """Makes steps; `add` takes each new one with what it is called."""

    def __init__(self, desk: Desk, add: Callable[[Step], None], ink: Callable[[], str]) -> None:
        super().__init__()
        self._desk, self._add, self._ink = desk, add, ink

    def fill_menu(self, menu: QMenu) -> None:
        """Every kind of step there is."""
        for text, run in (
            (self.tr("Crop to a rectangle"), self.crop),
            (self.tr("Straighten by a line"), self.straighten),
            (self.tr("Square up four corners"), self.square),
            (self.tr("Turn a quarter"), lambda: self._add(Turn(90.0))),
            (self.tr("Even light"), lambda: self._add(EvenLight())),
            (self.tr("Brightness and contrast"), lambda: self._add(Tone(0.0, 0.2))),
            (self.tr("Denoise"), lambda: self._add(Denoise())),
            (self.tr("Invert"), lambda: self._add(Invert())),
            (None, None),
            (self.tr("Take a colour away"), self.take_away),
            (self.tr("Erase with a brush"), lambda: self.brush("erase")),
            (self.tr("Erase inside a lasso"), lambda: self.lasso("erase")),
            (self.tr("Restore with a brush"), lambda: self.brush("restore")),
            (self.tr("Restore inside a lasso"), lambda: self.lasso("restore")),
            (self.tr("Paint over with a brush"), lambda: self.brush("")),
            (self.tr("Paint over inside a lasso"), lambda: self.lasso("")),
            (self.tr("Make a patch black (lasso)"), lambda: self.lasso("#000000")),
            (self.tr("Make a patch white (lasso)"), lambda: self.lasso("#ffffff")),
            (self.tr("Fill an area of one colour"), self.fill),
        ):
            if run is None or text is None:
                menu.addSeparator()
            else:
                menu.addAction(text).triggered.connect(lambda _=False, run=run: run())

    def crop(self) -> None:
        """Drag a rectangle."""
        self._start("box", self.tr("drag a rectangle round what to keep"), lambda f: self._add(Crop(f[0], f[1])))

    def straighten(self) -> None:
        """Drag along what should lie level or upright."""

        def done(places: list[Place]) -> None:
            (x0, y0), (x1, y1) = places
            angle = math.degrees(math.atan2(y1 - y0, x1 - x0))
            # To the nearest of level and upright; y points up on the table.
            off = (angle + 45) % 90 - 45
            if math.dist(*places) > 0 and abs(off) > 0.01:
                self._add(Turn(round(off, 3)))

        self._desk.table.start(Gesture("line", self.tr("drag along an edge that should be level or upright"), done, on_picture=True))

    def square(self) -> None:
        """Click four corners of something that is a rectangle in truth."""

        def done(f: list[Place]) -> None:
            # Clockwise from the upper left one, in whatever order they were clicked.
            cx, cy = sum(p[0] for p in f) / 4, sum(p[1] for p in f) / 4
            a, b, c, d = sorted(f, key=lambda p: (math.atan2(p[1] - cy, p[0] - cx) + math.pi) % (2 * math.pi))
            self._add(Square((a, b, c, d)))

        self._start("corners", self.tr("click the four corners of what is a rectangle in truth"), done)

    def take_away(self) -> None:
        """Click a colour that should go."""
        self._start("point", self.tr("click a colour to take it away"), lambda f: self._add(TakeAway(f[0])))

    def brush(self, ink: str) -> None:
        """Draw strokes."""
        view = self._desk.graphic_view()
        if view is None or view.picture is None:
            return
        colour = ink or self._ink()
        h, w = view.picture.pixels.shape[:2]
        a, b = self._desk.table.to_fractions([(0.0, 0.0), (1.0, 0.0)])
        width = BRUSH / max(1e-9, math.dist(a, b)) if w and h else 1.0
        what = {"erase": self.tr("erase"), "restore": self.tr("restore")}.get(colour, self.tr("paint over"))
        self._start(
            "stroke", self.tr("draw with the brush to {0}").format(what), lambda f: self._add(_stroke(f, colour)), True, width, colour
        )

    def lasso(self, ink: str) -> None:
        """Draw round a patch."""
        colour = ink or self._ink()
        what = {"erase": self.tr("erase it"), "restore": self.tr("restore it")}.get(colour, self.tr("make it {0}").format(colour))
        self._start(
            "lasso", self.tr("draw round a patch to {0}").format(what), lambda f: self._add(Paint("lasso", _thinned(f), colour)), True
        )

    def fill(self) -> None:
        """Click an area of one colour."""
        colour = self._ink()
        prompt = self.tr("click an area of one colour to make it {0}").format(colour)
        self._start("point", prompt, lambda f: self._add(Paint("area", (f[0],), colour)), True)

    def _start(
        self, kind: Kind, prompt: str, done: Callable[[list[Place]], None], stays: bool = False, width: float = 0.0, ink: str = ""
    ) -> None:
        table = self._desk.table
        view = self._desk.graphic_view()
        if view is None or view.picture is None:
            self._desk.message.say(self.tr("Preparation needs a picture; a vector drawing is edited on the table itself."))
            return
        table.start(Gesture(kind, prompt, lambda places: done(table.to_fractions(places)), True, stays, width, ink))


def _thinned(points: list[Place], least: float = 0.0008) -> tuple[Place, ...]:
    """A drawn path without points nearer together than a fraction of the picture."""
    out = points[:1]
    for p in points[1:]:
        if math.dist(p, out[-1]) >= least:
            out.append(p)
    return tuple((round(x, 5), round(y, 5)) for x, y in out)


def _stroke(points: list[Place], ink: str) -> Paint:
    return Paint("brush", _thinned(points), ink, BRUSH)
