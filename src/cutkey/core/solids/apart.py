"""Many small solids against one large one: those that lie apart go together, so that the large one is gone through a few times only."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import manifold3d as m3
import numpy as np

from cutkey.core.solids.mesh import joined
from cutkey.core.solids.solid import Solid, bounds_of


def each_with(tools: Sequence[Solid], whole: Solid, keep: bool) -> list[Solid]:
    """What each of some solids has in common with a large one, or (`keep` False) what of each lies outside it.

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


def _by_origin(solid: Solid, owner: dict[int, int]) -> list[tuple[int, Solid]]:
    """The pieces of a solid that each of the marked ones became; every connected piece has faces of one of them."""
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
        out.append((int(mine[order[a]]), m3.Manifold(m3.Mesh64(np.ascontiguousarray(vertices[used]), np.ascontiguousarray(corners)))))
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
