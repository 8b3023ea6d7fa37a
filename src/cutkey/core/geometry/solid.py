"""The solid type of the program, Manifold, and its two-way door to meshes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import manifold3d as m3
import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh, open_edges
from cutkey.core.words.kind import Words

Solid: TypeAlias = m3.Manifold
_REPEAT = "mend it in a modelling program and export it again"


def solid_of(mesh: Mesh, name: str, done: list[Words] | None = None) -> Solid:
    """Solid of a mesh.

    Its shells are nested by what lies inside what (`shells.nested`): what is inside out is turned, shells
    that cross are joined. What was done is added to `done`.

    Raises
    ------
    BadInput
        When the mesh does not enclose a volume.
    """
    done = [] if done is None else done
    solid = solid_as_is(mesh)
    if solid.status() != m3.Error.NoError:
        n = open_edges(mesh)
        raise BadInput(
            f"{name} is not watertight: {n} edges are open or shared by more than two faces; {_REPEAT}."
        )
    from cutkey.core.geometry.shells import nested, shells_of

    shells = shells_of(solid)
    if sum(s.volume for s in shells) < 1e-9:
        raise BadInput(f"{name} encloses no volume; choose a solid model.")
    if len(shells) == 1 and not shells[0].inwards:
        return solid
    return nested(shells, done)


def solid_as_is(mesh: Mesh) -> Solid:
    """Solid of a mesh that nothing is done to; its status says whether it is one."""
    # The library takes no array that it may not write to.
    vertices, triangles = (
        np.require(mesh.vertices, np.float64, ["C", "W"]),
        np.require(mesh.triangles, np.uint64, ["C", "W"]),
    )
    return m3.Manifold(m3.Mesh64(vertices, triangles))


def turned(solid: Solid) -> Solid:
    """A solid inside out."""
    mesh = mesh_of(solid)
    return solid_as_is(Mesh(mesh.vertices, mesh.triangles[:, ::-1]))


def mesh_of(solid: Solid) -> Mesh:
    """Vertices and triangles of a solid, in double precision."""
    raw = solid.to_mesh64()
    return Mesh(np.array(raw.vert_properties, np.float64)[:, :3], np.array(raw.tri_verts, np.int64))


def without(solid: Solid, others: list[Solid]) -> Solid:
    """A solid less all others."""
    return m3.Manifold.batch_boolean([solid, *others], m3.OpType.Subtract) if others else solid


def bounds_of(solid: Solid) -> tuple[np.ndarray, np.ndarray]:
    """Lower and upper corner of the bounding box, mm.

    Returns
    -------
    tuple of ndarray, (3,), float64
    """
    b = np.array(tuple(solid.bounding_box()))
    return b[:3], b[3:]


def as_one(solids: Sequence[Solid]) -> Solid:
    """Several solids as one; a single one stays as it is."""
    return solids[0] if len(solids) == 1 else m3.Manifold.batch_boolean(list(solids), m3.OpType.Add)
