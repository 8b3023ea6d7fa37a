"""Mending meshes: what was wrong and what was done, in words; what stays open is shown."""

from __future__ import annotations

from typing import NamedTuple

import manifold3d as m3
import numpy as np

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh, joined, neighbours, open_edges
from cutkey.core.solids.parting import parted
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Points nearer than these shares of the model's size are one, tried from the smallest on.
_WELDS = (1e-7, 1e-6, 1e-5, 1e-4)
#: A hole no wider than this share of the model is closed without asking.
SMALL_HOLE = 0.12
#: One of no more than this is closed even where its rim cannot be laid flat.
TINY_HOLE = 0.01


class Mended(NamedTuple):
    """A mesh after mending."""

    mesh: Mesh
    done: tuple[Words, ...]  # what was done
    holes: list[Float]  # rims of what is still open, (N, 3) each
    closed: list[Float]  # rims of the holes that were closed


def mend(mesh: Mesh, close_all: bool = False) -> Mended:
    """Mend a mesh as far as that changes nothing that is sound.

    Parameters
    ----------
    mesh : Mesh
        With equal points welded.
    close_all : bool
        Close large holes with lids too.
    """
    done: list[Words] = []
    if open_edges(mesh) == 0:
        return Mended(mesh, (), [], [])
    touching = parted(mesh)
    if open_edges(touching) == 0:
        return Mended(touching, (), [], [])
    mesh = _without_duplicates(mesh, done)
    mesh = _welded(mesh, done)
    mesh = _without_duplicates(mesh, done)
    mesh = _without_fins(mesh, done)
    mesh = parted(_oriented(mesh, done))
    mesh, holes, closed = _closed(mesh, close_all, done)
    return Mended(mesh, tuple(done), holes, closed)


def _without_duplicates(mesh: Mesh, done: list[Words]) -> Mesh:
    key = np.sort(mesh.triangles, 1)
    _, first, group, count = np.unique(
        key, axis=0, return_index=True, return_inverse=True, return_counts=True
    )
    if len(first) == len(key):
        return mesh
    once = Mesh(mesh.vertices, mesh.triangles[np.sort(first)])
    # Faces that lie back to back are a wall between two solids that meet there, and go both.
    ways = np.bincount(group.ravel(), np.where(_even(mesh.triangles), 1, -1))
    apart = ways != 0
    if not apart.all():
        opened = Mesh(mesh.vertices, mesh.triangles[np.sort(first[apart])])
        if open_edges(opened) < open_edges(once):
            done.append(say.wall_faces_out(int((~apart).sum())))
            return opened
    done.append(say.duplicates_dropped(int((count - 1).sum())))
    return once


def _even(triangles: Int) -> Bool:
    """Whether triangles name their corners in rising order, but for where they begin."""
    first = triangles.argmin(1)
    rows = np.arange(len(triangles))
    return np.asarray(triangles[rows, (first + 1) % 3] < triangles[rows, (first + 2) % 3])


def _welded(mesh: Mesh, done: list[Words]) -> Mesh:
    """Points that almost coincide made one, as long as that closes edges."""
    from scipy.spatial import cKDTree

    size = float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
    best, least, merged = mesh, open_edges(mesh), 0
    loose = np.unique(_open_halves(mesh))
    if len(loose) == 0:
        return mesh
    tree = cKDTree(mesh.vertices[loose])
    for share in _WELDS:
        pairs = tree.query_pairs(share * size, output_type="ndarray")
        if len(pairs) == 0:
            continue
        group = joined(len(loose), pairs[:, 0], pairs[:, 1])
        target = np.arange(len(mesh.vertices))
        lowest = np.full(group.max() + 1, len(mesh.vertices))
        np.minimum.at(lowest, group, loose)
        target[loose] = lowest[group]
        t = target[mesh.triangles]
        tried = Mesh(mesh.vertices, t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])])
        left = open_edges(tried)
        if left < least:
            best, least, merged = tried, left, len(loose) - int(group.max()) - 1
    if merged:
        done.append(say.points_joined(merged))
    return best


def _open_halves(mesh: Mesh) -> Int:
    """Directed edges (N, 2) that no neighbour walks back."""
    t, n = mesh.triangles, len(mesh.vertices)
    edges = t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    key, back = edges[:, 0] * n + edges[:, 1], edges[:, 1] * n + edges[:, 0]
    return edges[~np.isin(key, back)]


