"""Material round every socket.

Measured with rays through the finished sections, all round and behind the ends.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import face_normals
from cutkey.core.geometry.rays import crossings
from cutkey.core.geometry.solid import Solid, as_one, mesh_of
from cutkey.core.keys.kind import Key
from cutkey.core.model.cuts import Labels
from cutkey.core.model.finding import Finding, Severity
from cutkey.core.split.joint import Joint
from cutkey.core.split.setting.keying import solids_in_place
from cutkey.core.split.split import Split
from cutkey.core.words import splitting as say

#: Rays from one socket; they begin this far off its surface, and this far off the seam and the back, mm.
_RAYS, _OFF, _EDGE = 120, 2e-3, 0.3
#: Walls this much thinner than asked are as asked: outlines are flattened, mm.
_NEAR = 0.08


class Thinnest(NamedTuple):
    """The thinnest wall round the keys of a joint."""

    wall: float  # mm, 0 where a socket opens into a slot, a hole or the air
    asked: float
    key: int
    section: int
    place: tuple[float, float, float]


def check_walls(split: Split, labels: Labels) -> list[Finding]:
    """Findings on the material round keys.

    Names and poles engraved on the cut faces beside them are no missing wall.
    """
    edge = max(_EDGE, labels.depth + 0.1) if labels.on else _EDGE
    out = []
    least = np.inf
    count = 0
    for joint in split.joints:
        found = [t for n, key in enumerate(joint.keys) for t in _walls(split, joint, n, key, edge)]
        count += len(joint.keys)
        thin = min(found, key=lambda t: t.wall - t.asked, default=None)
        if thin is None:
            continue
        least = min(least, min(t.wall for t in found))
        if thin.wall >= thin.asked - _NEAR:
            continue
        name = split.sections[thin.section].name
        outside = thin.wall <= 2 * _OFF
        says = say.key_out_of_the_material(joint.name, thin.key + 1, name, thin.wall, outside, thin.asked)
        severity: Severity = "look at" if joint.by_hand else "stop"
        figures = round(thin.wall, 3), thin.asked, "mm"
        out.append(Finding("key walls", severity, says, name, *figures, thin.place))
    if count and not out:
        known = float(least) if np.isfinite(least) else None
        figure = None if known is None else round(known, 3)
        out.append(Finding("key walls", "sound", say.keys_in_material(known, count), figure=figure))
    return out


def _walls(split: Split, joint: Joint, number: int, key: Key, edge: float) -> list[Thinnest]:
    if key.form.of.shaped or key.form.wall <= 0:
        return []
    made = solids_in_place(joint.plane, key)
    out = []
    for side, section, socket in zip(
        (-1, 1), joint.numbers, (made.near_socket, made.far_socket), strict=True
    ):
        if socket is None:
            continue
        starts, ways = _surface(joint, key, socket, side, edge)
        walls = _along(split.sections[section].whole, starts, ways, key.form.wall)
        thin = np.flatnonzero(walls < key.form.wall - _NEAR)
        if len(thin) and split.engraved.solids().get(section):
            walls[thin] = _along(_filled(split, section), starts[thin], ways[thin], key.form.wall)
        if len(walls):
            k = int(np.argmin(walls))
            x, y, z = (float(v) for v in starts[k])
            out.append(Thinnest(float(walls[k]), key.form.wall, number, section, (x, y, z)))
    return out


def _filled(split: Split, section: int) -> Solid:
    """A section with the names and poles that are cut into it filled up again."""
    return as_one([split.sections[section].whole, *split.engraved.solids().get(section, [])])


def _surface(joint: Joint, key: Key, socket: Solid, side: int, edge: float) -> tuple[Float, Float]:
    """Places just outside a socket and the ways out of it, off the seam and off the back where it is open."""
    mesh = mesh_of(socket.refine_to_length(max(1.0, key.form.size / 4)))
    normals, areas = face_normals(mesh)
    middle = mesh.vertices[mesh.triangles].mean(1)
    flat = joint.plane.flat(middle)
    # A ray that leans towards the seam would leave there, where the mate begins.
    leans = np.maximum(0.0, -side * (normals @ joint.plane.normal))
    good = (areas > 1e-6) & (flat[:, 2] * side > np.maximum(edge, leans * (key.form.wall + _EDGE)))
    if key.form.of.from_back:
        # Open at the back, and as deep as its ends go on to the seam's other pieces.
        good &= (flat[:, 1] > key.v + _EDGE) & (normals @ joint.plane.up > -0.5)
    chosen = np.flatnonzero(good)
    if len(chosen) > _RAYS:
        chosen = chosen[np.linspace(0, len(chosen) - 1, _RAYS).astype(int)]
    return middle[chosen] + normals[chosen] * _OFF, normals[chosen]


def _along(section: Solid, starts: Float, ways: Float, wall: float) -> Float:
    """Material ahead of places, up to a little more than a wall."""
    far = wall + 0.5
    out = np.full(len(starts), far)
    for k, (start, way) in enumerate(zip(starts, ways, strict=True)):
        found = crossings(section, start, way, far)
        if found:
            out[k] = found[0][0] + _OFF if found[0][1] else 0.0
            continue
        # No surface ahead: either all of it is material, which ends at the socket just behind, or none.
        behind = crossings(section, start, -way, 2 * _OFF)
        if not (behind and behind[0][1]):
            out[k] = 0.0
    return out


@check(100)
def walls_round_keys(c: Context) -> list[Finding]:
    """The material round every key."""
    return check_walls(c.split, c.job.labels)
