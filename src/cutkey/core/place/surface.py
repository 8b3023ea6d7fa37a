"""A model's surface laid out flat about a place on it.

Where every point of a graphic comes to lie, and which way is out.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.errors import BadInput
from cutkey.core.geometry.areas import covered
from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.facets import FEATURE_DEGREES, axes_of
from cutkey.core.geometry.mesh import Mesh, corner_normals, face_normals, joined, neighbours
from cutkey.core.place.round_body import RoundBody, round_body_of
from cutkey.core.place.triangle_grid import TriangleGrid, grid_of

#: A surface that turns further than this from the direction of projection is not reached by it, degrees.
STEEPEST = 75.0
#: Triangles of the surface are looked at as far as this from the place, as a multiple of the graphic's reach,
#: and mm.
_MARGIN = 3.0


class Spread(NamedTuple):
    """Points of the graphic's plane on the surface."""

    points: Float  # (N, 3), NaN where the surface is missed
    normals: Float  # (N, 3) of unit length, smooth across the triangles
    found: Bool  # (N,)


class Surface(NamedTuple):
    """The part of a model that a graphic can follow from one place.

    And its layout in the graphic's plane, mm.

    The plane's axes are `right` and `up` at `origin`. Projected, a triangle is laid out by its shadow along
    `normal`; wrapped round a cylinder or cone, by arc length and along its side.
    """

    origin: Float
    right: Float
    up: Float
    normal: Float
    corners: Float  # (T, 3, 3) of the triangles in reach
    bends: Float  # (T, 3, 3) unit normals at their corners
    flat: Float  # (T, 3, 2) the corners in the graphic's plane
    round: RoundBody | None  # what it is wrapped round
    outline: shapely.Geometry  # of the layout
    grid: TriangleGrid

    def lay(self, xy: Float) -> Spread:
        """Bring points (N, 2) of the graphic's plane onto the surface.

        Parameters
        ----------
        xy : ndarray, (N, 2), float64
            mm.
        """
        points, normals = np.full((len(xy), 3), np.nan), np.full((len(xy), 3), np.nan)
        at, triangle = self.grid.over(xy)
        a, b, c = np.moveaxis(self.flat[triangle], 1, 0)
        q = xy[at]
        whole = _cross(b - a, c - a)
        with np.errstate(divide="ignore", invalid="ignore"):
            weights = (
                np.stack([_cross(b - q, c - q), _cross(c - q, a - q), _cross(a - q, b - q)], 1)
                / whole[:, None]
            )
        inside = np.isfinite(weights).all(1) & (weights.min(1) > -1e-7)
        at, triangle, weights = at[inside], triangle[inside], weights[inside]
        there = np.einsum("nk,nkd->nd", weights, self.corners[triangle])
        if self.round is not None:
            there = self.round.onto(there, self.corners[triangle])
        # Where layers lie over one another, the outermost is the one that is seen.
        height = (there - self.origin) @ self.normal if self.round is None else self.round.radius_at(there)
        order = np.argsort(height, kind="stable")
        at, triangle, weights, there = at[order], triangle[order], weights[order], there[order]
        points[at] = there
        bend = np.einsum("nk,nkd->nd", weights, self.bends[triangle])
        normals[at] = bend / np.maximum(np.linalg.norm(bend, axis=1), 1e-12)[:, None]
        return Spread(points, normals, np.isfinite(points[:, 0]))

    def tilt(self, sheet: Spread) -> Float:
        """Angle, degrees, that the surface has turned from the direction a graphic comes from, (N,).

        Returns
        -------
        ndarray, (N,), float64
        """
        out = self.normal if self.round is None else self.round.outward(sheet.points)
        return np.asarray(np.degrees(np.arccos(np.clip((sheet.normals * out).sum(1), -1, 1))))


def _cross(a: Float, b: Float) -> Float:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0])


def surface_at(mesh: Mesh, point: Float, normal: Float, reach: float, wrap: bool = False) -> Surface:
    """The surface round a place, to be followed by projection or by wrapping.

    Parameters
    ----------
    mesh : Mesh
        Of the model, mm.
    point, normal : (3,)
        A place on it and its outward direction there.
    reach : float
        How far from the place the graphic may lie, mm.
    wrap : bool
        Lay it out round the cylinder or cone that the surface is.

    Raises
    ------
    BadInput
        When there is no surface at the place, or it is to be wrapped and is no cylinder or cone.
    """
    normals, _ = face_normals(mesh)
    every = mesh.vertices[mesh.triangles]
    middle = every.mean(1)
    near = np.flatnonzero(normals @ normal > 0.2)
    if len(near) == 0:
        raise BadInput("There is no surface in that direction; pick a place on the model.")
    seed = int(near[np.argmin(((middle[near] - point) ** 2).sum(1))])
    if wrap:
        patch = _smooth_round(mesh, seed, normals)
        body = round_body_of(mesh, patch, normals, point, normal)
        right, up, direction = body.right, body.up, body.out
        on = body.is_on(every, normals)
        on[seed] = True
        patch = _connected(mesh, np.flatnonzero(on), seed)
        flat = body.unrolled(every[patch])
        # A triangle across the seam at the back would stretch all the way round.
        whole = np.ptp(flat[:, :, 0], axis=1) < body.half_way_round
        patch, flat = patch[whole], flat[whole]
    else:
        right, up = axes_of(normal)
        direction, body = normal / np.linalg.norm(normal), None
        away = middle - point
        keep = np.hypot(away @ right, away @ up) < _MARGIN * reach + np.linalg.norm(
            np.ptp(every, axis=1), axis=1
        )
        keep &= normals @ direction > math.cos(math.radians(STEEPEST))
        keep[seed] = True
        patch = _connected(mesh, np.flatnonzero(keep), seed)
        flat = np.stack([(every[patch] - point) @ right, (every[patch] - point) @ up], -1)
    bends = corner_normals(Mesh(mesh.vertices, mesh.triangles[patch]))
    shapes = shapely.polygons(flat)
    outline = covered(shapes, 1e-3)
    if outline.is_empty:
        raise BadInput("The surface there is too small to lay anything on; pick another place.")
    return Surface(point, right, up, direction, every[patch], bends, flat, body, outline, grid_of(flat))


def _smooth_round(mesh: Mesh, seed: int, normals: Float) -> Int:
    """Triangles reached from one without crossing a visible edge."""
    pairs = neighbours(mesh)
    smooth = (normals[pairs.one] * normals[pairs.other]).sum(1) > math.cos(math.radians(FEATURE_DEGREES))
    owner = joined(len(mesh.triangles), pairs.one[smooth], pairs.other[smooth])
    return np.flatnonzero(owner == owner[seed])


def _connected(mesh: Mesh, triangles: Int, seed: int) -> Int:
    """Those of some triangles that hang together with one of them by edges."""
    pairs = neighbours(Mesh(mesh.vertices, mesh.triangles[triangles]))
    owner = joined(len(triangles), pairs.one, pairs.other)
    mine = np.flatnonzero(triangles == seed)
    return triangles[owner == owner[mine[0]]] if len(mine) else triangles[:0]
