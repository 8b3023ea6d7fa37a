"""Where a graphic lies on a model, and how deep each colour goes."""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple

import msgspec

from cutkey.core.fields import LONG, length, number

#: How a graphic meets the surface once "auto" has been decided; "straight" is flat on a curved surface.
Way = Literal["face", "project", "wrap", "straight"]
DepthMode = Literal["raised", "recessed", "flush", "through", "level"]
Follow = Literal["auto", "flat", "project", "wrap"]
Offset = tuple[float, float]
#: Which way lettering is to read, seen from outside: as it stands in the picture, mirrored (a stamp, or to be
#: read from the back), or there is none; "" when nobody has said.
Reads = Literal["", "right", "mirrored", "none"]

#: Outward directions of the sides of a model by name.
SIDES = {
    "top": (0, 0, 1),
    "bottom": (0, 0, -1),
    "front": (0, -1, 0),
    "back": (0, 1, 0),
    "left": (-1, 0, 0),
    "right": (1, 0, 0),
}


class SidePlace(NamedTuple):
    """Where a graphic is laid on a side that was named, and a width that suits it, mm."""

    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    width: float
    offset: Offset = (0.0, 0.0)  # right and up from the middle of the face, mm


class Depth(msgspec.Struct, frozen=True):
    """How one colour of a graphic (or, with colour "", every other) meets the surface.

    "level" is raised to the highest place of the model in the face's direction, such as a rim, and `mm` above
    it.
    """

    mode: DepthMode = "raised"
    mm: Annotated[float, number(-LONG, LONG)] = 0.8
    colour: str = ""


class Copies(msgspec.Struct, frozen=True):
    """How often a graphic is laid, and where.

    A row or grid goes right and up by `step`, about the placement; a ring turns about the middle of the face;
    a pair has a mirrored twin on the other side of the model's mid-plane.
    """

    kind: Literal["one", "grid", "ring", "pair"] = "one"
    count: Annotated[tuple[int, int], number(1, 1000)] = (2, 1)  # to the right and up; a ring uses the first
    step: Annotated[Offset, number(-LONG, LONG)] = (20.0, 20.0)


class Placement(msgspec.Struct, frozen=True):
    """A graphic on the surface of the model.

    The place is named by a point on it and its outward normal. On a flat face the graphic's middle lies at
    the middle of that face, on a curved surface at the point; it is moved by `offset` to the right and up and
    turned by `spin` degrees counter-clockwise as seen from outside.
    """

    id: str
    graphic: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    offset: Annotated[Offset, number(-LONG, LONG)] = (0.0, 0.0)
    spin: float = 0.0
    mirror: bool = False
    depths: tuple[Depth, ...] = (Depth(),)
    follow: Follow = "auto"
    margin: Annotated[float, length()] = 0.0  # mm kept clear of the face's edges and holes
    copies: Copies = Copies()
    # width of what holds the inner parts of what is cut through, mm; 0 for none
    bridges: Annotated[float, length()] = 0.0

    def depth_of(self, colour: str) -> Depth:
        """The rule for a colour: its own, else the one for every other."""
        for rule in self.depths:
            if rule.colour == colour:
                return rule
        return next((r for r in self.depths if r.colour == ""), Depth())
