"""Whether two bodies of a written file claim the same place, exactly: what their layers say in samples, their solids say whole."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import NamedTuple

import manifold3d as m3
import numpy as np

from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.solid import bounds_of, solid_as_is
from cutkey.core.rehearse.read import Body

#: Places are written to a micrometre or so: bodies that touch may share this much for each mm² of their boxes, mm, and this in all, mm³.
_THIN, _LEAST = 2e-6, 1e-3


class Shared(NamedTuple):
    """What belongs to two bodies at once."""

    names: tuple[str, str]
    unit: str  # of what is built there
    volume: float  # mm³
    low: tuple[float, float, float]  # corners of its box, mm, on the bed
    high: tuple[float, float, float]
    above: tuple[float, float]  # mm above the lowest of what lies there


def shared(bodies: Sequence[Body]) -> list[Shared]:
    """All pairs of bodies that share volume, the largest first.

    Bodies whose boxes are apart cannot; one that is no closed surface is left out, which other findings tell.

    Parameters
    ----------
    bodies : sequence of Body
        That lie on a bed.
    """
    lows, highs = np.array([b.vertices.min(0) for b in bodies]), np.array([b.vertices.max(0) for b in bodies])
    solids: dict[int, m3.Manifold] = {}
    out = []
    for i, k in combinations(range(len(bodies)), 2):
        sides = np.minimum(highs[i], highs[k]) - np.maximum(lows[i], lows[k])
        if sides.min() <= 0:
            continue
        for n in (i, k):
            if n not in solids:
                solids[n] = solid_as_is(Mesh(bodies[n].vertices, bodies[n].triangles))
        if any(solids[n].status() != m3.Error.NoError for n in (i, k)):
            continue
        both = solids[i] ^ solids[k]
        volume = float(both.volume())
        touching = 2 * float(sides[0] * sides[1] + sides[1] * sides[2] + sides[2] * sides[0])
        if volume > _LEAST + _THIN * touching:
            (x0, y0, z0), (x1, y1, z1) = (corner.tolist() for corner in bounds_of(both))
            names, floor = (bodies[i].name, bodies[k].name), float(lows[:, 2].min())
            out.append(Shared(names, bodies[i].unit, volume, (x0, y0, z0), (x1, y1, z1), (z0 - floor, z1 - floor)))
    return sorted(out, key=lambda s: -s.volume)
