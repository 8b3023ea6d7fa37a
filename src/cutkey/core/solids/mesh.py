"""Triangle meshes as two arrays, and how corners of triangles become shared vertices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]
Int = NDArray[np.int64]


class Mesh(NamedTuple):
    """Vertices in mm and triangles, counter-clockwise seen from outside."""

    vertices: Float  # (V, 3)
    triangles: Int  # (T, 3)


def weld(corners: Float) -> Mesh:
    """Mesh of (T, 3, 3) triangle corners: equal points become one vertex, collapsed triangles go."""
    flat = corners.reshape(-1, 3) + 0.0  # -0.0 becomes 0.0
    order = np.lexsort(flat.T[::-1])
    ranked = flat[order]
    new = np.r_[True, (ranked[1:] != ranked[:-1]).any(1)]
    index = np.empty(len(flat), np.int64)
    index[order] = np.cumsum(new) - 1
    triangles = index.reshape(-1, 3)
    a, b, c = triangles.T
    return Mesh(ranked[new], triangles[(a != b) & (b != c) & (c != a)])


def signed_volume(mesh: Mesh) -> float:
    """Volume enclosed, negative when the mesh is inside out (divergence theorem)."""
    p = mesh.vertices[mesh.triangles] - mesh.vertices.mean(0)
    return float(np.einsum("ij,ij->", p[:, 0], np.cross(p[:, 1], p[:, 2])) / 6)


def open_edges(mesh: Mesh) -> int:
    """Edges that are not walked exactly once in each direction: 0 for a watertight, oriented mesh."""
    n = len(mesh.vertices)
    t = mesh.triangles
    a, b = np.concatenate([t[:, 0], t[:, 1], t[:, 2]]), np.concatenate([t[:, 1], t[:, 2], t[:, 0]])
    key = np.minimum(a, b) * n + np.maximum(a, b)
    order = np.argsort(key)
    ahead = (a < b)[order]
    begins = np.nonzero(np.r_[True, np.diff(key[order]) != 0])[0]
    total = np.diff(np.r_[begins, len(key)])
    forward = np.add.reduceat(ahead.astype(np.int64), begins) if len(begins) else total
    return int(((total != 2) | (forward != 1)).sum())


def face_normals(mesh: Mesh) -> tuple[Float, Float]:
    """Unit normals (T, 3) and areas (T,) of the triangles."""
    p = mesh.vertices[mesh.triangles]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    length = np.linalg.norm(cross, axis=1)
    return cross / np.maximum(length, 1e-300)[:, None], length / 2
