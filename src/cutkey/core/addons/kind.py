"""What an add-on is: measures in mm, and the tools that add to a body and take away from it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, ClassVar, NamedTuple

import msgspec

from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    import shapely

    from cutkey.core.geometry.facets import Facet
    from cutkey.core.geometry.solid import Solid


class Where(NamedTuple):
    """What an add-on is carried out on."""

    facet: Facet
    body: Solid
    behind: float  # thickness of the body behind the place, mm
    through: float  # a depth that goes right through it, mm
    past: float  # how far what is let in reaches over the face, mm


class Tools(NamedTuple):
    """What one add-on adds and takes away about its place, z out of the face."""

    more: list[Solid]
    less: list[Solid]
    taken: shapely.Geometry  # outline of what was taken away; empty when nothing was
    bottom: float = -math.inf  # of what was taken, mm out of the face; -inf right through
    top: float = 0.5  # `geometry.primitives.PAST`, which is not loaded here
    sunk: float = 0.0  # depth of a countersink, mm


class Feature(msgspec.Struct, frozen=True):
    """What is added to a body at a place.

    Each kind is a file of this folder with one subclass; its fields say what they are called and may be
    (`core.fields`).
    """

    #: What it is called, what it is for, and its place in the menu.
    title: ClassVar[str] = ""
    tip: ClassVar[str] = ""
    rank: ClassVar[int] = 0
    #: What findings call it.
    noun: ClassVar[str] = "add-on"
    #: It goes by the whole face, and has no place of its own on it.
    whole_face: ClassVar[bool] = False
    #: It may hang over the edge of the face: the place that was clicked tells how thick the body is.
    hangs: ClassVar[bool] = False
    #: The walls beside it are measured; and those of what stands beside the body too.
    walled: ClassVar[bool] = False
    #: Round all about: to turn it makes no difference.
    round: ClassVar[bool] = False
    #: It changes the whole body, after all others.
    mirrors: ClassVar[bool] = False
    #: How findings say that material lies over its opening.
    covered: ClassVar[str] = "is covered by"

    def tools(self, where: Where) -> Tools:
        """Solids about its place.

        Raises
        ------
        BadInput
            When the body is not such that it can be carried out.
        """
        raise NotImplementedError

    def mirrored(self, solid: Solid, facet: Facet) -> Solid:
        """The body after it, for what changes the whole body; it comes last."""
        return solid

    def footprint(self, face: shapely.Geometry) -> shapely.Geometry:
        """What it covers of its face, about its place; nothing of what has no place of its own."""
        import shapely

        return shapely.Polygon()

    def summary(self) -> str:
        """Its sizes in a few words."""
        return ""

    @property
    def rise(self) -> float:
        """How far it raises the face, mm: what is let in goes through that too."""
        return 0.0

    @property
    def wall_asked(self) -> float:
        """Thickness of wall that was asked for, mm; 0 where nobody did."""
        return 0.0

    @property
    def floor_asked(self) -> float:
        """Thickness of floor that was asked for, mm; 0 where nobody did."""
        return 0.0

    @property
    def neck_asked(self) -> float:
        """Width of what it hangs on the body by, at least, mm; 0 for what does not hang."""
        return 0.0

    @property
    def closed(self) -> Words | None:
        """What to do about a pocket that is closed over; None for one that is open."""
        return None
