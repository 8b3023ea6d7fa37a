"""What is printed: single-colour bodies, and what lies on the bed as one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.filament import Filament
from cutkey.core.printing.resting import UP, Vector


class Piece(NamedTuple):
    """One body of one filament, in the coordinates of its section (lower corner at the origin)."""

    name: str  # "A1 Honey PLA"
    section: str
    filament: Filament
    mesh: Mesh
    volume: float  # mm3, as designed
    shape: str = ""  # digest of its form, whichever way up it lies
    parted: float = 0.0  # mm3 of it that the file leaves out, where it touches itself

    @property
    def written(self) -> float:
        """The volume that a file of it holds, mm3."""
        return self.volume - self.parted


class PrintUnit(NamedTuple):
    """What lies on the bed as one: a section with its colours, or a key."""

    name: str
    pieces: list[Piece]
    origin: tuple[float, float, float]  # where its lower corner sits in the assembled design, mm
    size: tuple[float, float, float]
    copies: int  # how many of it are printed
    is_key: bool
    outline: shapely.Geometry  # seen from above, from the lower corner
    down: Vector = UP  # which side of it is on the bed, out of it, in the design
    turn: Float | None = None  # (3, 3) from the design to the bed, None as it stands
    corner: Vector = (0.0, 0.0, 0.0)  # where its lower corner on the bed is in the design, mm

    def assembled(self, points: Float) -> Float:
        """Points of it where they are in the assembled design.

        Parameters
        ----------
        points : ndarray, (N, 3), float64
            mm, from its lower corner as it lies on the bed.
        """
        return np.asarray((points if self.turn is None else points @ self.turn) + np.array(self.corner))

    @property
    def to_finished(self) -> list[float]:
        """3 x 4, row by row: what `assembled` does."""
        turn = np.eye(3) if self.turn is None else self.turn.T
        return [float(v) for v in np.c_[turn, np.array(self.corner)].ravel()]

    @property
    def stands(self) -> bool:
        """Whether it is printed as it stands in the design."""
        return self.turn is None


def all_pieces(units: Sequence[PrintUnit]) -> list[Piece]:
    """Pieces of all units, each once."""
    return [p for u in units for p in u.pieces]
