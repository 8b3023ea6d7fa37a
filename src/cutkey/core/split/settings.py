"""Cuts and keys as the maker set them."""

from __future__ import annotations

from typing import Literal

import msgspec

Axis = Literal["x", "y", "z"]
AXES: tuple[Axis, Axis, Axis] = ("x", "y", "z")


class Cut(msgspec.Struct, frozen=True):
    """A plane through the whole design, across one axis at a position in mm."""

    axis: Axis
    at: float


class Keys(msgspec.Struct, frozen=True):
    """Round loose dowels; lengths in mm."""

    kind: Literal["dowel", "none"] = "dowel"
    diameter: float = 4.0
    depth: float = 10.0  # of the dowel in each section
    clearance: float = 0.15  # per side
    end_gap: float = 0.4  # at each end
    wall: float = 1.2  # least material around a socket
