"""Triangle meshes as two arrays, and how corners of triangles become shared vertices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float, Int


class Mesh(NamedTuple):
    """Vertices in mm and triangles, counter-clockwise seen from outside."""

    vertices: Float  # (V, 3)
    triangles: Int  # (T, 3)


def weld(corners: NDArray[np.floating]) -> Mesh:
    """Mesh of (T, 3, 3) triangle corners: equal points become one vertex, collapsed triangles go.

    Vertices are in the order of x, then y, then z.

    Parameters
    ----------
    corners : ndarray, (T, 3, 3), floating
        mm; single and double precision alike.
    """
    flat = corners.reshape(-1, 3) + corners.dtype.type(0)  # -0.0 becomes 0.0
    order = _order_of_singles(flat) if flat.dtype == np.float32 else np.lexsort(flat.T[::-1])
    ranked = flat.take(order, 0)
    new = np.r_[True, (ranked[1:] != ranked[:-1]).any(1)]
    index = np.empty(len(flat), np.int64)
    index[order] = np.cumsum(new) - 1
    triangles = index.reshape(-1, 3)
    a, b, c = triangles.T
    collapsed = (a == b) | (b == c) | (c == a)
    return Mesh(ranked[new].astype(float), triangles[~collapsed] if collapsed.any() else triangles)


def _order_of_singles(points: NDArray[np.float32]) -> Int:
    """Order of points by x, then y, then z.

    Two sorts of whole numbers are sooner done than one of three columns.
    """
    bits = points.view(np.uint32)
    # Turned so that whole numbers rank as the numbers they stand for.
    bits = bits ^ np.where(bits >> 31, np.uint32(0xFFFFFFFF), np.uint32(0x80000000))
    key = (bits[:, 0].astype(np.uint64) << np.uint64(32)) | bits[:, 1]
    order = np.argsort(key)
    ranked, z = key[order], bits[:, 2][order]
    same = ranked[1:] == ranked[:-1]
    if not (same & (z[1:] != z[:-1])).any():
        return order
    group = np.cumsum(np.r_[False, ~same]).astype(np.uint64)
    return order[np.argsort((group << np.uint64(32)) | z)]


def rounding_of(mesh: Mesh) -> float:
    """Volume that rounding to what a file keeps may add or take, mm3.

    Every corner lies off by up to half of the last place of a number in single precision, or of the fifth
    decimal; a surface moved by that changes the volume by its area times as much.
    """
    step = max(1e-5, float(np.spacing(np.float32(np.abs(mesh.vertices).max(initial=1.0)))))
    return float(face_normals(mesh)[1].sum()) * step / 2


def signed_volume(mesh: Mesh) -> float:
    """Volume enclosed, negative when the mesh is inside out (divergence theorem).

    0 of a mesh without triangles.
    """
    if not len(mesh.triangles):
        return 0.0
    p = mesh.vertices[mesh.triangles] - mesh.vertices.mean(0)
    return float(np.einsum("ij,ij->", p[:, 0], np.cross(p[:, 1], p[:, 2])) / 6)


def open_edges(mesh: Mesh) -> int:
    """Edges that are not walked exactly once in each direction: 0 for a watertight, oriented mesh."""
    n = len(mesh.vertices)
    t = mesh.triangles
    if len(t) == 0:
        return 0
    a, b = np.concatenate([t[:, 0], t[:, 1], t[:, 2]]), np.concatenate([t[:, 1], t[:, 2], t[:, 0]])
    key = np.minimum(a, b) * n + np.maximum(a, b)
    order = np.argsort(key)
    ahead = (a < b)[order]
    begins = np.nonzero(np.r_[True, np.diff(key[order]) != 0])[0]
    total = np.diff(np.r_[begins, len(key)])
    forward = np.add.reduceat(ahead.astype(np.int64), begins)
    return int(((total != 2) | (forward != 1)).sum())


class EdgeFaults(NamedTuple):
    """Edges of a mesh as somebody reads it who knows points by their places only."""

    open: int  # walked more often one way than the other: something is missing, or faces the wrong way
    touching: int  # walked as often both ways, but by more than two faces: bodies touch along an edge there

    @property
    def any(self) -> int:
        """Edges of either kind."""
        return self.open + self.touching


def edge_faults(mesh: Mesh) -> EdgeFaults:
    """Count the edges of a mesh that are not between just two faces which agree.

    Points in the same place, in single precision, are one: the measure is the same for what is written and
    for what is read, whatever order or index a file has.
    """
    if not len(mesh.triangles):
        return EdgeFaults(0, 0)
    t = weld(mesh.vertices[mesh.triangles].astype(np.float32)).triangles
    if not len(t):
        return EdgeFaults(0, 0)
    n = int(t.max()) + 1
    a, b = np.concatenate([t[:, 0], t[:, 1], t[:, 2]]), np.concatenate([t[:, 1], t[:, 2], t[:, 0]])
    edge, number = np.unique(np.minimum(a, b) * n + np.maximum(a, b), return_inverse=True)
    forward = np.bincount(number, a < b, len(edge))
    backward = np.bincount(number, a > b, len(edge))
    return EdgeFaults(int((forward != backward).sum()), int(((forward == backward) & (forward > 1)).sum()))


def face_normals(mesh: Mesh) -> tuple[Float, Float]:
    """Unit normals (T, 3) and areas (T,) of the triangles.

    Returns
    -------
    tuple of ndarray, (T, 3) and (T,), float64
        mm2; the normal of a triangle without area is 0.
    """
    p = mesh.vertices[mesh.triangles]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    length = np.linalg.norm(cross, axis=1)
    return cross / np.maximum(length, 1e-300)[:, None], length / 2


class Neighbours(NamedTuple):
    """Pairs of triangles that share an edge, and the vertices at its ends."""

    one: Int
    other: Int
    low: Int
    high: Int


def neighbours(mesh: Mesh) -> Neighbours:
    """Neighbouring triangles of a mesh."""
    t, n, count = mesh.triangles, len(mesh.vertices), len(mesh.triangles)
    a, b = t.T.ravel(), t[:, [1, 2, 0]].T.ravel()
    low, high = np.minimum(a, b), np.maximum(a, b)
    order = np.argsort(low * n + high, kind="stable")
    key = (low * n + high)[order]
    pair = np.flatnonzero(key[1:] == key[:-1])
    return Neighbours(order[pair] % count, order[pair + 1] % count, low[order[pair]], high[order[pair]])


def joined(count: int, one: Int, other: Int) -> Int:
    """Number of the group of each of `count` things, given which pairs hang together.

    Parameters
    ----------
    count : int
    one, other : ndarray, (P,), int64
        Numbers of the things of each pair.

    Returns
    -------
    ndarray, (count,), int64
        From 0.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(one), np.int8), (one, other)), (count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)


