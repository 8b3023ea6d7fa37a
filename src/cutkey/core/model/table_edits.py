"""Edits on the light table, as data: kept in the job, switched off and on, taken out again.

Places are mm about the middle of the graphic before any edit, y up. A piece is named by a place inside it, so
an edit holds on when the picture is traced again with other settings; and what the mm meant is kept beside
the edits (`frame`), so that it holds on when the graphic gets another size or the picture another crop.
"""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from cutkey.core.fields import length, number
from cutkey.core.fields import size as above_zero

Point = tuple[float, float]
Points = tuple[Point, ...]


class _Edit(msgspec.Struct, frozen=True, kw_only=True):
    on: bool = True


class Delete(_Edit, frozen=True, tag="delete"):
    """Take pieces out."""

    at: Points


class Keep(_Edit, frozen=True, tag="keep"):
    """Keep these pieces only."""

    at: Points


class Recolour(_Edit, frozen=True, tag="recolour"):
    """Give pieces a colour; beside others of it they join them."""

    at: Points
    colour: str


class Absorb(_Edit, frozen=True, tag="absorb"):
    """Give pieces the colour that most of their boundary touches."""

    at: Points


class Part(_Edit, frozen=True, tag="part"):
    """Split colours into their pieces, each a chip of its own; the colours differ by a hair."""

    at: Points


class FillHoles(_Edit, frozen=True, tag="fill holes"):
    """Close every hole of pieces, whatever was in it."""

    at: Points


class Offset(_Edit, frozen=True, tag="offset"):
    """Grow pieces over their surroundings, or shrink them for what is around them."""

    at: Points
    mm: float


class Widen(_Edit, frozen=True, tag="widen"):
    """Make what is narrower than a line of the nozzle as wide as it; every piece when none is named."""

    at: Points = ()
    line: Annotated[float, above_zero()] = 0.42  # mm, whatever the size of the graphic


class JoinNarrow(_Edit, frozen=True, tag="join narrow"):
    """Give what is narrower than a line of the nozzle to what lies beside it.

    Of every piece when none is named.
    """

    at: Points = ()
    line: Annotated[float, above_zero()] = 0.42  # mm, whatever the size of the graphic


class Round(_Edit, frozen=True, tag="round"):
    """Round the corners of pieces, inner and outer."""

    at: Points
    radius: float


class Smooth(_Edit, frozen=True, tag="smooth"):
    """Take bumps shorter than a length out of the boundary of pieces."""

    at: Points
    mm: float


class Straighten(_Edit, frozen=True, tag="straighten"):
    """Make the boundary between two of its places a straight line."""

    first: Point
    second: Point


class MoveNode(_Edit, frozen=True, tag="move node"):
    """Move the boundary at a place; what lies within reach goes along, less and less."""

    place: Point
    to: Point
    reach: float = 0.0  # mm along each side; 0 moves the one node


class AddNode(_Edit, frozen=True, tag="add node"):
    """Put a node into the boundary."""

    place: Point


class DeleteNode(_Edit, frozen=True, tag="delete node"):
    """Take a node out of the boundary."""

    place: Point


class Bend(_Edit, frozen=True, tag="bend"):
    """Give stretches of the boundary new curves, each for both its neighbours.

    A stretch is told by its ends and a place between.
    """

    first: Points
    through: Points
    last: Points
    curves: tuple[Points, ...]  # cubic Béziers, 3 n + 1 points each


class Cut(_Edit, frozen=True, tag="cut"):
    """Cut along a line; a slit of a width stays empty."""

    first: Point
    second: Point
    width: Annotated[float, length()] = 0.4


class Mirror(_Edit, frozen=True, tag="mirror"):
    """Keep what is on the left of a line and mirror it into a whole, the seam closed."""

    first: Point
    second: Point


class Move(_Edit, frozen=True, tag="move"):
    """Move pieces, each by its own way; `copy` leaves the original."""

    at: Points
    by: Points  # one for all, or one for each
    copy: bool = False


