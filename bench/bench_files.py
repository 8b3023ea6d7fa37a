"""Reading STL against the numpy floor, writing and reading 3MF against trimesh."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

import manifold3d as m3
import numpy as np
import shapely
import trimesh

from bench.timing import in_turns
from cutkey.core.formats.stl import read_stl, stl_bytes
from cutkey.core.geometry.mesh import weld
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import Piece, PrintUnit

Row = tuple[str, float, float, str]


def run(small: bool = False) -> list[Row]:
    """A sphere of a million triangles; `small` to see that it runs."""
    mesh = mesh_of(m3.Manifold.sphere(60, 40 if small else 1416))
    data = stl_bytes(mesh.vertices, mesh.triangles, "sphere")

    def floor() -> None:
        corners = np.frombuffer(
            data, np.dtype([("n", "<f4", 3), ("c", "<f4", (3, 3)), ("a", "<u2")]), offset=84
        )["c"].reshape(-1, 3)
        np.lexsort(corners.T)

    own, bare = in_turns(lambda: weld(read_stl(data, "s")), floor, rounds=3)
    rows = [
        (f"read and weld an STL of {len(mesh.triangles)} triangles", own, bare, "numpy: read and lexsort")
    ]
    body = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.3mf"
        unit = PrintUnit(
            "A",
            [Piece("A", "A", Filament("Red", "#ff0000"), mesh, 1.0)],
            (0, 0, 0),
            (120.0, 120.0, 120.0),
            1,
            False,
            shapely.box(0, 0, 120, 120),
        )
        write, other = in_turns(
            lambda: path.write_bytes(bytes_3mf("a", [unit], [Spot(0, 0, 0.0, 0.0)], Printer())),
            lambda: body.export(file_type="3mf"),
            rounds=1,
        )
        rows.append(("write it as 3MF", write, other, "trimesh"))
        packed = path.read_bytes()
        read, other = in_turns(
            lambda: read_3mf(path),
            lambda: trimesh.load(io.BytesIO(packed), file_type="3mf", process=False),
            rounds=1,
        )
        rows.append(("read it back, strictly, and check it", read, other, "trimesh"))
    return rows
