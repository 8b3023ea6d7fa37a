"""Keys as the faces of a joint show them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

from cutkey.core.keys.kind import Form

if TYPE_CHECKING:
    from cutkey.core.split.proofs.overlap import Outline

#: Keys give way by their clearances and by this, mm; and turn by so many degrees.
GIVE, TURN = 0.4, 10.0


class Mark(NamedTuple):
    """A key as one face shows it."""

    at: complex  # right and up on the plane
    gender: Literal["boss", "hole", "loose"]  # loose: a hole with a key of its own in it
    kind: str
    size: tuple[float, float, float]  # width, height, depth
    clearance: float
    facing: float | None  # angle of what is up on it, degrees; None when it is round
    half_turn: bool  # looks the same when turned by 180 degrees
    sign: int = 0  # pole of a magnet, or which end of a screw
    flush: bool = False  # it does not stand out of the face, whichever it meets


class Pattern(NamedTuple):
    """The keys of a cut face."""

    joint: int
    side: int
    marks: tuple[Mark, ...]
    outline: Outline | None = None  # of the face; without it keys beside it are not thought of


def marks_of(form: Form, at: complex, angle: float, owner: int, sign: int) -> tuple[Mark, Mark]:
    """How a key shows on the near and on the far face.

    Parameters
    ----------
    form : Form
    at : complex
        Right and up on the face, mm.
    angle : float
        degrees.
    owner : int
        Side of the section it is printed on, -1 or 1.
    sign : int
        Which way round it is set in, 0 when it has no ends.
    """
    of = form.of
    size = (form.size, form.height if of.tall else form.size, form.depth)
    facing = 90.0 if of.from_back else angle if of.oblong else None

    def mark(gender: Literal["boss", "hole", "loose"], sign: int) -> Mark:
        return Mark(at, gender, form.kind, size, form.clearance, facing, of.half_turn, sign, of.flush)

    if form.loose:
        return mark("loose", sign), mark("loose", -sign)
    return (mark("boss", 0), mark("hole", 0)) if owner < 0 else (mark("hole", 0), mark("boss", 0))


def turned_over(m: Mark) -> Mark:
    """The mark of a section that is turned over."""
    return m._replace(at=-m.at.conjugate(), facing=None if m.facing is None else 180 - m.facing)


def turned(angle: float) -> float:
    """An angle between -180 and 180 degrees."""
    return (angle + 180) % 360 - 180


def play(a: Sequence[Mark], b: Sequence[Mark]) -> float:
    """How far keys and sockets of two faces may be off and still find one another, mm."""
    return (
        2 * (max((m.clearance for m in a), default=0.0) + max((m.clearance for m in b), default=0.0)) + GIVE
    )


def goes(key: Mark, hole: Mark, give: float) -> bool:
    """Whether a key goes into a hole where both are now."""
    if (
        hole.gender == "boss"
        or key.kind != hole.kind
        or abs(key.at - hole.at) > give
        or (key.gender == "boss") != (hole.gender == "hole")
    ):
        return False
    if key.sign + hole.sign != 0:
        return False
    if any(k > h + GIVE for k, h in zip(key.size, hole.size, strict=True)):
        return False
    if key.facing is None or hole.facing is None:
        return True
    off = abs(turned(key.facing - hole.facing))
    return off < TURN or (key.half_turn and abs(off - 180) < TURN)
