"""The shells of a mesh nested by what lies inside what.

Material, hollows in it, loose things in the hollows, hollows in these.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh, face_normals, joined
from cutkey.core.geometry.rays import inside
from cutkey.core.geometry.solid import Solid, bounds_of, mesh_of, turned
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Places of a shell that are looked at to tell whether it lies inside another.
_PLACES = 12


class Shell(NamedTuple):
    """A closed surface, facing outwards whichever way it faced in the file."""

    solid: Solid
    volume: float  # mm3, above 0
    inwards: bool  # it faced inwards in the file
    low: Float
    high: Float


def shells_of(solid: Solid) -> list[Shell]:
    """Connected surfaces of a mesh as the library took it in."""
    out = []
    for one in solid.decompose():
        volume = float(one.volume())
        outward = turned(one) if volume < 0 else one
        # What is flat to the last bit encloses nothing.
        if volume != 0 and not outward.is_empty():
            out.append(Shell(outward, abs(volume), volume < 0, *bounds_of(one)))
    return out


def nested(shells: Sequence[Shell], done: list[Words]) -> Solid:
    """One solid of all shells.

    A shell inside no other, or inside an even number of others, holds material; inside an odd number it is a
    hollow. Shells that cross are at one level: outward ones are joined, an inward one is taken out of those
    it crosses. What was turned or joined is added to `done`.
    """
    within, crossing = _relations(shells)
    group = joined(
        len(shells), *_pairs([(a, b) for a, b in crossing if shells[a].inwards == shells[b].inwards])
    )
    depth = [len({int(group[b]) for b in within[a]} - {int(group[a])}) for a in range(len(shells))]
    taken = {
        a
        for pair in crossing
        for a, b in (pair, pair[::-1])
        if shells[a].inwards and not shells[b].inwards and depth[a] % 2 == 0
    }
    whole = m3.Manifold()
    joined_some = False
    for level in range(max(depth, default=0) + 1):
        mine = [k for k, d in enumerate(depth) if d == level and k not in taken]
        if not mine:
            continue
        together = (
            m3.Manifold.batch_boolean([shells[k].solid for k in mine], m3.OpType.Add)
            if len(mine) > 1
            else shells[mine[0]].solid
        )
        if level % 2 == 0:
            joined_some |= float(together.volume()) < sum(shells[k].volume for k in mine) * (1 - 1e-9)
        whole = whole - together if level % 2 else whole + together if level else together
    if taken:
        whole = m3.Manifold.batch_boolean(
            [whole, *(shells[k].solid for k in sorted(taken))], m3.OpType.Subtract
        )
        joined_some = True
    _say(shells, depth, taken, joined_some, done)
    return whole


def bodies_of(solid: Solid) -> list[Solid]:
    """The separate bodies of a solid, the largest first, each with its hollows.

    What lies loose in a hollow is a body too.
    """
    found = shells_of(solid)
    outer = sorted((s for s in found if not s.inwards), key=lambda s: s.volume)
    holes = [s for s in found if s.inwards]
    mine: list[list[Solid]] = [[s.solid] for s in outer]
    for hole in holes:
        place = _within(hole)[:3]
        for k, shell in enumerate(outer):
            holds = (
                (shell.low <= hole.low + 1e-9) & (shell.high >= hole.high - 1e-9)
            ).all() and shell.volume > hole.volume
            if holds and inside(shell.solid, place).all():
                mine[k].append(hole.solid)
                break
    # The library leaves a surface that faces inwards out when it puts solids side by side.
    whole = [s[0] if len(s) == 1 else m3.Manifold.batch_boolean(s, m3.OpType.Subtract) for s in mine]
    return sorted(whole, key=lambda s: -float(s.volume()))


def _say(
    shells: Sequence[Shell], depth: Sequence[int], taken: set[int], joined_some: bool, done: list[Words]
) -> None:
    wrong = [
        k
        for k, (s, d) in enumerate(zip(shells, depth, strict=True))
        if s.inwards != (d % 2 == 1) and k not in taken
    ]
    if len(wrong) == len(shells):
        done.append(say.all_inside_out())
        wrong = []
    out, hollow = sum(shells[k].inwards for k in wrong), sum(not shells[k].inwards for k in wrong)
    if out:
        done.append(say.shells_turned(out))
    if hollow:
        done.append(say.shells_are_hollows(hollow))
    if joined_some:
        done.append(say.shells_joined())


def _pairs(pairs: Sequence[tuple[int, int]]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    found = np.array(pairs, np.int64).reshape(-1, 2)
    return found[:, 0], found[:, 1]


def _relations(shells: Sequence[Shell]) -> tuple[list[list[int]], list[tuple[int, int]]]:
    """Which shells each one lies inside of, and which pairs cross."""
    lows, highs = np.array([s.low for s in shells]), np.array([s.high for s in shells])
    within: list[list[int]] = [[] for _ in shells]
    crossing: list[tuple[int, int]] = []
    places: dict[int, Float] = {}
    for a, shell in enumerate(shells):
        near = np.flatnonzero(((lows <= shell.high) & (highs >= shell.low)).all(1))
        for b in near.tolist():
            # The smaller lies in the larger; of two alike, what is drawn outwards lies in the hollow.
            if b == a or (shells[b].volume, shells[b].inwards, b) < (shell.volume, shell.inwards, a):
                continue
            twins = shells[b].volume <= shell.volume * (1 + 1e-9) and shells[b].inwards == shell.inwards
            if a not in places:
                places[a] = _within(shell)
            found = inside(shells[b].solid, places[a])
            contained = bool(((lows[b] <= shell.low + 1e-9) & (highs[b] >= shell.high - 1e-9)).all())
            if found.all() and contained and not twins:
                within[a].append(b)
            elif found.any() or (
                shell.inwards != shells[b].inwards
                and (shell.solid ^ shells[b].solid).volume() > 1e-9 * shell.volume
            ):
                crossing.append((a, b))
    return within, crossing


def _within(shell: Shell) -> Float:
    """Places just inside a shell's surface, spread over it."""
    mesh = mesh_of(shell.solid)
    normals, areas = face_normals(mesh)
    order = np.argsort(-areas, kind="stable")
    order = order[: max(1, int((areas > 1e-9 * areas.max()).sum()))]
    chosen = order[np.linspace(0, len(order) - 1, min(_PLACES, len(order))).astype(int)]
    size = float(np.linalg.norm(shell.high - shell.low))
    return np.asarray(mesh.vertices[mesh.triangles[chosen]].mean(1) - normals[chosen] * 1e-5 * size)


def surfaces_lost(mesh: Mesh, solid: Solid) -> int:
    """Connected surfaces of a mesh that are nowhere in a solid made of it.

    Neither a boundary of it nor inside its material.

    Told by rays from just in front of and behind places on each surface, without regard to how the solid was
    made.
    """
    if len(mesh.triangles) == 0:
        return 0
    t = mesh.triangles
    label = joined(len(mesh.vertices), t[:, [0, 1]].ravel(), t[:, [1, 2]].ravel())[t[:, 0]]
    normals, areas = face_normals(mesh)
    size = float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
    order = np.lexsort((-areas, label))
    first = np.flatnonzero(np.r_[True, np.diff(label[order]) != 0])
    lost = 0
    for begin, end in zip(first, np.r_[first[1:], len(order)], strict=True):
        mine = order[begin : min(end, begin + 6)]
        if areas[mine[0]] < 1e-9 * size**2:
            continue  # a crumb
        middle = mesh.vertices[t[mine]].mean(1)
        off = normals[mine] * 1e-6 * size
        sides = np.concatenate([middle + off, middle - off])
        lost += not inside(solid, sides).any()
    return lost
