"""Turning a picture."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated

from cutkey.core.fields import number
from cutkey.core.steps.kind import Point, Step, Tool
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class Turn(Step, frozen=True, tag="turn"):
    """Turn clockwise."""

    title, rank, moves, local = "Turn", 30, True, True

    degrees: Annotated[float, number(-36000, 36000, "Degrees", low=-360.0, high=360.0, step=0.5)]

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """Drag along what should lie level or upright, or turn a quarter."""
        prompt = "drag along an edge that should be level or upright"
        return (
            Tool("Straighten by a line", lambda places, _: cls._level(places), "line", prompt, upright=True),
            Tool("Turn a quarter", lambda *_: cls(90.0)),
        )

    @classmethod
    def _level(cls, places: list[Point]) -> Turn | None:
        (x0, y0), (x1, y1) = places
        angle = math.degrees(math.atan2(y1 - y0, x1 - x0))
        # To the nearest of level and upright; y points up on the table.
        off = (angle + 45) % 90 - 45
        return cls(round(off, 3)) if math.dist(*places) > 0 and abs(off) > 0.01 else None

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """By how much."""
        return self.title, f"{format_mm(self.degrees, 2)}° clockwise"

    def do(self, work: Work) -> None:
        """Turn about the middle; the picture grows to hold its corners."""
        import numpy as np

        h, w = work.rgb.shape[:2]
        a = math.radians(self.degrees)
        c, s = math.cos(a), math.sin(a)
        W, H = round(abs(w * c) + abs(h * s)), round(abs(w * s) + abs(h * c))
        work.warp(
            np.array(
                [[c, -s, W / 2 - c * w / 2 + s * h / 2], [s, c, H / 2 - s * w / 2 - c * h / 2], [0, 0, 1.0]]
            ),
            (W, H),
        )
