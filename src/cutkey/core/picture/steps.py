"""Preparation steps of a picture, as data: kept in the job, switched off and on, reordered, opened again.

Places are fractions of the picture's width and height as it was opened, so a step keeps its place when another one that
crops or turns the picture is changed.
"""

from __future__ import annotations

from typing import Literal

import msgspec

#: Longest side on which pictures are worked; larger ones are reduced on opening, and it is said.
WORKING_SIDE = 3000

Point = tuple[float, float]


class _Step(msgspec.Struct, frozen=True, kw_only=True):
    on: bool = True


class Crop(_Step, frozen=True, tag="crop"):
    """Keep the rectangle between two opposite corners."""

    first: Point
    second: Point


class Turn(_Step, frozen=True, tag="turn"):
    """Turn clockwise."""

    degrees: float


class Square(_Step, frozen=True, tag="square"):
    """Make four corners, clockwise from the upper left one, the corners of a rectangle."""

    corners: tuple[Point, Point, Point, Point]
    proportion: float = 0.0  # true width over height; 0 measures it in the picture


class EvenLight(_Step, frozen=True, tag="light"):
    """Take a slow change of brightness out."""


class Tone(_Step, frozen=True, tag="tone"):
    """Brightness and contrast, each from -1 to 1."""

    brightness: float = 0.0
    contrast: float = 0.0


class Denoise(_Step, frozen=True, tag="denoise"):
    """Smooth areas and keep edges, for noise of a stated strength."""

    strength: float = 8.0  # grey levels


class Invert(_Step, frozen=True, tag="invert"):
    """Light becomes dark."""


class TakeAway(_Step, frozen=True, tag="take away"):
    """Remove what has the colour at a place, within a CIEDE2000 tolerance."""

    at: Point
    tolerance: float = 12.0
    touching: bool = True  # only what touches the place


class Paint(_Step, frozen=True, tag="paint"):
    """Paint over with a brush, inside a lasso, or over an area of one colour."""

    tool: Literal["brush", "lasso", "area"]
    points: tuple[Point, ...]
    ink: str  # "#rrggbb", "erase" or "restore"
    width: float = 0.02  # of the brush, as a fraction of the picture's width
    tolerance: float = 12.0  # of an area


Step = Crop | Turn | Square | EvenLight | Tone | Denoise | Invert | TakeAway | Paint
#: Steps that move pixels; later places are carried along.
GEOMETRIC = (Crop, Turn, Square)