class AddShape(_Edit, frozen=True, tag="shape"):
    """Add a rectangle, disc, ring, regular polygon or star."""

    kind: Literal["rectangle", "disc", "ring", "polygon", "star"]
    centre: Point
    width: Annotated[float, above_zero()]
    height: Annotated[float, above_zero()]
    colour: str
    corner: float = 0.0  # rounding of a rectangle
    sides: Annotated[int, number(2, 1000)] = 6  # of a polygon, points of a star
    inner: Annotated[float, number(0, 1)] = 0.6  # inner diameter of a ring or star as a share of the outer
    behind: bool = True


class AddText(_Edit, frozen=True, tag="text"):
    """Add lines of text, straight, on an arc, or round a circle about their place."""

    text: str
    centre: Point
    size: Annotated[float, above_zero()]  # height of a capital letter
    colour: str
    font: str = "Barlow Bold"
    spacing: float = 0.0
    radius: float = 0.0  # of the arc it stands on, below 0 hangs from; 0 straight
    behind: bool = False
    leading: Annotated[float, number(0.5, 20)] = 1.6  # from line to line, in heights of a capital
    align: Literal["start", "middle", "end"] = "middle"
    angle: Annotated[float, number(-360, 360)] = 0.0  # turned clockwise, degrees
    around: bool = False  # the arc is a circle about the place
    # round a circle: the angle the letters are spread over, degrees
    spread: Annotated[float, number(0, 360)] = 0.0
    least_stroke: Annotated[float, length()] = 0.0  # thinner strokes are made so thick


class CloseLines(_Edit, frozen=True, tag="close lines"):
    """Close the open lines of a drawing and fill them.

    Ends within reach meet, the rest is closed by a straight piece.
    """

    reach: float
    colour: str
    straight: bool = True


Edit = (
    Delete
    | Keep
    | Recolour
    | Absorb
    | Part
    | FillHoles
    | Offset
    | Widen
    | JoinNarrow
    | Round
    | Smooth
    | Straighten
    | MoveNode
    | AddNode
    | DeleteNode
    | Bend
    | Cut
    | Mirror
    | Move
    | AddShape
    | AddText
    | CloseLines
)


def name_of(edit: Edit) -> str:
    """What an edit is called."""
    return str(edit.__struct_config__.tag)


def alignment(boxes: list[tuple[float, float, float, float]], edge: str) -> Points:
    """How far each box moves to line up at an edge or middle, or to be spread with equal gaps.

    A box is left, bottom, right, top.

    Parameters
    ----------
    boxes : list
    edge : str
        "left", "right", "top", "bottom", "centre" (of x), "middle" (of y), "spread x" or "spread y".
    """
    if edge.startswith("spread"):
        low, high = (0, 2) if edge.endswith("x") else (1, 3)
        order = sorted(range(len(boxes)), key=lambda k: boxes[k][low] + boxes[k][high])
        sizes = [b[high] - b[low] for b in boxes]
        first, last = boxes[order[0]][low], boxes[order[-1]][high]
        gap = (last - first - sum(sizes)) / max(1, len(boxes) - 1)
        moves = [0.0] * len(boxes)
        for k in order:
            moves[k] = first - boxes[k][low]
            first += sizes[k] + gap
        return tuple((m, 0.0) if low == 0 else (0.0, m) for m in moves)
    whole = (
        min(b[0] for b in boxes),
        min(b[1] for b in boxes),
        max(b[2] for b in boxes),
        max(b[3] for b in boxes),
    )
    out = []
    for b in boxes:
        if edge in ("left", "right"):
            k = 0 if edge == "left" else 2
            out.append((whole[k] - b[k], 0.0))
        elif edge in ("bottom", "top"):
            k = 1 if edge == "bottom" else 3
            out.append((0.0, whole[k] - b[k]))
        elif edge == "centre":
            out.append(((whole[0] + whole[2] - b[0] - b[2]) / 2, 0.0))
        else:
            out.append((0.0, (whole[1] + whole[3] - b[1] - b[3]) / 2))
    return tuple(out)
