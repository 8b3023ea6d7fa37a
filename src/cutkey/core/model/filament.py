"""Filaments, and which of them a colour of the design is printed with."""

from __future__ import annotations

import msgspec

#: Colour of the model itself.
BODY = "body"
#: Grams in a cubic millimetre of PLA; from memory: 1.24 g/cm3.
PLA_DENSITY = 1.24e-3


class Filament(msgspec.Struct, frozen=True):
    """A spool on the maker's rack."""

    name: str
    colour: str  # "#rrggbb"


#: A first rack for a new job; the maker changes it on the Colour sheet.
DEFAULT_RACK = (
    Filament("Honey PLA", "#e0a32a"),
    Filament("Soot PLA", "#26241f"),
    Filament("Linen PLA", "#efe4c6"),
    Filament("Moss PLA", "#4f6b35"),
    Filament("Brick PLA", "#9c4330"),
    Filament("Fog PLA", "#b9bcb8"),
)
