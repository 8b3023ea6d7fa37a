"""The written 3MF read back by a reader that shares nothing with the writer: names, filaments, colours, volumes and places."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from cutkey.core.geometry.mesh import Mesh, signed_volume
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.threemf import BED_STEP
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.rehearse.read import read_print

#: Places are written in single precision and to six decimals, mm.
_NEAR = 2e-3


def unlike(data: bytes, name: str, units: Sequence[PrintUnit], spots: Sequence[Spot], printer: Printer) -> list[str]:
    """In what a written file is not what was meant, in words.

    Parameters
    ----------
    data : bytes
        Of the file.
    name : str
        Of the file.
    units : sequence of PrintUnit
        What was meant to be written.
    spots : sequence of Spot
        Where each copy was meant to lie, in the order of the file.
    printer : Printer
    """
    found: dict[int, list[tuple[str, str, str, float, np.ndarray]]] = {}
    for body in read_print(data, name):
        box = np.stack([body.vertices.min(0), body.vertices.max(0)])
        volume = signed_volume(Mesh(body.vertices, body.triangles))
        found.setdefault(body.item, []).append((body.name, body.filament, body.colour, volume, box))
    if len(found) != len(spots):
        return [f"{len(found)} things are built instead of {len(spots)}"]
    out: list[str] = []
    for item, spot in enumerate(spots):
        unit = units[spot.unit]
        there = {b[0]: b for b in found[item]}
        if sorted(there) != sorted(p.name for p in unit.pieces):
            out.append(f"the bodies of {unit.name} are not those that were meant")
            continue
        turn = math.radians(spot.angle)
        across = np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])
        for piece in unit.pieces:
            _, filament, colour, volume, box = there[piece.name]
            if (filament, colour) != (piece.filament.name, piece.filament.colour.lower()):
                out.append(f"{piece.name} is of {filament} {colour}")
            if abs(volume - piece.volume) > 1e-5 * piece.volume + 1e-3:
                out.append(f"{piece.name} holds {volume:.2f} mm³ instead of {piece.volume:.2f}")
            meant = np.array(piece.mesh.vertices, float)
            meant[:, :2] = meant[:, :2] @ across + (spot.x + spot.load * BED_STEP * printer.bed[0], spot.y)
            off = float(np.abs(np.stack([meant.min(0), meant.max(0)]) - box).max())
            if off > _NEAR:
                out.append(f"{piece.name} lies {off:.3f} mm from its place")
    return out
