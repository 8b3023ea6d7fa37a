"""Bodies that are made, as measures in mm."""

from __future__ import annotations

from typing import Literal

import msgspec

Edge = Literal["sharp", "fillet", "chamfer"]


class PlateBase(msgspec.Struct, frozen=True, tag="plate"):
    """A plate with rounded corners as the body; lengths in mm. `edge` says how its upper rim is finished."""

    width: float = 80.0
    depth: float = 80.0
    height: float = 3.0
    corner: float = 4.0
    edge: Edge = "sharp"
    edge_mm: float = 0.8


class CoinBase(msgspec.Struct, frozen=True, tag="coin"):
    """A disc as the body, with a raised rim when `rim` is above 0."""

    diameter: float = 50.8
    height: float = 4.0
    rim: float = 0.0  # width of the rim
    rim_height: float = 1.0
    both: bool = False  # a rim on the underside too
    edge: Edge = "sharp"
    edge_mm: float = 0.5


class RingBase(msgspec.Struct, frozen=True, tag="ring"):
    """A flat ring as the body."""

    diameter: float = 60.0
    inner: float = 40.0
    height: float = 3.0


class PolygonBase(msgspec.Struct, frozen=True, tag="polygon"):
    """A regular polygon as the body, `width` across its flats (or, with an odd number of sides, twice the inner radius)."""

    sides: int = 6
    width: float = 60.0
    height: float = 3.0
    edge: Edge = "sharp"
    edge_mm: float = 0.8


class BackingBase(msgspec.Struct, frozen=True, tag="backing"):
    """The outer outline of a graphic, grown by a margin, as the body."""

    graphic: str
    margin: float = 3.0
    height: float = 2.0


class FigureBase(msgspec.Struct, frozen=True, tag="figure"):
    """The figure of a graphic itself as the body."""

    graphic: str
    height: float = 3.0


MadeBase = PlateBase | CoinBase | RingBase | PolygonBase | BackingBase | FigureBase
