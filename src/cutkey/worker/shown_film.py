"""What the window is told of the print of a kit."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.rehearse.printer import Load
from cutkey.core.rehearse.told import Told
from cutkey.worker.shown import LayerArea, MeshView, Rings


class BedView(NamedTuple):
    """What the print of a bed comes to."""

    layers: int
    seconds: float
    changes: int
    grams: dict[str, float]  # by filament
    load: Load  # for the stand-in printer


class RehearsalView(NamedTuple):
    """A kit printed in the mind."""

    beds: list[BedView]
    found: list[Told]


class FilmView(NamedTuple):
    """A layer of a bed as it is drawn."""

    bed: int  # from 1
    number: int  # from 1
    layers: int
    top: float  # mm
    line: float  # width of a line, mm
    areas: list[LayerArea]
    lines: list[tuple[str, Rings]]  # colours, and the middles of what is drawn in each
    lost: Rings
    closed: Rings
    hangs: Rings
    caps: list[tuple[str, MeshView]]  # the faces of the layer, for the stage


class BedSolids(NamedTuple):
    """What lies on a bed, for the stage; mm from its lower left corner."""

    bed: int  # from 1
    bodies: list[tuple[str, MeshView]]  # colours
