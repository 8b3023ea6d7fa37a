"""Flat faces of a model: the areas a graphic can lie on."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.errors import BadInput
from cutkey.core.geometry.areas import covered
from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.geometry.mesh import Mesh, Neighbours, face_normals, joined, neighbours

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


#: Triangles of one flat face lie this near to its plane, mm, and as a share of the model's size: what single
#: precision leaves.
FLAT_MM, FLAT_SHARE = 0.01, 2e-6
#: Ever stricter angles by which triangles are joined to faces where the usual one runs round a finely meshed
#: curve, degrees.
_STRICTER = (0.1, 0.02, 0.004)
#: Faces that no angle parts from the curve they go over into are grown from their largest triangles, so many
#: at the most.
_SEEDS = 64


def find_facets(mesh: Mesh) -> Facets:
    """Group triangles into connected flat faces and find the visible edges between them.

    Neighbours whose normals differ little are joined. That alone would run round any finely meshed curve, so
    a group is a face only when all of it lies within a bound of one plane; what does not is parted by ever
    smaller angles, and at last by growing a plane from the largest triangles. What is left over are single
    triangles.
    """
    normals, areas = face_normals(mesh)
    pairs = neighbours(mesh)
    one, other = pairs.one, pairs.other
    cosine = np.einsum("ij,ij->i", normals[one], normals[other])
    needle = (areas[one] < 1e-12) | (areas[other] < 1e-12)
    bound = max(FLAT_MM, FLAT_SHARE * float(np.abs(mesh.vertices).max(initial=0.0)))
    owner = joined(
        len(normals), *_flat_pairs(one, other, (cosine > np.cos(np.radians(FLAT_DEGREES))) | needle)
    )
    for degrees in _STRICTER:
        bent = _off_plane(mesh, owner, normals, areas) > bound
        if not bent.any():
            break
        keep = ~bent[owner[one]] | ~bent[owner[other]] | (cosine > np.cos(np.radians(degrees)))
        owner = joined(len(normals), *_flat_pairs(one, other, (owner[one] == owner[other]) & (keep | needle)))
    owner = _grown_from_seeds(mesh, owner, normals, areas, pairs, bound)
    f = int(owner.max(initial=-1)) + 1
    total: Float = np.bincount(owner, areas, f).astype(float)
    mean = _mean_normals(owner, normals, areas, f)
    sharp = cosine < np.cos(np.radians(FEATURE_DEGREES))
    edges = np.stack([pairs.low[sharp], pairs.high[sharp]], 1)
    return Facets(owner, total, mean, edges)


def _flat_pairs(one: Int, other: Int, flat: NDArray[np.bool_]) -> tuple[Int, Int]:
    return one[flat], other[flat]


def _mean_normals(owner: Int, normals: Float, areas: Float, count: int) -> Float:
    mean: Float = np.stack([np.bincount(owner, areas * normals[:, k], count) for k in range(3)], 1).astype(
        float
    )
    return np.asarray(mean / np.maximum(np.linalg.norm(mean, axis=1), 1e-300)[:, None])


def _off_plane(mesh: Mesh, owner: Int, normals: Float, areas: Float) -> Float:
    """How far corners of each group lie from its mean plane, mm."""
    count = int(owner.max()) + 1
    mean = _mean_normals(owner, normals, areas, count)
    corners = mesh.vertices[mesh.triangles]
    height = np.einsum("tkd,td->tk", corners, mean[owner])
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, owner, height.min(1))
    np.maximum.at(high, owner, height.max(1))
    # Normals that cancel one another out have no plane at all.
    total = np.stack([np.bincount(owner, areas * normals[:, k], count) for k in range(3)], 1)
    spread = np.linalg.norm(total, axis=1) < 0.999 * np.bincount(owner, areas, count) - 1e-9
    return np.where(spread, np.inf, (high - low) / 2)


def _grown_from_seeds(
    mesh: Mesh, owner: Int, normals: Float, areas: Float, pairs: Neighbours, bound: float
) -> Int:
    """Groups that are still bent taken apart: faces about their largest triangles, the rest one by one."""
    bent = _off_plane(mesh, owner, normals, areas) > bound if len(owner) else np.zeros(0, bool)
    if not bent.any():
        return owner
    loose = bent[owner]
    new = int(owner.max()) + 1
    out = owner.copy()
    mean = float(areas[loose].mean())
    for _ in range(_SEEDS):
        left = np.flatnonzero(loose)
        if len(left) == 0:
            break
        seed = int(left[np.argmax(areas[left])])
        if areas[seed] <= 1.5 * mean:
            break  # no face stands out of the curve
        mine = plane_about(mesh, normals, pairs, seed, bound, loose)
        out[mine], loose[mine] = new, False
        new += 1
    out[loose] = new + np.arange(int(loose.sum()))
    return np.unique(out, return_inverse=True)[1].reshape(-1)


def plane_about(
    mesh: Mesh, normals: Float, pairs: Neighbours, seed: int, bound: float, among: NDArray[np.bool_]
) -> Int:
    """Triangles that hang together with one of them and lie in its plane within a bound, mm.

    Parameters
    ----------
    mesh : Mesh
    normals : ndarray, (T, 3), float64
        Of the triangles, unit length.
    pairs : Neighbours
        Triangles that share an edge.
    seed : int
        The triangle begun from.
    bound : float
        How far off its plane a corner may lie, mm.
    among : ndarray, (T,), bool
        Triangles that may be taken.

    Returns
    -------
    ndarray, (K,), int64
    """
    base, normal = mesh.vertices[mesh.triangles[seed, 0]], normals[seed]
    flat = among & (np.abs((mesh.vertices[mesh.triangles] - base) @ normal).max(1) <= bound)
    flat &= normals @ normal > np.cos(np.radians(4 * FLAT_DEGREES))
    flat[seed] = True
    both = flat[pairs.one] & flat[pairs.other]
    group = joined(len(flat), pairs.one[both], pairs.other[both])
    return np.flatnonzero((group == group[seed]) & flat)


def axes_of(normal: Float, up: Float | None = None) -> tuple[Float, Float]:
    """Right and up of a face, the right way up for the model.

    Up is as near to +z as the face allows, else +y.

    Parameters
    ----------
    normal : ndarray, (3,), float64
        Unit length.
    up : ndarray, (3,), float64, optional
        Where the top of the face is to be.

    Returns
    -------
    tuple of ndarray, (3,), float64
    """
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
    outline = covered(shapely.polygons(flat), 1e-4)
    x0, y0, x1, y1 = outline.bounds
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    outline = shapely.transform(outline, lambda p: p - np.array([cx, cy]))
    return Facet(base + right * cx + up * cy, normal, right, up, outline, float(facets.area[number]))


def facet_near(mesh: Mesh, facets: Facets, point: Float, normal: Float) -> int:
    """Number of the facet that faces `normal` and lies nearest to `point`.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
        Of the mesh.
    point : ndarray, (3,), float64
        mm.
    normal : ndarray, (3,), float64
        Unit length.

    Raises
    ------
    BadInput
        When none faces it.
    """
    facing = np.nonzero(facets.normal[facets.owner] @ normal > 0.99)[0]
    if len(facing) == 0:
        raise BadInput("There is no flat face in that direction; pick a face on the model.")
    p = mesh.vertices[mesh.triangles[facing]]
    return int(facets.owner[facing[int(np.argmin(_distance_to_triangles(p, np.asarray(point, float))))]])


def facets_in_plane(mesh: Mesh, facets: Facets, origin: Float, normal: Float) -> Int:
    """Return the numbers of the facets that lie in a plane and face the same way.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
        Of the mesh.
    origin, normal : ndarray, (3,), float64
        A point of the plane, mm, and its direction, unit length.

    Returns
    -------
    ndarray, (K,), int64
    """
    bound = max(FLAT_MM, FLAT_SHARE * float(np.abs(mesh.vertices).max(initial=0.0)))
    off = np.abs((mesh.vertices[mesh.triangles] - origin) @ normal).max(1)
    far = np.zeros(len(facets.area))
    np.maximum.at(far, facets.owner, off)
    return np.flatnonzero((facets.normal @ normal > 1 - 1e-6) & (far <= bound))


def _distance_to_triangles(p: Float, q: Float) -> Float:
    """Distances of a point to triangles (T, 3, 3).

    Ericson, Real-Time Collision Detection (2005), by projection and edges.
    """
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
    """Number of the facet nearest to a point.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
        Of the mesh.
    point : ndarray, (3,), float64
        mm.
    """
    return int(
        facets.owner[
            int(np.argmin(_distance_to_triangles(mesh.vertices[mesh.triangles], np.asarray(point, float))))
        ]
    )


def face_to_model(facet: Facet) -> Float:
    """3 x 4 matrix from face coordinates (right, up, out) to model mm.

    Returns
    -------
    ndarray, (3, 4), float64
    """
    return np.column_stack([facet.right, facet.up, facet.normal, facet.origin])


def model_to_face(facet: Facet) -> Float:
    """The inverse of `face_to_model`.

    Returns
    -------
    ndarray, (3, 4), float64
    """
    turn = np.stack([facet.right, facet.up, facet.normal])
    return np.asarray(np.c_[turn, -turn @ facet.origin])
