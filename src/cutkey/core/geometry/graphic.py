"""A graphic at its real size: regions in millimetres, centred, y up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.geometry.region import Region


class Graphic(NamedTuple):
    """Regions that share their boundaries, in mm about the middle of their bounding box, y up."""

    regions: list[Region]
    width: float
    height: float

    def colours(self) -> list[str]:
        """Colours in the order of the regions."""
        return [r.colour for r in self.regions]


class Measure(NamedTuple):
    """What a colour chip says about its regions."""

    colour: str
    area: float  # mm2
    pieces: int
    narrowest: float  # mm, diameter of the largest disc in the narrowest piece


Box = tuple[float, float, float, float]


def to_size(regions: Sequence[Region], width_mm: float, box: Box | None = None) -> Graphic:
    """Scale pixel regions to a width in mm; the proportion is kept and y is turned up.

    One scale and one shift serve all regions, so points shared before are shared after. With a box (left,
    top, right, bottom, px) its width is made `width_mm` and its middle the origin, whatever lies in it.
    """
    place = placing(width_mm, box or box_of(regions))
    scaled = [Region(r.colour, shapely.transform(r.geometry, place)) for r in regions]
    left, bottom, right, top = box_of(scaled)
    return Graphic(scaled, right - left, top - bottom)


def placing(width_mm: float, box: Box) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """The way from px, y down, to mm about the middle of a box, y up, that makes the box so wide.

    Parameters
    ----------
    width_mm : float
        Width of the box when made.
    box : tuple
        Left, top, right, bottom, px.
    """
    x0, y0, x1, y1 = box
    scale = width_mm / (x1 - x0)
    middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    factor = np.array([scale, -scale])

    def place(xy: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray((xy - middle) * factor)

    return place


def as_graphic(area: shapely.Geometry, colour: str = "#26241f") -> Graphic:
    """An area as a graphic of one colour, about its middle.

    Parameters
    ----------
    area : Polygon or MultiPolygon
        mm.
    colour : str
    """
    x0, y0, x1, y1 = area.bounds
    moved = shapely.transform(area, lambda xy: xy - np.array([(x0 + x1) / 2, (y0 + y1) / 2]))
    return Graphic([Region(colour, moved)], x1 - x0, y1 - y0)


def box_of(regions: Sequence[Region]) -> Box:
    """Least x and y, largest x and y of regions."""
    b = shapely.bounds(np.array([r.geometry for r in regions], object))
    return float(b[:, 0].min()), float(b[:, 1].min()), float(b[:, 2].max()), float(b[:, 3].max())


def rings_of(geometry: shapely.Geometry) -> list[NDArray[np.float64]]:
    """Points of every ring of a polygon or multipolygon, the closing point left out.

    Returns
    -------
    list of ndarray, (N, 2), float64
        mm.
    """
    return [shapely.get_coordinates(r)[:-1] for r in shapely.get_rings(shapely.get_parts(geometry))]


def measure(graphic: Graphic) -> list[Measure]:
    """Area, pieces and narrowest piece of every colour."""
    out = []
    for region in graphic.regions:
        parts = shapely.get_parts(region.geometry)
        radii = shapely.length(
            shapely.maximum_inscribed_circle(parts, tolerance=max(0.005, graphic.width / 4000))
        )
        out.append(Measure(region.colour, float(region.geometry.area), len(parts), 2 * float(radii.min())))
    return out
