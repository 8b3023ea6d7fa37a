"""STL files, binary and ASCII."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from cutkey.core.errors import BadInput
from cutkey.core.formats.kind import Format, Shape, Shapes

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_NUMBERS = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)")


class Stl(Format):
    """STL; what nothing else tells is taken for it."""

    id, rank, suffixes = "stl", 10, (".stl",)

    def shapes(self, data: bytes, name: str) -> Shapes:
        """Its triangles, welded."""
        from cutkey.core.formats._meshes import from_corners

        return Shapes([Shape(from_corners(read_stl(data, name)))], False)


def read_stl(data: bytes, name: str) -> NDArray[np.floating]:
    """Triangle corners of an STL file.

    Returns
    -------
    ndarray, (T, 3, 3)
        In the file's own unit; single precision when the file is binary, as it is in there.

    Raises
    ------
    BadInput
        When the file is empty, cut short, no STL, or holds coordinates that are not numbers.
    """
    if not data:
        raise BadInput(f"{name} is empty (0 bytes); export the model again.")
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else 0
    exact = len(data) >= 84 and len(data) == 84 + 50 * count
    if exact and count:
        corners = np.ascontiguousarray(np.frombuffer(data, _RECORD, count, 84)["corners"])
    elif data[:512].lstrip().lower().startswith(b"solid") and b"facet" in data[:4096]:
        corners = _ascii(data, name)
    elif len(data) >= 84 and 0 < count < 200_000_000 and len(data) < 84 + 50 * count:
        raise BadInput(
            f"{name} is cut short: it announces {count} triangles and holds {(len(data) - 84) // 50}; copy or"
            " export it again."
        )
    elif len(data) >= 84 and 0 < count < 200_000_000 and len(data) > 84 + 50 * count:
        corners = np.ascontiguousarray(np.frombuffer(data, _RECORD, count, 84)["corners"])
    else:
        raise BadInput(f"{name} is not an STL model; choose a file exported as STL.")
    if not np.isfinite(corners).all():
        raise BadInput(f"{name} holds coordinates that are not numbers; export the model again.")
    return corners


def _ascii(data: bytes, name: str) -> NDArray[np.floating]:
    found = _NUMBERS.findall(data)
    whole = data.rstrip().lower()
    if b"endsolid" not in whole[-200:] or len(found) % 3 or not found:
        raise BadInput(f"{name} is cut short: its last facet is not complete; copy or export it again.")
    try:
        return np.array(found, dtype="S32").astype(float).reshape(-1, 3, 3)
    except ValueError:
        raise BadInput(f"{name} holds coordinates that are not numbers; export the model again.") from None


def stl_bytes(vertices: NDArray[np.float64], triangles: NDArray[np.int64], title: str) -> bytes:
    """Binary STL of a mesh in mm.

    Parameters
    ----------
    vertices : ndarray, (N, 3), float64
        mm; written in single precision.
    triangles : ndarray, (T, 3), int64
        Counter-clockwise seen from outside.
    title : str
        For the header of 80 bytes.
    """
    records = np.zeros(len(triangles), _RECORD)
    corners = np.asarray(vertices, float)[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    records["normal"] = normal / np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    records["corners"] = corners
    header = f"Cut Key, mm: {title}".encode("ascii", "replace")[:80].ljust(80)
    return header + len(triangles).to_bytes(4, "little") + records.tobytes()
