"""Where the beds of a kit stand beside one another in one file.

The library that writes 3MF files writes places with six significant digits: beds stand in rows, so that no
place is farther than it keeps to the micrometre, and places lie on a grid that six digits hold.
"""

from __future__ import annotations

from collections.abc import Sequence

#: Distance between neighbouring beds, as a share of a bed's size; rows do not go on beyond so far, mm.
STEP, FAR = 1.2, 1000.0
#: Decimals of a place on a bed, mm.
DECIMALS = 2


def bed_corner(number: int, bed: Sequence[float]) -> tuple[float, float]:
    """Return where the lower left corner of a bed lies, mm.

    Parameters
    ----------
    number : int
        Of the bed, from 0.
    bed : sequence of float
        Width and depth of a bed, mm.
    """
    across, deep = STEP * bed[0], STEP * bed[1]
    columns = 1 + max(0, int((FAR - bed[0]) // across))
    row, column = divmod(max(0, number), columns)
    return round(column * across, DECIMALS), round(row * deep, DECIMALS)
