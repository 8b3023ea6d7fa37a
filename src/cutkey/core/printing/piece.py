"""What is printed: single-colour bodies, and what lies on the bed as one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.filament import Filament


def turned_over(points: Float, size: Sequence[float]) -> Float:
    """Points of a box that is turned by half about a line along x, so that its lower corner stays at the origin.

    Parameters
    ----------
    points : ndarray, (N, 2) or (N, 3), float64
        mm.
    size : sequence of float
        Of the box, mm.
    """
    out = np.array(points, float)
    out[:, 1:] = np.array(size)[1 : points.shape[1]] - out[:, 1:]
    return out


class Piece(NamedTuple):
    """One body of one filament, in the coordinates of its section (lower corner at the origin)."""

    name: str  # "A1 Honey PLA"
    section: str
    filament: Filament
    mesh: Mesh
    volume: float  # mm3


class PrintUnit(NamedTuple):
    """What lies on the bed as one: a section with its colours, or a key."""

    name: str
    pieces: list[Piece]
    origin: tuple[float, float, float]  # where its lower corner sits in the assembled design, mm
    size: tuple[float, float, float]
    copies: int  # how many of it are printed
    is_key: bool
    outline: shapely.Geometry  # seen from above, from the lower corner
    face_down: bool = False  # turned over to be printed

    def assembled(self, points: Float) -> Float:
        """Points of it where they are in the assembled design.

        Parameters
        ----------
        points : ndarray, (N, 2) or (N, 3), float64
            mm, from its lower corner as it lies on the bed.
        """
        own = turned_over(points, self.size) if self.face_down else points
        return np.asarray(own + np.array(self.origin)[: points.shape[1]])


def all_pieces(units: Sequence[PrintUnit]) -> list[Piece]:
    """Pieces of all units, each once."""
    return [p for u in units for p in u.pieces]
