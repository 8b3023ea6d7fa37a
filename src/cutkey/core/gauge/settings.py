"""Setting-out pieces as the maker set them; lengths in mm."""

from __future__ import annotations

from typing import Literal

import msgspec


class Gauge(msgspec.Struct, frozen=True):
    """Spacers that keep the loose islands of a design in their places while it is put up; common practice, no source."""

    on: bool = False
    clearance: float = 0.15  # per side, off the islands' outlines
    thickness: float = 2.0
    reach: float = 18.0  # along the gaps, from where they meet
    peg: float = 5.0  # grip, across
    height: float = 15.0  # from the wall to the top of the peg
    paper: Literal["A4", "Letter"] = "A4"  # of the template
