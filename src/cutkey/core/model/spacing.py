"""Setting-out pieces as the maker set them; lengths in mm."""

from __future__ import annotations

from typing import Annotated

import msgspec

from cutkey.core.fields import number


class Gauge(msgspec.Struct, frozen=True):
    """Spacers that keep the loose islands of a design in their places while it is put up.

    Common practice, no source.
    """

    on: bool = False
    clearance: Annotated[
        float,
        number(0, 5, "Clearance", "How much smaller than the gap a spacer is, on each side", "mm", high=2.0),
    ] = 0.15
    thickness: Annotated[
        float, number(0.1, 100, "Thickness", "Of the spacer, without its peg", "mm", low=0.4, high=20.0)
    ] = 2.0
    reach: Annotated[
        float,
        number(
            1,
            1000,
            "Reach",
            "How far a spacer goes along the gaps that meet in it",
            "mm",
            low=4.0,
            high=100.0,
        ),
    ] = 18.0
    peg: Annotated[
        float,
        number(0.5, 100, "Peg", "Across; to take hold of it when it comes off", "mm", low=1.6, high=20.0),
    ] = 5.0
    height: Annotated[
        float, number(1, 500, "Height", "From the wall to the head with the number", "mm", low=6.0, high=60.0)
    ] = 15.0
