"""The written 3MF read back by a reader that shares nothing with the writer.

Names, filaments, colours, volumes and places.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from cutkey.core.geometry.mesh import Mesh, rounding_of, signed_volume
from cutkey.core.kit.bed import Spot
from cutkey.core.model.printer import Printer
from cutkey.core.printing.bed_rows import bed_corner
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.rehearse.read import read_print
from cutkey.core.words import printing as say
from cutkey.core.words.kind import Words

#: Places are written in single precision and to six decimals, mm.
_NEAR = 2e-3


def unlike(
    data: bytes, name: str, units: Sequence[PrintUnit], spots: Sequence[Spot], printer: Printer
) -> list[Words]:
    """In what a written file is not what was meant.

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
    found: dict[int, list[tuple[str, str, str, Mesh, np.ndarray]]] = {}
    for body in read_print(data, name):
        box = np.stack([body.vertices.min(0), body.vertices.max(0)])
        mesh = Mesh(body.vertices, body.triangles)
        found.setdefault(body.item, []).append((body.name, body.filament, body.colour, mesh, box))
    if len(found) != len(spots):
        return [say.things_built(len(found), len(spots))]
    out: list[Words] = []
    for item, spot in enumerate(spots):
        unit = units[spot.unit]
        there = {b[0]: b for b in found[item]}
        if sorted(there) != sorted(p.name for p in unit.pieces):
            out.append(say.other_bodies(unit.name))
            continue
        turn = math.radians(spot.angle)
        across = np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])
        for piece in unit.pieces:
            _, filament, colour, mesh, box = there[piece.name]
            volume = signed_volume(mesh)
            if (filament, colour) != (piece.filament.name, piece.filament.colour.lower()):
                out.append(say.body_of_another_filament(piece.name, filament, colour))
            if abs(volume - piece.written) > 1e-5 * piece.written + 1e-3 + rounding_of(mesh):
                out.append(say.stl_holds_less(piece.name, volume, piece.written))
            meant = np.array(piece.mesh.vertices, float)
            left, front = bed_corner(spot.load, printer.bed)
            meant[:, :2] = meant[:, :2] @ across + (spot.x + left, spot.y + front)
            off = float(np.abs(np.stack([meant.min(0), meant.max(0)]) - box).max())
            if off > _NEAR:
                out.append(say.lies_elsewhere(piece.name, off))
    return out
