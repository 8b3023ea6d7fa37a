"""Squaring up what was photographed at an angle."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated

from msgspec.structs import replace

from cutkey.core.fields import Field, number
from cutkey.core.steps.kind import Point, Step, Tool
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


#: Two sides must span so much of the picture at least.
_LEAST = 1e-6


class Square(Step, frozen=True, tag="square"):
    """Make four corners, clockwise from the upper left one, the corners of a rectangle."""

    title, rank, moves, local = "Square up", 20, True, True

    corners: tuple[Point, Point, Point, Point]
    # true width over height; 0 measures it
    proportion: Annotated[float, number(0, 1e6, "Width : height", high=50.0, step=0.05)] = 0.0

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """Click four corners of something that is a rectangle in truth."""
        prompt = "click the four corners of what is a rectangle in truth"
        return (Tool("Square up four corners", lambda f, _: cls(_clockwise(f)), "corners", prompt),)

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """Which proportion the rectangle is given, and why."""
        if self.proportion > 0 or size is None:
            return self.title, "four corners made a rectangle"
        found = self.measured(size)
        if found is None:
            return (
                self.title,
                "the corners do not tell how wide it is for its height: open this step and type it",
            )
        return self.title, f"width : height {format_mm(found, 3)}, measured from the four corners"

    def fields(self, size: tuple[int, int] | None = None) -> tuple[Field, ...]:
        """The proportion; 0 is measured where the corners tell it."""
        zero = "measured" if size and self.measured(size) else "type it"
        return tuple(f._replace(zero=zero) for f in super().fields(size))

    def measured(self, size: tuple[int, int]) -> float | None:
        """The proportion that the corners tell, None when they tell none."""
        from cutkey.core.imaging.rectangle import true_proportion

        return true_proportion(self.corners, size)

    @property
    def handles(self) -> tuple[Point, ...]:
        """The corners."""
        return self.corners

    def with_handles(self, places: list[Point]) -> Square | None:
        """With other corners, which turn to the right one after another."""
        a, b, c, d = places
        sides = [(q[0] - p[0], q[1] - p[1]) for p, q in pairwise((a, b, c, d, a, b))]
        if any(s[0] * t[1] - s[1] * t[0] <= _LEAST for s, t in pairwise(sides)):
            return None
        return replace(self, corners=(a, b, c, d))

    def do(self, work: Work) -> None:
        """Pull the four corners to a rectangle of the same size."""
        import cv2
        import numpy as np

        from cutkey.core.imaging.work import LEAST

        p = work.places(self.corners)
        side = np.hypot(*(np.roll(p, -1, 0) - p).T)
        w, h = max(LEAST, (side[0] + side[2]) / 2), max(LEAST, (side[1] + side[3]) / 2)
        known = self.proportion or self.measured(work.opened)
        if known:
            w, h = math.sqrt(w * h * known), math.sqrt(w * h / known)
        W, H = round(w), round(h)
        target = np.array([[0, 0], [W, 0], [W, H], [0, H]], np.float32)
        work.warp(np.asarray(cv2.getPerspectiveTransform(p.astype(np.float32), target), float), (W, H))


def _clockwise(f: list[Point]) -> tuple[Point, Point, Point, Point]:
    """From the upper left one, in whatever order they were clicked."""
    cx, cy = sum(p[0] for p in f) / 4, sum(p[1] for p in f) / 4
    a, b, c, d = sorted(f, key=lambda p: (math.atan2(p[1] - cy, p[0] - cx) + math.pi) % (2 * math.pi))
    return a, b, c, d
