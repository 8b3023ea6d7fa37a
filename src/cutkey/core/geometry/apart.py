"""Many small solids against one large one.

Those that lie apart go together, so that the large one is gone through a few times only.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import manifold3d as m3
import numpy as np

from cutkey.core.geometry.mesh import joined
from cutkey.core.geometry.solid import Solid, bounds_of, mesh_of


def each_with(tools: Sequence[Solid], whole: Solid, keep: bool) -> list[Solid]:
    """What each of some solids has in common with a large one.

    With `keep` False what of each lies outside it.

    Parameters
    ----------
    tools : sequence of Manifold
    whole : Manifold
    keep : bool
        Intersect rather than subtract.
    """
    out: list[Solid] = [m3.Manifold()] * len(tools)
    for group in _groups(tools):
        if len(group) == 1:
            out[group[0]] = tools[group[0]] ^ whole if keep else tools[group[0]] - whole
            continue
        marked = [tools[k].as_original() for k in group]
        owner = {t.original_id(): k for t, k in zip(marked, group, strict=True)}
        together = m3.Manifold.compose(marked)
        found = together ^ whole if keep else together - whole
        for k, part in _by_origin(found, owner):
            out[k] = part
    return out


def all_as_one(solids: Sequence[Solid]) -> Solid:
    """Some solids as one; those whose boxes lie apart are put side by side without a boolean."""
    filled = [s for s in solids if not s.is_empty()]
    if len(filled) < 2:
        return filled[0] if filled else m3.Manifold()
    low, high = (np.array(b) for b in zip(*map(bounds_of, filled), strict=True))
    meet = (low[:, None] <= high[None]).all(2) & (high[:, None] >= low[None]).all(2)
    group = joined(len(filled), *np.nonzero(meet))
    clusters = [[filled[k] for k in np.flatnonzero(group == g)] for g in range(int(group.max()) + 1)]
    return m3.Manifold.compose(
        [c[0] if len(c) == 1 else m3.Manifold.batch_boolean(c, m3.OpType.Add) for c in clusters]
    )


def stitched(solids: Sequence[Solid]) -> Solid:
    """Solids that share whole triangles of their walls as one, without those walls.

    Walls that lie on each other are the worst case of a boolean; taken out by hand they cost next to nothing.
    Where that leaves no closed surface, a boolean does it.
    """
    filled = [s for s in solids if not s.is_empty()]
    if len(filled) < 2:
        return filled[0] if filled else m3.Manifold()
    meshes = [mesh_of(s) for s in filled]
    begin = np.cumsum([0, *(len(m.vertices) for m in meshes[:-1])])
    points, same = np.unique(np.concatenate([m.vertices for m in meshes]), axis=0, return_inverse=True)
    t = same.reshape(-1)[np.concatenate([m.triangles + b for m, b in zip(meshes, begin, strict=True)])]
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
    _, inverse, count = np.unique(np.sort(t, 1), axis=0, return_inverse=True, return_counts=True)
    outer = t[count[inverse.reshape(-1)] == 1]
    used, corners = np.unique(outer, return_inverse=True)
    mesh = m3.Mesh64(
        np.ascontiguousarray(points[used]), np.ascontiguousarray(corners.reshape(-1, 3).astype(np.uint64))
    )
    whole = m3.Manifold(mesh)
    volume = sum(float(s.volume()) for s in filled)
    if whole.status() != m3.Error.NoError or abs(float(whole.volume()) - volume) > 1e-9 * volume:
        return m3.Manifold.batch_boolean(filled, m3.OpType.Add)
    return whole


def _by_origin(solid: Solid, owner: dict[int, int]) -> list[tuple[int, Solid]]:
    """The pieces of a solid that each of the marked ones became.

    Every connected piece has faces of one of them.
    """
    mesh = solid.to_mesh64()
    vertices = np.array(mesh.vert_properties, np.float64)[:, :3]
    triangles = np.array(mesh.tri_verts, np.int64)
    if len(triangles) == 0:
        return []
    length = np.diff(np.asarray(mesh.run_index)) // 3
    origin = np.repeat([owner.get(i, -1) for i in mesh.run_original_id], length)
    piece = joined(len(vertices), triangles[:, [0, 1]].ravel(), triangles[:, [1, 2]].ravel())[triangles[:, 0]]
    of = np.full(int(piece.max()) + 1, -1)
    known = origin >= 0
    of[piece[known]] = origin[known]
    mine = of[piece]
    order = np.argsort(mine, kind="stable")
    first = np.flatnonzero(np.r_[True, np.diff(mine[order]) != 0, True])
    out = []
    for a, b in pairwise(first.tolist()):
        used, corners = np.unique(triangles[order[a:b]], return_inverse=True)
        corners = corners.reshape(-1, 3).astype(np.uint64)
        out.append(
            (
                int(mine[order[a]]),
                m3.Manifold(m3.Mesh64(np.ascontiguousarray(vertices[used]), np.ascontiguousarray(corners))),
            )
        )
    return out


def _groups(tools: Sequence[Solid]) -> list[list[int]]:
    """Numbers of the solids in groups, those of one group with their boxes apart; empty ones in none."""
    filled = [k for k, t in enumerate(tools) if not t.is_empty()]
    groups: list[list[int]] = []
    boxes: list[tuple[np.ndarray, np.ndarray]] = []
    for k in filled:
        low, high = bounds_of(tools[k])
        for n, (lows, highs) in enumerate(boxes):
            if not ((lows <= high) & (highs >= low)).all(1).any():
                groups[n].append(k)
                boxes[n] = (np.vstack([lows, low]), np.vstack([highs, high]))
                break
        else:
            groups.append([k])
            boxes.append((low[None], high[None]))
    return groups
