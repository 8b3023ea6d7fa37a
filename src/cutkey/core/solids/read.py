"""Opening models: which reader, which unit, a sound solid or a clear sentence."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.solids.mesh import Mesh, weld
from cutkey.core.solids.solid import Solid, mesh_of, solid_of
from cutkey.core.solids.stl import read_stl
from cutkey.core.units import MM_PER, format_size

Unit = Literal["", "mm", "cm", "m", "inch"]
#: A model smaller or larger than this (mm) was most likely not made in millimetres.
SMALLEST, LARGEST = 10.0, 2000.0


class Model(NamedTuple):
    """A model as read."""

    solid: Solid
    mesh: Mesh
    size: tuple[float, float, float]  # mm


class UnitDoubt(BadInput):
    """The size says that the file is hardly in millimetres; `guesses` are the units that would make sense."""

    def __init__(self, message: str, guesses: list[str]) -> None:
        super().__init__(message)
        self.guesses = guesses


def read_model(data: bytes, name: str, unit: Unit = "") -> Model:
    """Open a model file.

    Parameters
    ----------
    data : bytes
        STL, binary or ASCII.
    name : str
        What to call the file in messages.
    unit : str
        What one unit of the file is; "" takes mm and asks when the size makes no sense.

    Raises
    ------
    UnitDoubt
        When no unit was given and the model is under 10 mm or over 2 m.
    BadInput
        When the file cannot be used.
    """
    mesh = weld(_corners(data, name))
    if len(mesh.triangles) == 0:
        raise BadInput(f"{name} holds no triangle with an area; export the model again.")
    size = np.ptp(mesh.vertices, axis=0)
    if unit == "":
        check_unit(size, name)
    scale = MM_PER[unit or "mm"]
    solid = solid_of(Mesh(mesh.vertices * scale, mesh.triangles), name)
    clean = mesh_of(solid)
    x, y, z = (float(v) for v in np.ptp(clean.vertices, axis=0))
    return Model(solid, clean, (x, y, z))


def check_unit(size: np.ndarray, name: str) -> None:
    """Raise UnitDoubt when a size in mm makes no sense but would in another unit."""
    largest = float(size.max())
    if SMALLEST <= largest <= LARGEST:
        return
    guesses = [u for u in ("inch", "cm", "m", "mm") if u == "mm" or SMALLEST <= largest * MM_PER[u] <= 1000]
    text = format_size(tuple(size.tolist()), 2)
    if largest > LARGEST:
        raise UnitDoubt(f"{name} would be {text} mm, larger than any printer; say in which unit it was drawn.", ["mm"])
    as_inch = format_size(tuple((size * 25.4).tolist()), 1)
    raise UnitDoubt(
        f"{name} would be only {text} mm; it was most likely drawn in inches ({as_inch} mm): say which unit it is in (inch, cm, m or mm).",
        guesses,
    )


def inspect_model(data: bytes, name: str, unit: str = "") -> None:
    """Quick look at a model file before it is taken into a job.

    Raises
    ------
    UnitDoubt
        As `read_model`.
    BadInput
        When the file cannot be read as a model at all.
    """
    corners = _corners(data, name)
    if not unit:
        check_unit(np.ptp(corners.reshape(-1, 3), axis=0), name)


def _corners(data: bytes, name: str) -> np.ndarray:
    """Triangle corners of a model file of any kind that is read."""
    if name.lower().endswith(".3mf"):
        if not data:
            raise BadInput(f"{name} is empty (0 bytes); export the model again.")
        raise BadInput(f"{name} is a 3MF file; export the model as STL to place graphics on it.")
    corners = read_stl(data, name)
    if len(corners) == 0:
        raise BadInput(f"{name} holds no triangle; export the model again.")
    return corners
