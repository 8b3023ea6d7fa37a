"""Solids that touch along edges or faces, told apart.

A mesh joins them where a file names the same place twice.
"""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.geometry.mesh import Mesh, joined


def parted(mesh: Mesh) -> Mesh:
    """A mesh in which faces hang together only where material does.

    At an edge of more than two faces each is joined to the one that it encloses material with: the next one
    round the edge, turning from a face into what is behind it. Corners of faces that hang together stay one,
    others become points of their own.

    Parameters
    ----------
    mesh : Mesh
        Whose faces agree in the way they face; other meshes come back as they are.
    """
    t, n = mesh.triangles, len(mesh.vertices)
    begin, end = t[:, [0, 1, 2]].ravel(), t[:, [1, 2, 0]].ravel()
    low, high = np.minimum(begin, end), np.maximum(begin, end)
    edge = low * n + high
    order = np.argsort(edge, kind="stable")
    _, start, count = np.unique(edge[order], return_index=True, return_counts=True)
    if count.max(initial=0) <= 2:
        return mesh
    pairs = [np.stack([order[start[count == 2]], order[start[count == 2] + 1]], 1)]
    for k in np.flatnonzero(count > 2):
        mates = _mates(mesh, order[start[k] : start[k] + count[k]], begin)
        if mates is None:
            return mesh
        pairs.append(mates)
    halves = np.concatenate(pairs)
    # Two halves run against each other: the corner at the beginning of one is that at the end of the other.
    here, there = halves[:, 0], halves[:, 1]
    ahead = (np.arange(3 * len(t)) // 3) * 3 + (np.arange(3 * len(t)) + 1) % 3
    group = joined(3 * len(t), np.r_[here, ahead[here]], np.r_[ahead[there], there])
    names, first = np.unique(group, return_index=True)
    corner = np.empty(int(names.max()) + 1, np.int64)
    corner[names] = np.arange(len(names))
    return Mesh(mesh.vertices[t.ravel()[first]], corner[group].reshape(-1, 3))


def _mates(mesh: Mesh, halves: Int, begin: Int) -> Int | None:
    """Pairs of halves round one edge, None where as many do not run one way as the other."""
    t, v = mesh.triangles, mesh.vertices
    faces = halves // 3
    a, b = int(begin[halves].min()), int(begin[halves].max())
    along = v[b] - v[a]
    along = along / max(float(np.linalg.norm(along)), 1e-300)
    third = v[t[faces].sum(1) - a - b]
    out = third - v[a]
    out = out - np.outer(out @ along, along)
    angles = _round(out, along)
    forward = begin[halves] == a
    if 2 * int(forward.sum()) != len(halves):
        return None
    # Material lies clockwise behind a face that runs along the edge, seen against it; faces that lie on one
    # another are parted by a hair.
    pairs = []
    free = set(np.flatnonzero(~forward).tolist())
    for k in np.flatnonzero(forward).tolist():
        ways = {j: float((angles[k] - angles[j]) % (2 * np.pi)) for j in free}
        mate = min(ways, key=lambda j: ways[j] if ways[j] > 1e-9 else 2 * np.pi)
        free.discard(mate)
        pairs.append((int(halves[k]), int(halves[mate])))
    return np.array(pairs, np.int64)


def _round(out: Float, along: Float) -> Float:
    """Angles of directions about an axis."""
    first = out[0] / max(float(np.linalg.norm(out[0])), 1e-300)
    second = np.cross(along, first)
    return np.asarray(np.arctan2(out @ second, out @ first))
