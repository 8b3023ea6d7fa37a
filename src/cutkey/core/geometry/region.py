"""A colour region, as it goes through the whole program."""

from __future__ import annotations

from typing import NamedTuple

import shapely


class Region(NamedTuple):
    """Everything of one colour."""

    colour: str  # "#rrggbb"
    geometry: shapely.MultiPolygon
