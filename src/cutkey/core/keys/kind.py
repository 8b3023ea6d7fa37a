"""What a key is: its measures, its solids, where it finds room and what it is called.

Also how it lets two sections come apart.

Everything is in the coordinates of the cut's plane: right, up and distance, the near section below 0 and the
far one above.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, NamedTuple

from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.geometry.solid import Solid
    from cutkey.core.model.cuts import Keys, Seam

#: A key printed on begins this far inside its own section, so that both are one solid, mm.
ROOT = 0.3
#: A socket begins this far outside, so that nothing is left over its mouth, mm.
MOUTH = 0.5
Way = tuple[float, float, float]


class KeySolids(NamedTuple):
    """What a key adds and takes away, in plane coordinates."""

    near_socket: Solid | None
    far_socket: Solid | None
    tongue: Solid | None  # printed on, convex; begins ROOT inside its own section
    owner: int  # side of the section it is printed on, -1 or 1
    loose: tuple[Solid, ...]  # convex solids that together are the loose key in its place


class Form(NamedTuple):
    """Measures of a key, mm."""

    kind: str
    size: float  # diameter or greatest width
    depth: float  # into each section; of a bow-tie half its length
    height: float  # along the face's up: of a tenon; from the back of a bow-tie, dovetail or screw
    clearance: float
    end_gap: float
    wall: float
    stock: str = "printed"
    drop: float = 1.0  # of one from the back: how far below its place its pocket is open
    rise: float = 1.0  # of a shaped seam: how far above its place the design goes

    @property
    def of(self) -> KeyKind:
        """Its kind."""
        from cutkey.core.keys import key_kind

        return key_kind(self.kind)

    @property
    def reach(self) -> tuple[float, float]:
        """How far it goes into the near and the far section."""
        return self.of.reach(self)

    @property
    def half(self) -> tuple[float, float]:
        """Half the room it takes along right and up on the face, without the wall.

        Up does not matter to one from the back.
        """
        return self.of.half(self)

    @property
    def loose(self) -> bool:
        """Whether it is a thing of its own, rather than a part of a section."""
        return not self.of.printed_on

    def described(self) -> str:
        """For lists: ``Dowel 4 × 20``."""
        return self.of.described(self)


class Key(NamedTuple):
    """A key in its place."""

    form: Form
    u: float  # on the plane of its cut, mm
    v: float
    centre: tuple[float, float, float]
    angle: float = 0.0
    owner: int = -1  # side of the section it is printed on, when it is
    sign: int = 0  # 1: the north pole of a magnet faces out of the near section
    colour: str = ""  # of the design around a loose printed key


class KeyKind:
    """A kind of key. Each is a file of this folder with one subclass."""

    id: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    #: In the list of choices, with what is said of it; in lists of keys, one and many.
    title: ClassVar[str] = ""
    tip: ClassVar[str] = ""
    noun: ClassVar[str] = ""
    nouns: ClassVar[str] = ""
    #: Sizes tried, mm, the largest that leaves room first.
    sizes: ClassVar[tuple[float, ...]] = ()
    #: It lies on the seam from the back (the low side of the face), or goes through from back to front.
    from_back: ClassVar[bool] = False
    #: It is a form of a seam; then the share of the pitch that it takes, and whether both sections have some.
    shaped: ClassVar[bool] = False
    share: ClassVar[float] = 0.5
    both_sides: ClassVar[bool] = False
    #: It is printed on a section.
    printed_on: ClassVar[bool] = False
    #: Where what is deep finds no room, shallower ones are tried.
    shallower: ClassVar[bool] = False
    #: One of another size among several keeps them from fitting another way.
    unlike: ClassVar[bool] = False
    #: It lies along the longer way of the face, and needs room as a rectangle does.
    oblong: ClassVar[bool] = False
    #: Two alike look the same when the pair is turned by half.
    twins: ClassVar[bool] = False
    #: It looks the same when it is turned by half.
    half_turn: ClassVar[bool] = False
    #: Its height counts when it is compared with another.
    tall: ClassVar[bool] = False
    #: It lies within its face: where it meets no other of its kind it neither holds nor hinders.
    flush: ClassVar[bool] = False
    #: Its poles are written beside it.
    poles: ClassVar[bool] = False
    #: What it is made of can be chosen.
    stocks: ClassVar[bool] = False
    #: It stands in the way of what is moved along the seam while the sections are put together.
    crosses: ClassVar[bool] = False
    #: Things that are bought or printed for one key.
    things: ClassVar[int] = 1
    #: The smallest that is printed: what is smaller breaks, mm.
    least: ClassVar[float] = 0.0
    #: Directions in which the far section may leave the near one; None when only the faces bound them (half
    #: of all).
    ways: ClassVar[tuple[Way, ...] | None] = None

    def form(self, keys: Keys, size: float, depth: float, thickness: float) -> Form:
        """Measures of one of a size.

        Parameters
        ----------
        depth : float
            0 for what is usual with the size.
        thickness : float
            Height of the face, mm.
        """
        return self.measured(keys, size, depth or self.usual_depth(size), size)

    def measured(self, keys: Keys, size: float, depth: float, height: float) -> Form:
        """A form with the settings' clearances.

        Parameters
        ----------
        keys : Keys
            The settings.
        size, depth, height : float
            mm; see `Form`.
        """
        return Form(
            self.id,
            size,
            round(depth, 3),
            round(height, 3),
            keys.clearance,
            keys.end_gap,
            keys.wall,
            keys.stock,
        )

    def seam_form(self, seam: Seam, thickness: float, wall: float) -> Form:
        """Measures of one step, wave or tab of a shaped seam."""
        return Form(
            self.id, self.share * seam.pitch, seam.reach, thickness, seam.clearance, seam.clearance, wall
        )

    def usual_depth(self, size: float) -> float:
        """Depth that is usual with a size, mm."""
        return size

    def overhang(self, keys: Keys) -> float:
        """How far keys of these settings reach over a cut at most, mm; loose ones do not."""
        return 0.0

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """Solids about the origin; of one from the back, the origin lies where its pocket ends at the back.

        Parameters
        ----------
        owner : int
            Side of the section that a form of a seam is printed on.
        sides : int
            Of round holes, drawn round the circle when there are few.
        """
        raise NotImplementedError

    def reach(self, f: Form) -> tuple[float, float]:
        """How far it goes into the near and the far section, mm."""
        return (ROOT, f.depth + f.end_gap) if self.printed_on else (f.depth, f.depth)

    def half(self, f: Form) -> tuple[float, float]:
        """Half the room it takes along right and up on the face, mm, without the wall."""
        r = f.size / 2 + f.clearance * (1.4 if self.from_back else 1.0)
        return r, r

    def travel(self, f: Form, thickness: float) -> float:
        """How far the far section moves until it is free of the key, mm."""
        return f.depth + f.end_gap

    def pull(self, f: Form) -> float:
        """Force by which it holds a section that hangs on it, N; 0 for what does not go by weight."""
        return 0.0

    def middle(self, f: Form) -> float:
        """Height over its place of the plane that shows its cross section, mm."""
        return f.height / 2 if self.from_back else 0.0

    def span(self, f: Form, owner: int) -> tuple[float, float]:
        """From where to where a drawing measures it along its length, mm from the seam."""
        if not self.printed_on:
            return -f.depth, f.depth
        return (0.0, f.depth) if owner < 0 else (-f.depth, 0.0)

    def end(self, f: Form) -> float:
        """Room at its end, mm."""
        return f.clearance if self.shaped else f.end_gap

    def sign(self, number: int) -> int:
        """Which way round the key of a number is set in: 1, -1, or 0 for one that has no ends."""
        return 0

    def printed(self, f: Form) -> bool:
        """Whether a loose one is printed rather than bought."""
        return False

    def on_bed(self, solid: Solid) -> Solid:
        """A loose one as it lies on the bed."""
        return solid

    def described(self, f: Form) -> str:
        """For lists."""
        return f"{self.id} {format_mm(f.size)} × {format_mm(f.depth)}"


def form_of(kind: str, keys: Keys, size: float, depth: float, thickness: float) -> Form:
    """Measures of a key of a kind and size; for the parameters see `KeyKind.form`.

    Parameters
    ----------
    kind : str
        Id of the kind.
    keys : Keys
        The settings.
    size, depth, thickness : float
        mm.
    """
    from cutkey.core.keys import key_kind

    return key_kind(kind).form(keys, size, depth, thickness)


def seam_form(seam: Seam, thickness: float, wall: float) -> Form:
    """Measures of one step, wave or tab of a shaped seam."""
    from cutkey.core.keys import key_kind

    return key_kind(seam.shape).seam_form(seam, thickness, wall)


def printed_overhang(keys: Keys) -> float:
    """How far keys of these settings reach over a cut at most, mm."""
    from cutkey.core.keys import all_keys

    kind = all_keys().get(keys.kind)
    return kind.overhang(keys) if kind is not None else 0.0
