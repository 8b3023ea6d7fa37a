"""The places of what is laid more than once."""

from __future__ import annotations

import math

from msgspec.structs import replace

from cutkey.core.model.placement import Copies, Offset, Placement


def spots(offset: Offset, spin: float, copies: Copies, middle: float = 0.0) -> list[tuple[Offset, float]]:
    """Offsets and spins (degrees) of all copies, the twin of a pair last.

    `middle` is how far right of the face's middle the model's own mid-plane lies, mm; pairs are mirrored
    there.

    Parameters
    ----------
    offset : (float, float)
        Of the first, mm from the middle of the face.
    spin : float
        Of the first, degrees.
    copies : Copies
        How many, and how they are laid out.
    middle : float
        How far right of the face's middle the model's mid-plane lies, mm.
    """
    c, (x, y) = copies, offset
    if c.kind == "grid":
        nx, ny = max(1, c.count[0]), max(1, c.count[1])
        places = [
            (x + c.step[0] * (i - (nx - 1) / 2), y + c.step[1] * (j - (ny - 1) / 2))
            for j in range(ny)
            for i in range(nx)
        ]
        return [(p, spin) for p in places]
    if c.kind == "ring":
        out: list[tuple[Offset, float]] = []
        for k in range(max(1, c.count[0])):
            a = 2 * math.pi * k / max(1, c.count[0])
            out.append(
                (
                    (x * math.cos(a) - y * math.sin(a), x * math.sin(a) + y * math.cos(a)),
                    spin + math.degrees(a),
                )
            )
        return out
    if c.kind == "pair":
        return [((x, y), spin), ((2 * middle - x, y), -spin)]
    return [((x, y), spin)]


def instances(placement: Placement, middle: float = 0.0) -> list[Placement]:
    """Single placements for a placement with copies; for `middle` see `spots`."""
    one = replace(placement, copies=Copies())
    every = [
        replace(one, offset=offset, spin=spin)
        for offset, spin in spots(placement.offset, placement.spin, placement.copies, middle)
    ]
    if placement.copies.kind == "pair":
        every[1] = replace(every[1], mirror=not placement.mirror)
    return every
