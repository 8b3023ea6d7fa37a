"""The places of a graphic that is laid more than once."""

from __future__ import annotations

import math

from msgspec.structs import replace

from cutkey.core.relief.placement import Copies, Placement


def instances(placement: Placement) -> list[Placement]:
    """Single placements for a placement with copies, the first of them itself or the lowest on the left."""
    c, (x, y) = placement.copies, placement.offset
    one = replace(placement, copies=Copies())
    if c.kind == "grid":
        nx, ny = max(1, c.count[0]), max(1, c.count[1])
        return [
            replace(one, offset=(x + c.step[0] * (i - (nx - 1) / 2), y + c.step[1] * (j - (ny - 1) / 2)))
            for j in range(ny)
            for i in range(nx)
        ]
    if c.kind == "ring":
        out = []
        for k in range(max(1, c.count[0])):
            a = 2 * math.pi * k / max(1, c.count[0])
            turned = (x * math.cos(a) - y * math.sin(a), x * math.sin(a) + y * math.cos(a))
            out.append(replace(one, offset=turned, spin=placement.spin + math.degrees(a)))
        return out
    if c.kind == "pair":
        return [one, replace(one, offset=(-x, y), spin=-placement.spin, mirror=not placement.mirror)]
    return [one]
