"""Filaments, and which of them a colour of the design is printed with."""

from __future__ import annotations

import math
from typing import Annotated

import msgspec

from cutkey.core.fields import number

#: Colour of the model itself.
BODY = "body"


class Filament(msgspec.Struct, frozen=True):
    """A spool on the maker's rack."""

    name: str
    colour: str  # "#rrggbb"
    material: str = "PLA"
    # g/cm3; PLA, from memory
    density: Annotated[float, number(0.1, 20, "Density", unit="g/cm³", step=0.01)] = 1.24
    diameter: Annotated[float, number(0.5, 5, "Diameter", unit="mm", step=0.05)] = 1.75  # mm
    price: Annotated[float, number(0, 10_000, "Price a kg", "In your own money; 0 when it is not known")] = (
        0.0  # of a kilogram; 0 when it is not known
    )

    def grams(self, volume: float) -> float:
        """Weight of a volume in mm3."""
        return volume * self.density / 1000

    def metres(self, volume: float) -> float:
        """Length of filament that a volume in mm3 takes: volume over the area of its cross-section."""
        return volume / (math.pi * self.diameter**2 / 4) / 1000


#: A first rack for a new job; the maker changes it on the Colour sheet.
DEFAULT_RACK = (
    Filament("Honey PLA", "#e0a32a"),
    Filament("Soot PLA", "#26241f"),
    Filament("Linen PLA", "#efe4c6"),
    Filament("Moss PLA", "#4f6b35"),
    Filament("Brick PLA", "#9c4330"),
    Filament("Fog PLA", "#b9bcb8"),
)
