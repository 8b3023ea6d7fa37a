"""Reading model files of every kind as welded meshes; which reader, and what is wrong with a file."""

from __future__ import annotations

import io
from typing import NamedTuple

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh, weld
from cutkey.core.limits import reading, unpacked
from cutkey.core.solids.stl import read_stl
from cutkey.core.solids.threemf_read import read_3mf_model


class Shape(NamedTuple):
    """One object of a file, in the file's unit (mm for 3MF)."""

    mesh: Mesh
    colour: str = ""


class Shapes(NamedTuple):
    """The objects of a file."""

    shapes: list[Shape]
    in_mm: bool
    notes: tuple[str, ...] = ()


def read_shapes(data: bytes, name: str) -> Shapes:
    """Objects of a model file.

    Raises
    ------
    BadInput
        When it is empty, cut short, of another kind, or holds no triangles.
    """
    with reading(name):
        return _shapes(data, name)


def _shapes(data: bytes, name: str) -> Shapes:
    if not data:
        raise BadInput(f"{name} is empty (0 bytes); export the model again.")
    kind = name.lower().rpartition(".")[2]
    if kind == "3mf" or data[:4] == b"PK\x03\x04":
        unpacked(data, name, "is not a 3MF file that can be read; export it again.")
        read = read_3mf_model(data, name)
        found = Shapes([Shape(_welded(o.mesh, name), o.colour) for o in read.objects], True, read.notes)
        if len(found.shapes) > 1 and not any(s.colour for s in found.shapes):
            found = found._replace(notes=(*found.notes, f"its {len(found.shapes)} objects are one body"))
    elif kind in ("obj", "ply") or data[:4] in (b"ply\n", b"ply\r"):
        found = Shapes([Shape(_by_package(data, name, "ply" if data[:3] == b"ply" else kind))], False)
    elif kind in ("step", "stp", "iges", "igs"):
        raise BadInput(f"{name} is a {kind.upper()} drawing of surfaces; export it as STL or 3MF from where it was drawn.")
    else:
        found = Shapes([Shape(_from_corners(read_stl(data, name)))], False)
    if not any(len(s.mesh.triangles) for s in found.shapes):
        raise BadInput(f"{name} holds no triangle with an area; export the model again.")
    return found._replace(shapes=[s for s in found.shapes if len(s.mesh.triangles)])


def _from_corners(corners: np.ndarray) -> Mesh:
    return weld(corners) if len(corners) else Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int64))


def _welded(mesh: Mesh, name: str) -> Mesh:
    if not np.isfinite(mesh.vertices).all():
        raise BadInput(f"{name} holds coordinates that are not numbers; export the model again.")
    if len(mesh.triangles) and (mesh.triangles.min() < 0 or mesh.triangles.max() >= len(mesh.vertices)):
        raise BadInput(f"{name} has faces that point to vertices it does not hold; it was cut short or damaged, export it again.")
    return _from_corners(mesh.vertices[mesh.triangles])


def _by_package(data: bytes, name: str, kind: str) -> Mesh:
    """Triangles of an OBJ or PLY file; polygons are triangulated, normals and textures left aside."""
    import trimesh

    if kind == "ply" and b"end_header" not in data[:20_000]:
        raise BadInput(f"{name} is cut short: its header has no end; copy or export it again.")
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=kind, process=False, force="mesh", skip_materials=True)
        vertices, triangles = np.array(loaded.vertices, float), np.array(loaded.faces, np.int64)
    except Exception:
        # The package raises whatever its parsing runs into.
        raise BadInput(f"{name} cannot be read as {kind.upper()}; it is damaged or cut short, export the model again.") from None
    if len(triangles) == 0:
        raise BadInput(f"{name} holds points but no faces; export the model as a mesh.")
    return _welded(Mesh(vertices, triangles), name)
