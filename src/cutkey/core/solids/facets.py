"""Flat faces of a model: the areas a graphic can lie on."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.errors import BadInput
from cutkey.core.solids.mesh import Mesh, face_normals, joined, neighbours

Float = NDArray[np.float64]
#: Neighbouring triangles whose normals differ less than this (degrees) lie on one flat face.
FLAT_DEGREES = 0.5
#: Neighbouring triangles that meet more sharply than this (degrees) make a visible edge.
FEATURE_DEGREES = 25.0


class Facet(NamedTuple):
    """A flat face with its own directions; `outline` is in (right, up) coordinates about `origin`."""

    origin: Float  # (3,) middle of the outline's bounding box
    normal: Float  # (3,)
    right: Float
    up: Float
    outline: shapely.Geometry
    area: float


class Facets(NamedTuple):
    """Facet number of each triangle, areas and normals of the facets, visible edges as vertex pairs."""

    owner: NDArray[np.int64]  # (T,)
    area: Float  # (F,)
    normal: Float  # (F, 3)
    edges: NDArray[np.int64]  # (E, 2)


def find_facets(mesh: Mesh) -> Facets:
    """Group triangles into connected flat faces and find the visible edges between them."""
    normals, areas = face_normals(mesh)
    pairs = neighbours(mesh)
    one, other = pairs.one, pairs.other
    cosine = np.einsum("ij,ij->i", normals[one], normals[other])
    flat = (cosine > np.cos(np.radians(FLAT_DEGREES))) | (areas[one] < 1e-12) | (areas[other] < 1e-12)
    owner = joined(len(normals), one[flat], other[flat])
    f = int(owner.max()) + 1
    total: Float = np.bincount(owner, areas, f).astype(float)
    mean: Float = np.stack([np.bincount(owner, areas * normals[:, k], f) for k in range(3)], 1).astype(float)
    mean /= np.maximum(np.linalg.norm(mean, axis=1), 1e-300)[:, None]
    sharp = cosine < np.cos(np.radians(FEATURE_DEGREES))
    edges = np.stack([pairs.low[sharp], pairs.high[sharp]], 1)
    return Facets(owner, total, mean, edges)


def axes_of(normal: Float, up: Float | None = None) -> tuple[Float, Float]:
    """Right and up of a face, the right way up for the model: up is as near to +z as the face allows, else +y."""
    guess = np.array([0.0, 0.0, 1.0]) if up is None else np.asarray(up, float)
    if abs(float(normal @ guess)) > 0.99:
        guess = np.array([0.0, 1.0, 0.0])
    upward = guess - normal * (normal @ guess)
    upward /= np.linalg.norm(upward)
    return np.cross(upward, normal), upward


def facet_at(mesh: Mesh, facets: Facets, number: int) -> Facet:
    """Directions and outline of one facet."""
    mine = facets.owner == number
    normal = facets.normal[number]
    right, up = axes_of(normal)
    corners = mesh.vertices[mesh.triangles[mine]]
    base = corners[0, 0]
    flat = np.stack([(corners - base) @ right, (corners - base) @ up], -1)
    triangles = shapely.polygons(flat)
    outline = _outline(triangles[shapely.area(triangles) > 1e-12])
    x0, y0, x1, y1 = outline.bounds
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    outline = shapely.transform(outline, lambda p: p - np.array([cx, cy]))
    return Facet(base + right * cx + up * cy, normal, right, up, outline, float(facets.area[number]))


def _outline(triangles: NDArray[np.object_]) -> shapely.Geometry:
    """Area covered by the triangles of one facet; slits left by rounding are closed."""
    outline = shapely.coverage_union_all(triangles)
    if not outline.is_valid:
        outline = shapely.union_all(triangles, grid_size=1e-6)
    parts = [shapely.Polygon(p.exterior, [h for h in p.interiors if shapely.Polygon(h).area > 1e-4]) for p in shapely.get_parts(outline)]
    return shapely.union_all(parts)


def facet_near(mesh: Mesh, facets: Facets, point: Float, normal: Float) -> int:
    """Number of the facet that faces `normal` and lies nearest to `point`."""
    facing = np.nonzero(facets.normal[facets.owner] @ normal > 0.99)[0]
    if len(facing) == 0:
        raise BadInput("There is no flat face in that direction; pick a face on the model.")
    p = mesh.vertices[mesh.triangles[facing]]
    return int(facets.owner[facing[int(np.argmin(_distance_to_triangles(p, np.asarray(point, float))))]])


def largest_facing(facets: Facets, direction: Float, mesh: Mesh) -> int:
    """Number of the outermost large facet that faces a direction."""
    facing = facets.normal @ direction > 0.99
    if not facing.any():
        raise BadInput("The model has no flat face on that side; choose another face or a point on it.")
    reach = np.full(len(facets.area), -np.inf)
    np.maximum.at(reach, facets.owner, (mesh.vertices[mesh.triangles] @ direction).max(1))
    score = np.where(facing & (facets.area > 0.05 * facets.area[facing].max()), facets.area, -1.0)
    # A slightly sunken field does not take precedence over the larger face around it.
    return int(np.argmax(score))


def _distance_to_triangles(p: Float, q: Float) -> Float:
    """Distances of a point to triangles (T, 3, 3): Ericson, Real-Time Collision Detection (2005), by projection and edges."""
    n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    n /= np.maximum(np.linalg.norm(n, axis=1), 1e-300)[:, None]
    inside = np.ones(len(p), bool)
    best = np.full(len(p), np.inf)
    for k in range(3):
        a, b = p[:, k], p[:, (k + 1) % 3]
        e = b - a
        inside &= np.einsum("ij,ij->i", np.cross(e, q - a), n) >= 0
        t = np.clip(np.einsum("ij,ij->i", q - a, e) / np.maximum(np.einsum("ij,ij->i", e, e), 1e-300), 0, 1)
        best = np.minimum(best, np.linalg.norm(a + t[:, None] * e - q, axis=1))
    height = np.abs(np.einsum("ij,ij->i", q - p[:, 0], n))
    return np.where(inside, height, best)


def facet_of_point(mesh: Mesh, facets: Facets, point: Float) -> int:
    """Number of the facet nearest to a point."""
    return int(facets.owner[int(np.argmin(_distance_to_triangles(mesh.vertices[mesh.triangles], np.asarray(point, float))))])
