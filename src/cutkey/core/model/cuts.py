"""Cuts, seams, keys and labels as the maker set them; lengths in mm, angles in degrees."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

import msgspec
from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.fields import LONG, length, number
from cutkey.core.keys import seam_forms, set_keys
from cutkey.core.words.kind import Words

#: More cuts than this are no kit any more.
MOST_CUTS = 400

Axis = Literal["x", "y", "z"]
AXES: tuple[Axis, Axis, Axis] = ("x", "y", "z")
if TYPE_CHECKING:
    KeyChoice = str
    SeamShape = str
else:
    KeyChoice = Literal[("auto", *set_keys(), "none")]
    SeamShape = Literal[("straight", *seam_forms())]


class Keys(msgspec.Struct, frozen=True):
    """What aligns two sections at a joint; a size or depth of 0 is taken from the room there is."""

    kind: KeyChoice = "auto"
    # diameter of a dowel or magnet, width of a tenon, dovetail or bow-tie, thread of a screw
    size: Annotated[float, length()] = 0.0
    # in each section; thickness of a magnet; of a bow-tie half its length
    depth: Annotated[float, length()] = 0.0
    clearance: Annotated[float, number(0, 5)] = 0.15  # per side
    end_gap: Annotated[float, number(0, 20)] = 0.4  # at each end
    wall: Annotated[float, number(0, 100)] = 1.2  # least material around it
    stock: Literal["printed", "wood", "metal"] = "printed"  # what loose dowels are made of
    count: Annotated[int, number(0, 100)] = 0  # most in a joint, 0 as many as its length asks for


class Seam(msgspec.Struct, frozen=True):
    """The course of a cut across a flat design."""

    shape: SeamShape = "straight"
    pitch: Annotated[float, number(1, LONG)] = 24.0  # from one step, wave or tab to the next
    reach: Annotated[float, number(0.1, LONG)] = 6.0  # across the seam
    clearance: Annotated[float, number(0, 5)] = 0.1  # per side around each


class Labels(msgspec.Struct, frozen=True):
    """Section and joint names engraved on faces that are hidden once the sections are together."""

    on: bool = True
    height: Annotated[float, number(0.1, 500)] = 5.0
    depth: Annotated[float, number(0.01, 50)] = 0.4


class JointKeys(msgspec.Struct, frozen=True):
    """Keys of one joint of a cut that are not those of its others."""

    at: tuple[float, float]  # a place on its face, in the plane's own coordinates
    keys: Keys = Keys()


class Cut(msgspec.Struct, frozen=True):
    """A plane across one axis; through the whole design, or through one section only."""

    axis: Axis = "x"
    at: Annotated[float, number(-LONG, LONG)] = 0.0  # where it crosses the axis at the middle of the design
    tilt: Annotated[float, number(-89, 89)] = 0.0  # turned about z; about y for a cut across z
    lean: Annotated[float, number(-89, 89)] = 0.0  # turned about the other axis that lies in the plane
    inside: tuple[float, float, float] | None = None  # a place in the section it is limited to
    pinned: bool = False  # stays when cuts are proposed anew
    seam: Seam = Seam()
    path: tuple[
        tuple[float, float], ...
    ] = ()  # corners of a seam that is not straight: right and distance on the plane, which stands upright
    keys: Keys | None = None  # of its joints, None those of the job
    joints: tuple[JointKeys, ...] = ()  # of single joints
    hand: tuple[tuple[float, float], ...] = ()  # places of keys set by hand, in the plane's own coordinates

    @property
    def knife(self) -> Cut:
        """What of it divides the design; keys divide nothing."""
        return replace(self, keys=None, joints=(), hand=(), pinned=False)


#: Clearances a side that come with a fit, measured from the one at which a key slides on the maker's own
#: printer.
FITS: dict[str, float] = {"loose": 0.1, "sliding": 0.0, "press": -0.1}


def fit_clearance(fit: str, slides: float) -> float:
    """Clearance a side, mm, of a named fit on a printer whose keys slide at `slides`.

    Common practice, no source.
    """
    return round(max(0.0, slides + FITS[fit]), 3)


class Word(NamedTuple):
    """Something that speaks for a cut, or against it."""

    good: bool
    says: Words
    about: Literal["figures", "slivers", "holes", "bodies", "edge", "thick", "room"]


How = Literal["whole", "grid", "rows", "columns", "bodies", "lying"]
#: How a plan divides a design, in words.
HOW = {
    "whole": "fits as it is",
    "grid": "grid: every cut goes through everything",
    "rows": "rows: each divided by itself",
    "columns": "columns: each divided by itself",
    "bodies": "bodies: each cut by itself",
    "lying": "lying: the sections are printed on another side",
}


class Plan(NamedTuple):
    """A way to cut a design."""

    cuts: tuple[Cut, ...]
    sections: int
    badness: float
    how: How


def read_cuts(data: bytes, name: str) -> list[Cut]:
    """Cuts of a JSON file.

    Raises
    ------
    BadInput
        When it is no list of cuts.
    """
    try:
        cuts = msgspec.json.decode(data, type=list[Cut])
    except (ValueError, msgspec.MsgspecError, RecursionError):
        raise BadInput(f'{name} is not a list of cuts; write [{{"axis": "x", "at": 120}}].') from None
    if len(cuts) > MOST_CUTS:
        raise BadInput(f"{name} holds {len(cuts)} cuts; {MOST_CUTS} are the most.")
    return cuts
