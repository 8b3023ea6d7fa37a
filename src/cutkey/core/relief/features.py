"""Add-ons of a body: holes, pockets, loops, rims and what else a made thing needs, as data."""

from __future__ import annotations

from typing import Literal

import msgspec

from cutkey.core.relief.placement import Copies, Offset

Screw = Literal["M2", "M2.5", "M3", "M4", "M5", "M6", "M8", "M10"]
#: Clearance holes of the medium series, mm (ISO 273:1979, from memory).
CLEARANCE: dict[str, float] = {"M2": 2.4, "M2.5": 2.9, "M3": 3.4, "M4": 4.5, "M5": 5.5, "M6": 6.6, "M8": 9.0, "M10": 11.0}
#: Largest head diameters of countersunk screws, mm, 90 degrees (ISO 10642 and ISO 2009, from memory).
HEAD: dict[str, float] = {"M2": 4.4, "M2.5": 5.5, "M3": 6.72, "M4": 8.96, "M5": 11.2, "M6": 13.44, "M8": 17.92, "M10": 22.4}


class Hole(msgspec.Struct, frozen=True, tag="hole"):
    """A round hole, right through when `depth` is 0."""

    diameter: float = 3.0
    depth: float = 0.0


class ScrewHole(msgspec.Struct, frozen=True, tag="screw"):
    """A clearance hole for a screw, with or without a countersink for its head."""

    size: Screw = "M3"
    countersunk: bool = True


class Loop(msgspec.Struct, frozen=True, tag="loop"):
    """A tab with a hole for a key ring, as thick as the body behind the place or as said."""

    hole: float = 5.0
    wall: float = 2.0
    thickness: float = 0.0


class Magnet(msgspec.Struct, frozen=True, tag="magnet"):
    """A pocket for a magnet: a disc of `width`, or a bar of `width` by `length` when that is above 0.

    A closed pocket lies `roof` mm under the surface: the print is paused to put the magnet in.
    """

    width: float = 20.0
    length: float = 0.0
    height: float = 3.0
    clearance: float = 0.0  # a side; real magnets measure a little under their nominal size
    roof: float = 0.0


class Border(msgspec.Struct, frozen=True, tag="border"):
    """A raised rim along the outline of the face, or along its holes too."""

    width: float = 2.0
    height: float = 1.2
    holes: bool = False


class Hollow(msgspec.Struct, frozen=True, tag="hollow"):
    """The body emptied from the face, walls and floor left."""

    wall: float = 1.6
    floor: float = 1.0


class Channel(msgspec.Struct, frozen=True, tag="channel"):
    """A groove on the face, for an LED strip: straight, about its place, or along a path; with `exit` its end goes on to the edge."""

    length: float = 60.0
    path: tuple[Offset, ...] = ()  # of two points or more; takes the place of the length
    width: float = 10.0
    depth: float = 3.0
    exit: bool = True


class Half(msgspec.Struct, frozen=True, tag="half"):
    """One half of the body cut away at the middle of the face and replaced by the mirror image of the other.

    `keep` is the half that stays, as seen on the face.
    """

    keep: Literal["left", "right", "lower", "upper"] = "left"


Feature = Hole | ScrewHole | Loop | Magnet | Border | Hollow | Channel | Half


class AddOn(msgspec.Struct, frozen=True):
    """A feature on a face of the body; placed as a graphic is."""

    id: str
    feature: Feature
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    offset: Offset = (0.0, 0.0)
    spin: float = 0.0
    copies: Copies = Copies()