def _without_fins(mesh: Mesh, done: list[Words]) -> Mesh:
    """Faces that hang on an edge which two others already close taken off."""
    gone = 0
    for _ in range(20):
        t, n = mesh.triangles, len(mesh.vertices)
        edges = np.sort(t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
        _, inverse, count = np.unique(edges[:, 0] * n + edges[:, 1], return_inverse=True, return_counts=True)
        uses = count[inverse].reshape(-1, 3)
        fin = (uses > 2).any(1) & (uses == 1).any(1)
        if not fin.any():
            break
        gone += int(fin.sum())
        mesh = Mesh(mesh.vertices, t[~fin])
    if gone:
        done.append(say.fins_taken_off(gone))
    return mesh


def _oriented(mesh: Mesh, done: list[Words]) -> Mesh:
    """Faces turned so that neighbours agree; each shell then faces outwards by its volume."""
    t = mesh.triangles
    pairs = neighbours(mesh)
    # Neighbours agree when they walk their common edge in opposite directions.
    agree = _walks(t[pairs.one], pairs.low, pairs.high) != _walks(t[pairs.other], pairs.low, pairs.high)
    shell = joined(len(t), pairs.one, pairs.other)
    flip = np.zeros(len(t), bool)
    if not agree.all():
        flip = _flips(len(t), pairs.one, pairs.other, ~agree)
    p = mesh.vertices[t] - mesh.vertices.mean(0)
    volume = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) * np.where(flip, -1, 1)
    if not agree.all():
        inside_out = np.bincount(shell, volume) < 0
        flip ^= inside_out[shell]
    if not flip.any():
        return mesh
    done.append(say.faces_turned(int(flip.sum())))
    return Mesh(mesh.vertices, np.where(flip[:, None], t[:, ::-1], t))


def _walks(t: Int, low: Int, high: Int) -> Bool:
    """Whether triangles walk an edge from its low to its high vertex."""
    a, b = (t == low[:, None]).argmax(1), (t == high[:, None]).argmax(1)
    return np.asarray((b - a) % 3 == 1)


def _flips(count: int, one: Int, other: Int, differ: Bool) -> Bool:
    """Which things to flip so that pairs that differ agree, by walking a spanning tree of each group."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import breadth_first_order

    graph = coo_matrix((np.ones(len(one), np.int8), (one, other)), (count, count)).tocsr()
    key = np.concatenate([one * count + other, other * count + one])
    order = np.argsort(key)
    key, parity = key[order], np.concatenate([differ, differ])[order]
    flip, seen = np.zeros(count, bool), np.zeros(count, bool)
    for start in range(count):
        if seen[start]:
            continue
        walk, before = breadth_first_order(graph, start, directed=False)
        seen[walk] = True
        turn = parity[np.searchsorted(key, before[walk[1:]].astype(np.int64) * count + walk[1:])]
        for k, odd in zip(walk[1:].tolist(), turn.tolist(), strict=True):
            flip[k] = flip[before[k]] ^ odd
    return flip


def _closed(mesh: Mesh, close_all: bool, done: list[Words]) -> tuple[Mesh, list[Float], list[Float]]:
    loops = _loops(_open_halves(mesh))
    if not loops:
        return mesh, [], []
    size = float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
    lids: list[Int] = [mesh.triangles]
    left: list[Float] = []
    closed: list[Float] = []
    for loop in loops:
        rim = mesh.vertices[loop]
        small = float(np.linalg.norm(np.ptp(rim, axis=0))) <= SMALL_HOLE * size
        lid = _lid(rim) if close_all or small else None
        tiny = float(np.linalg.norm(np.ptp(rim, axis=0))) <= TINY_HOLE * size
        if lid is None and (close_all or tiny):
            # A rim that cannot be laid flat: a fan closes it, if not prettily.
            k = np.arange(1, len(rim) - 1)
            lid = np.stack([0 * k, k, k + 1], 1)
        if lid is None:
            left.append(rim)
        else:
            lids.append(loop[lid])
            closed.append(rim)
    if closed:
        done.append(say.holes_closed(len(closed)))
    return Mesh(mesh.vertices, np.concatenate(lids)), left, closed


def _loops(halves: Int) -> list[Int]:
    """Rims of holes, walked against the faces around them.

    A rim that meets itself at a point is parted there.
    """
    following: dict[int, list[int]] = {}
    for a, b in halves[:, ::-1].tolist():
        following.setdefault(a, []).append(b)
    loops = []
    while following:
        start = next(iter(following))
        path = [start]
        place = {start: 0}
        while path:
            here = path[-1]
            ahead = following.get(here)
            if not ahead:
                # An edge of more than two faces leaves a rim without an end.
                path.pop()
                place.pop(here, None)
                continue
            b = ahead.pop()
            if not ahead:
                del following[here]
            if b in place:
                at = place[b]
                if len(path) - at >= 3:
                    loops.append(np.array(path[at:]))
                for v in path[at + 1 :]:
                    del place[v]
                del path[at + 1 :]
                if b not in following:
                    break
            else:
                place[b] = len(path)
                path.append(b)
    return loops


def _lid(rim: Float) -> Int | None:
    """Triangles that close a rim, None when it cannot be laid flat without crossing itself."""
    middle = rim.mean(0)
    d = rim - middle
    normal = np.cross(d, np.roll(d, -1, 0)).sum(0)
    length = float(np.linalg.norm(normal))
    if len(rim) == 3:
        return np.array([[0, 1, 2]])
    if length < 1e-12:
        return None
    normal /= length
    helper = np.eye(3)[int(np.argmin(np.abs(normal)))]
    u = np.cross(normal, helper)
    u /= np.linalg.norm(u)
    flat = np.stack([d @ u, d @ np.cross(normal, u)], 1)
    found = np.asarray(m3.triangulate([flat], 0.0, True), np.int64).reshape(-1, 3)
    return found if len(found) == len(rim) - 2 else None
