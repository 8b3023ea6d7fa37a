"""What is printed: single-colour bodies, and what lies on the bed as one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import shapely

from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.filament import Filament


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


def all_pieces(units: Sequence[PrintUnit]) -> list[Piece]:
    """Pieces of all units, each once."""
    return [p for u in units for p in u.pieces]
