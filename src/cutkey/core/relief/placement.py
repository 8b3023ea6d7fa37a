"""Where a graphic lies on a model, and how deep each colour goes."""

from __future__ import annotations

from typing import Literal

import msgspec

DepthMode = Literal["raised", "recessed", "flush", "through"]


class Depth(msgspec.Struct, frozen=True):
    """How one colour of a graphic (or, with colour "", every other) meets the surface."""

    mode: DepthMode = "raised"
    mm: float = 0.8
    colour: str = ""


class Placement(msgspec.Struct, frozen=True):
    """A graphic on a face of the model.

    The face is named by a point on it and its outward normal; the graphic's middle lies at the middle of that face, moved by
    `offset` to the right and up, turned by `spin` degrees counter-clockwise as seen from outside.
    """

    id: str
    graphic: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    offset: tuple[float, float] = (0.0, 0.0)
    spin: float = 0.0
    mirror: bool = False
    depths: tuple[Depth, ...] = (Depth(),)

    def depth_of(self, colour: str) -> Depth:
        """The rule for a colour: its own, else the one for every other."""
        for rule in self.depths:
            if rule.colour == colour:
                return rule
        return next((r for r in self.depths if r.colour == ""), Depth())