def corner_normals(mesh: Mesh, smooth: float = 40.0) -> Float:
    """Unit normals (T, 3, 3) at the corners of triangles, for shading and offsetting.

    Those of the triangles round the vertex are averaged, each by its angle there, as far as they turn from
    the triangle's own by less than `smooth` degrees: a sharp edge stays sharp.

    Parameters
    ----------
    mesh : Mesh
    smooth : float
        Edges sharper than this stay sharp, degrees.

    Returns
    -------
    ndarray, (T, 3, 3), float64

    References
    ----------
    G. Thuermer, C. A. Wuethrich: Computing vertex normals from polygonal facets. Journal of Graphics Tools 3
    (1998) 43-46.
    """
    normals, _ = face_normals(mesh)
    p = mesh.vertices[mesh.triangles]
    u, v = np.roll(p, -1, 1) - p, np.roll(p, 1, 1) - p
    cosine = (u * v).sum(2) / np.maximum(np.linalg.norm(u, axis=2) * np.linalg.norm(v, axis=2), 1e-300)
    angle = np.arccos(np.clip(cosine, -1, 1)).ravel()
    vertex = mesh.triangles.ravel()
    order = np.argsort(vertex, kind="stable")
    count = np.bincount(vertex)
    first = np.r_[0, np.cumsum(count)]
    # Every corner against every corner of the same vertex.
    many = count[vertex]
    corner = np.repeat(np.arange(len(vertex)), many)
    beside = order[
        np.repeat(first[vertex], many) + np.arange(len(corner)) - np.repeat(np.cumsum(many) - many, many)
    ]
    own, theirs = normals[corner // 3], normals[beside // 3]
    weight = angle[beside] * ((own * theirs).sum(1) > np.cos(np.radians(smooth)))
    total = np.stack([np.bincount(corner, weight * theirs[:, k], len(vertex)) for k in range(3)], 1)
    return np.asarray((total / np.maximum(np.linalg.norm(total, axis=1), 1e-300)[:, None]).reshape(-1, 3, 3))
