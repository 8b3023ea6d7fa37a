"""What readers of models share."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh, weld


def from_corners(corners: np.ndarray) -> Mesh:
    """A welded mesh of the corners of triangles, (T, 3, 3).

    Parameters
    ----------
    corners : ndarray, (T, 3, 3)
        mm.
    """
    return weld(corners) if len(corners) else Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int64))


def welded(mesh: Mesh, name: str) -> Mesh:
    """A mesh welded by position; refused where it holds what is no mesh."""
    if not np.isfinite(mesh.vertices).all():
        raise BadInput(f"{name} holds coordinates that are not numbers; export the model again.")
    if len(mesh.triangles) and (mesh.triangles.min() < 0 or mesh.triangles.max() >= len(mesh.vertices)):
        raise BadInput(
            f"{name} has faces that point to vertices it does not hold; it was cut short or damaged, export"
            " it again."
        )
    return from_corners(mesh.vertices[mesh.triangles])


def by_package(data: bytes, name: str, kind: str) -> Mesh:
    """Triangles of an OBJ or PLY file; polygons are triangulated, normals and textures left aside."""
    import trimesh

    if kind == "ply" and b"end_header" not in data[:20_000]:
        raise BadInput(f"{name} is cut short: its header has no end; copy or export it again.")
    try:
        loaded: Any = trimesh.load(
            io.BytesIO(data), file_type=kind, process=False, force="mesh", skip_materials=True
        )
        vertices, triangles = np.array(loaded.vertices, np.float64), np.array(loaded.faces, np.int64)
    except Exception:
        # The package raises whatever its parsing runs into.
        raise BadInput(
            f"{name} cannot be read as {kind.upper()}; it is damaged or cut short, export the model again."
        ) from None
    if len(triangles) == 0:
        raise BadInput(f"{name} holds points but no faces; export the model as a mesh.")
    return welded(Mesh(vertices, triangles), name)
