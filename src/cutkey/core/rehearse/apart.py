"""Whether two bodies of a written file claim the same place, exactly.

What their layers say in samples, their solids say whole.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.mesh import Mesh, weld
from cutkey.core.geometry.solid import bounds_of, solid_as_is
from cutkey.core.rehearse.read import Body

#: Places are written to a micrometre or so: bodies that touch may share this much for each mm² of their
#: boxes, mm, and this in all, mm³.
_THIN, _LEAST = 2e-6, 1e-3


class Shared(NamedTuple):
    """What belongs to two bodies at once."""

    names: tuple[str, str]
    unit: str  # of what is built there
    volume: float  # mm³
    low: tuple[float, float, float]  # corners of its box, mm, on the bed
    high: tuple[float, float, float]
    above: tuple[float, float]  # mm above the lowest of what lies there


def shared(bodies: Sequence[Body], progress: Callable[[], None] | None = None) -> tuple[list[Shared], int]:
    """All pairs of bodies that share volume, the largest first; and how many pairs could not be compared.

    Bodies whose boxes are apart share nothing; of those that are no closed surface, welded or not, nothing is
    known.

    Parameters
    ----------
    bodies : sequence of Body
        That lie on a bed.
    progress : callable, optional
        Called after each pair; it may raise `Cancelled`.
    """
    lows, highs = np.array([b.vertices.min(0) for b in bodies]), np.array([b.vertices.max(0) for b in bodies])
    boxes = shapely.box(*lows[:, :2].T, *highs[:, :2].T)
    one, other = shapely.STRtree(boxes).query(boxes)
    solids: dict[int, m3.Manifold] = {}
    out, unknown = [], 0
    for i, k in zip(one[one < other].tolist(), other[one < other].tolist(), strict=True):
        sides = np.minimum(highs[i], highs[k]) - np.maximum(lows[i], lows[k])
        if sides.min() <= 0:
            continue
        if progress:
            progress()
        for n in (i, k):
            if n not in solids:
                solids[n] = _solid(bodies[n])
        if any(solids[n].status() != m3.Error.NoError for n in (i, k)):
            unknown += 1
            continue
        both = solids[i] ^ solids[k]
        volume = float(both.volume())
        touching = 2 * float(sides[0] * sides[1] + sides[1] * sides[2] + sides[2] * sides[0])
        if volume > _LEAST + _THIN * touching:
            (x0, y0, z0), (x1, y1, z1) = (corner.tolist() for corner in bounds_of(both))
            names, floor = (bodies[i].name, bodies[k].name), float(lows[:, 2].min())
            out.append(
                Shared(names, bodies[i].unit, volume, (x0, y0, z0), (x1, y1, z1), (z0 - floor, z1 - floor))
            )
    return sorted(out, key=lambda s: -s.volume), unknown


def _solid(body: Body) -> m3.Manifold:
    """A body as a solid: as it is, or welded by position where its triangles do not name the same points."""
    solid = solid_as_is(Mesh(body.vertices, body.triangles))
    return solid if solid.status() == m3.Error.NoError else solid_as_is(weld(body.vertices[body.triangles]))
