"""Surfaces that cross themselves: found by triangles that pierce one another, and rebuilt.

Which pairs are near is told by a tree of boxes; a pair crosses where an edge of one goes through the inside
of the other, by the signs of volumes of tetrahedra (Guigue and Devillers 2003, "Fast and robust
triangle-triangle overlap test using orientation predicates"). What only touches, at a point, along an edge or
with a face, does not cross.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.solid import Solid, mesh_of

#: Pairs of triangles that are looked at in one go.
_CHUNK = 400_000
#: Room around what crosses, mm; a box that still crosses itself is halved so often.
_ROOM, _HALVED = 0.2, 4
#: Volumes of tetrahedra below this share of the cube of the model's size are 0.
_FLAT = 1e-13


class Crossing(NamedTuple):
    """Where a surface crosses itself."""

    pairs: Int  # (P, 2), triangles
    low: Float  # (3,), box around them, mm
    high: Float


def crossing_of(mesh: Mesh) -> Crossing | None:
    """Triangles of a mesh that pierce one another, None when none do.

    Parameters
    ----------
    mesh : Mesh
    """
    corners = mesh.vertices[mesh.triangles]
    found = [_piercing(mesh, corners, pairs) for pairs in _near(corners)]
    pairs = np.concatenate(found) if found else np.zeros((0, 2), np.int64)
    if not len(pairs):
        return None
    where = corners[np.unique(pairs)].reshape(-1, 3)
    return Crossing(pairs, where.min(0), where.max(0))


def _near(corners: Float) -> Iterator[Int]:
    """Pairs of triangles whose boxes meet."""
    low, high = corners.min(1), corners.max(1)
    # Boxes are told apart along the two axes in which the triangles are small against the whole.
    x, y, z = np.argsort((high - low).mean(0) / np.maximum(np.ptp(corners.reshape(-1, 3), axis=0), 1e-12))
    boxes = shapely.box(low[:, x], low[:, y], high[:, x], high[:, y])
    tree = shapely.STRtree(boxes)
    step = max(1, _CHUNK // 20)
    for start in range(0, len(boxes), step):
        a, b = tree.query(boxes[start : start + step])
        a = a + start
        keep = (a < b) & (low[a, z] <= high[b, z]) & (low[b, z] <= high[a, z])
        if keep.any():
            yield np.stack([a[keep], b[keep]], 1)


def _piercing(mesh: Mesh, corners: Float, pairs: Int) -> Int:
    """Of these pairs those that cross."""
    least = _FLAT * float(np.ptp(mesh.vertices, axis=0).max()) ** 3
    # A triangle wholly on one side of the other's plane crosses nothing.
    for one, other in ((0, 1), (1, 0)):
        side = np.stack([_volume(corners[pairs[:, one]], corners[pairs[:, other], k]) for k in range(3)], 1)
        pairs = pairs[(side > least).any(1) & (side < -least).any(1)]
    hit = np.zeros(len(pairs), bool)
    for one, other in ((0, 1), (1, 0)):
        face, edges = corners[pairs[:, one]], corners[pairs[:, other]]
        for k in range(3):
            hit |= _through(face, edges[:, k], edges[:, (k + 1) % 3], least)
    return pairs[hit]


def _volume(face: Float, point: Float) -> Float:
    """Six times the volume of tetrahedra, above 0 where the point lies before the face."""
    a = face[:, 0]
    return np.asarray(np.einsum("ij,ij->i", np.cross(face[:, 1] - a, face[:, 2] - a), point - a))


def _through(face: Float, p: Float, q: Float, least: float) -> Bool:
    """Whether segments go through the inside of triangles."""
    a, b, c = face[:, 0], face[:, 1], face[:, 2]
    s, t = _volume(face, p), _volume(face, q)
    opposite = ((s > least) & (t < -least)) | ((s < -least) & (t > least))
    u, v, w = (_volume(np.stack([p, q, m], 1), n) for m, n in ((a, b), (b, c), (c, a)))
    inside = ((u > least) & (v > least) & (w > least)) | ((u < -least) & (v < -least) & (w < -least))
    return np.asarray(opposite & inside)


def rebuilt(solid: Solid, crossing: Crossing) -> Solid | None:
    """A solid whose surface no longer crosses itself: what is covered twice belongs to it once.

    None when that cannot be done so.

    What lies in a box around the crossing is cut off, falls into pieces that do not cross themselves, and is
    put back as their union.

    Parameters
    ----------
    solid : Manifold
    crossing : Crossing
        Of it.
    """
    inside, outside = [], solid
    boxes = _boxes(mesh_of(solid), crossing)
    for low, high in boxes:
        box = m3.Manifold.cube(tuple((high - low).tolist())).translate(tuple(low.tolist()))
        inside += _apart(solid ^ box, 0)
        outside = outside - box
    if not inside:
        return None
    whole = m3.Manifold.batch_boolean([*outside.decompose(), *inside], m3.OpType.Add)
    return whole if crossing_of(mesh_of(whole)) is None else None


def _boxes(mesh: Mesh, crossing: Crossing) -> list[tuple[Float, Float]]:
    """Boxes around what crosses, apart from each other."""
    corners = mesh.vertices[mesh.triangles]
    low = np.minimum(corners[crossing.pairs[:, 0]].min(1), corners[crossing.pairs[:, 1]].min(1)) - _ROOM
    high = np.maximum(corners[crossing.pairs[:, 0]].max(1), corners[crossing.pairs[:, 1]].max(1)) + _ROOM
    boxes = list(zip(low, high, strict=True))
    merged = True
    while merged:
        merged = False
        out: list[tuple[Float, Float]] = []
        for a, b in boxes:
            for k, (c, d) in enumerate(out):
                if (a <= d).all() and (c <= b).all():
                    out[k] = np.minimum(a, c), np.maximum(b, d)
                    merged = True
                    break
            else:
                out.append((a, b))
        boxes = out
    return boxes


def _apart(solid: Solid, halved: int) -> list[Solid]:
    """Pieces of a solid that do not cross themselves; a piece that does is halved across its longest side."""
    out: list[Solid] = []
    for piece in solid.decompose():
        if piece.volume() <= 0:
            # A lobe that is inside out holds nothing.
            continue
        mesh = mesh_of(piece)
        if halved >= _HALVED or crossing_of(mesh) is None:
            out.append(piece)
            continue
        low, high = mesh.vertices.min(0), mesh.vertices.max(0)
        axis = int(np.argmax(high - low))
        way = [0.0, 0.0, 0.0]
        way[axis] = 1.0
        for half in piece.split_by_plane(tuple(way), float((low[axis] + high[axis]) / 2)):
            out += _apart(half, halved + 1)
    return out
