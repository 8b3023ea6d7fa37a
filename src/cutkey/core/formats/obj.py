"""OBJ models."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from cutkey.core.colour.difference import rgb_of
from cutkey.core.formats.kind import Format, Shape, Shapes
from cutkey.core.geometry.mesh import Mesh

#: What an OBJ file calls the file of its materials.
MATERIALS = "filaments.mtl"


def obj_bytes(mesh: Mesh, title: str, filament: str) -> bytes:
    """OBJ of a mesh in mm, in the material of its filament.

    Parameters
    ----------
    mesh : Mesh
    title : str
        Of the object.
    filament : str
        Name of the material in `MATERIALS`.
    """
    head = f"# Cut Key, mm\nmtllib {MATERIALS}\no {title}\nusemtl {_word(filament)}\n"
    # Single precision has nine digits.
    points = "\n".join(f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in mesh.vertices.astype(np.float32).tolist())
    faces = "\n".join(f"f {a} {b} {c}" for a, b, c in (mesh.triangles + 1).tolist())
    return f"{head}{points}\n{faces}\n".encode()


def mtl_bytes(filaments: Sequence[tuple[str, str]]) -> bytes:
    """Materials of OBJ files.

    Parameters
    ----------
    filaments : sequence of (str, str)
        Names and colours, each once.
    """
    out = []
    for name, colour in filaments:
        r, g, b = (v / 255 for v in rgb_of(colour))
        out.append(f"newmtl {_word(name)}\nKd {r:.4f} {g:.4f} {b:.4f}\n")
    return "\n".join(out).encode()


def _word(name: str) -> str:
    """Names of materials end at a space."""
    return "_".join(name.split())


class Obj(Format):
    """OBJ; polygons are triangulated."""

    id, rank, suffixes = "obj", 30, (".obj",)

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Its faces."""
        from cutkey.core.formats._meshes import by_package

        return Shapes([Shape(by_package(data, name, "obj"))], False)
