"""Whether a solid runs into another on a straight way off to the far.

It does just where some line along the way passes the mover behind the obstacle: where the lowest of the
mover, along the way, is below the highest of the obstacle. Both are piecewise flat over their shadows, so it
is enough to look close to the corners of both and on a fine grid; the way itself is not sampled, and no step
along it can be too long.
"""

from __future__ import annotations

import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of, grown, intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import axes_of
from cutkey.core.geometry.mesh import Mesh, face_normals
from cutkey.core.geometry.rays import crossings
from cutkey.core.geometry.solid import Solid, bounds_of, mesh_of

#: Shadows that overlap by less than this only touch, mm; and so do solids that pass one another by less along
#: the way.
GRAZE = 0.02
#: Places looked at: the corners of the triangles, drawn in by this share, and a grid of this many.
_DRAWN_IN, _GRID, _MOST = 0.03, 4000, 30_000
#: Faces that are seen under less than this, as a sine, are left out.
_SEEN = 0.02


def passes_through(mover: Solid, obstacle: Solid, away: Float) -> bool:
    """Whether a solid meets another on its way off along a direction.

    Parameters
    ----------
    mover, obstacle : Manifold
        They may touch where they are, and share nothing.
    away : (3,)
        Of unit length.
    """
    right, up = axes_of(away)
    turn = np.stack([right, up, away])
    one, other = (s.transform(np.c_[turn, np.zeros(3)]) for s in (mover, obstacle))
    (low, high), (bottom, top) = bounds_of(one), bounds_of(other)
    if float(low[2]) >= float(top[2]) - GRAZE:
        return False  # it starts beyond all of it
    shadow = intersection(*(grown(area_of(s.project().to_polygons()), 0.0) for s in (one, other)))
    common = grown(shadow, -GRAZE)
    if common.is_empty:
        return False
    places = _places(common, mesh_of(one), mesh_of(other))
    floor = float(min(low[2], bottom[2])) - 1.0
    long = float(max(high[2], top[2])) + 1.0 - floor
    up_way = np.array([0.0, 0.0, 1.0])
    for x, y in places:
        start = np.array([x, y, floor])
        mine = crossings(one, start, up_way, long)
        theirs = crossings(other, start, up_way, long)
        if mine and theirs and mine[0][0] < theirs[-1][0] - GRAZE:
            return True
    return False


def _places(common: shapely.Geometry, one: Mesh, other: Mesh) -> Float:
    """Places in the common shadow: near the corners of both meshes, and a grid."""
    shapely.prepare(common)
    corners = []
    for mesh in (one, other):
        # Faces that are seen edge on give places on walls, where nothing is certain.
        t = mesh.vertices[mesh.triangles[np.abs(face_normals(mesh)[0][:, 2]) > _SEEN]][:, :, :2]
        middle = t.mean(1, keepdims=True)
        corners.append((t + (middle - t) * _DRAWN_IN).reshape(-1, 2))
    found = np.unique(np.round(np.concatenate(corners), 4), axis=0)
    found = found[shapely.contains_xy(common, found[:, 0], found[:, 1])]
    if len(found) > _MOST:
        found = found[np.linspace(0, len(found) - 1, _MOST).astype(int)]
    # Narrow shadows get their own share of the grid.
    cells = []
    for part in shapely.get_parts(common):
        a, b, c, d = part.bounds
        step = max(np.sqrt(max((c - a) * (d - b), 1e-9) / (_GRID * part.area / common.area + 9)), 1e-3)
        gx, gy = np.meshgrid(np.arange(a + 0.37 * step, c, step), np.arange(b + 0.41 * step, d, step))
        grid = np.c_[gx.ravel(), gy.ravel()]
        grid = grid[shapely.contains_xy(part, grid[:, 0], grid[:, 1])]
        if len(grid) == 0:
            # Beside the middle: people's faces lie in the middle of things.
            circle = shapely.maximum_inscribed_circle(part, tolerance=GRAZE / 10)
            grid = np.array([circle.coords[0]]) + 0.31 * float(circle.length) * np.array([0.83, 0.56])
        cells.append(grid)
    return np.concatenate([found, *cells])
