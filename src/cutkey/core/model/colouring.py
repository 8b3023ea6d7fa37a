"""How the colours of a job are printed."""

from __future__ import annotations

from typing import Annotated, Any, Literal, NamedTuple

import msgspec

from cutkey.core.fields import length, number
from cutkey.core.model.placement import Placement
from cutkey.core.words.kind import Words

Way = Literal["bodies", "heights", "inlays"]


class Rung(msgspec.Struct, frozen=True):
    """A change that the maker set.

    Above this height a filament is printed, below it another, mm from the bed.
    """

    z: Annotated[float, length()]
    filament: str
    under: str = ""


class Cover(msgspec.Struct, frozen=True):
    """Layers that a filament has at least, so that what is under it does not show."""

    filament: str
    layers: Annotated[int, number(1, 50)]


class OwnWay(msgspec.Struct, frozen=True):
    """A colour of the design that is printed another way than the others."""

    colour: str
    way: Way


class Engraving(msgspec.Struct, frozen=True):
    """A number in the floor of an inlay's pocket."""

    number: int
    area: bytes  # WKB, mm on the face
    deep: float  # mm from the face to the floor
    to_model: tuple[float, ...]  # (3, 4) row by row, from the face to the model


class Colouring(msgspec.Struct, frozen=True):
    """The way of colour, and what the plan by height may do."""

    way: Way = "bodies"
    ways: tuple[OwnWay, ...] = ()  # of single colours
    face_down: bool = False  # the sections lie on the bed with what was their top
    returns: Annotated[int, number(0, 6)] = 0  # a colour may come back so often
    travel: Annotated[float, length()] = 0.6  # mm that a height may differ from what was asked
    cover: Annotated[int, number(1, 50)] = 2  # layers of a colour at least
    covers: tuple[Cover, ...] = ()  # filaments that need more, or less
    # mm3 that are flushed out at a change; the maker's printer says
    flush: Annotated[float, number(0, 10_000)] = 80.0
    play: Annotated[float, number(0, 5)] = 0.15  # mm between an inlay and its pocket, a side
    deeper: Annotated[float, number(0, 5)] = 0.1  # mm that a pocket is deeper than its inlay is thick
    seat: Annotated[float, number(0.1, 100)] = 1.2  # mm that a raised inlay is let in
    # mm taken off the lower edge of an inlay, so that it finds its pocket
    lead: Annotated[float, number(0, 5)] = 0.4
    numbered: bool = True  # inlays and the floors of their pockets, where there is room
    rungs: tuple[Rung, ...] = ()  # changes set by hand
    # of a job as it is printed: up to which height which filament, bottom up; never saved
    bands: tuple[Rung, ...] = ()
    floors: tuple[Engraving, ...] = ()  # of such a job: what is engraved
    settled: bool = False  # the depths are those that the ways of colour give already; never saved

    def cover_of(self, filament: str) -> int:
        """Layers that a filament has at least."""
        return next((c.layers for c in self.covers if c.filament == filament), self.cover)

    def way_of(self, colour: str) -> Way:
        """How a colour of the design is printed."""
        return next((w.way for w in self.ways if w.colour == colour), self.way)

    def uses(self, way: Way) -> bool:
        """Whether any colour may be printed so."""
        return self.way == way or any(w.way == way for w in self.ways)


#: What a job has only while it is computed.
NEVER_SAVED: dict[str, Any] = {"bands": (), "floors": (), "settled": False}


class Top(NamedTuple):
    """A region of a placed graphic, or the plain face of the body: what was asked and what it gets."""

    placement: str  # "" for the body
    name: str
    colour: str  # of the graphic, or the body's
    filament: str
    face: float  # mm above the bed, of the face it lies on
    asked: float
    gets: float


class Stripe(NamedTuple):
    """Layers of one filament, the first and the last included, and their heights above the bed, mm."""

    filament: str
    first: int
    last: int
    low: float
    high: float


class Choice(NamedTuple):
    """Another plan: more changes, less departure."""

    changes: int
    off: float  # mm, the largest departure of a region
    returns: int


class Help(NamedTuple):
    """What makes a plan possible, tried before it is said."""

    says: Words
    colouring: Colouring


class Heights(NamedTuple):
    """A plan of changes, or why there is none."""

    stripes: tuple[Stripe, ...]
    tops: tuple[Top, ...]
    placements: tuple[Placement, ...]  # with the depths that the plan gives them
    choices: tuple[Choice, ...]
    trouble: Words | None = None  # one sentence; no stripes then
    among: tuple[str, ...] = ()  # who is in each other's way
    notes: tuple[Words, ...] = ()
    helps: tuple[Help, ...] = ()  # where there is no plan
    beside: tuple[str, ...] = ()  # filaments of colours that are printed as bodies among the layers

    @property
    def changes(self) -> int:
        """How often the filament is changed."""
        return max(0, len(self.stripes) - 1)


class Spool(NamedTuple):
    """What is used of a filament, printed solid."""

    filament: str
    grams: float
    metres: float
    price: float  # 0 when it is not known


class Offer(NamedTuple):
    """What makes do with the filaments that can be loaded, tried before it is offered.

    And the settings that do it.
    """

    says: Words
    colouring: Colouring
    filaments: dict[str, str]  # of colours that are printed with another


class Cost(NamedTuple):
    """What a way of colour costs."""

    way: str
    changes: int
    flushed: float  # grams that are flushed out at the changes
    spools: tuple[Spool, ...]
    filaments: int
    pieces: int  # that are printed by themselves and put in
    moved: float  # mm, the most that a height differs from what was asked

    @property
    def grams(self) -> float:
        """All that is printed, without what is flushed out."""
        return sum(s.grams for s in self.spools)
