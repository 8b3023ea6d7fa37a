"""How much is laid in a layer, and how long it takes."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import shapely
from shapely.errors import GEOSException

from cutkey.core.geometry.areas import intersection
from cutkey.core.rehearse.layers import Filled
from cutkey.core.rehearse.nozzle import Narrow
from cutkey.core.rehearse.settings import Settings
from cutkey.core.rehearse.under import Hanging

#: A corner that turns by more than this is slowed down for, radians.
_CORNER = 0.35
#: So many layers are remembered while they repeat.
_KEPT = 64


class Layer(NamedTuple):
    """A layer of a bed as it comes out."""

    number: int  # from 1
    middle: float  # mm above the bed
    top: float
    thick: float
    areas: dict[str, shapely.Geometry]  # of the file, by filament, mm
    sizes: dict[str, float]  # mm2 of them
    whole: shapely.Geometry  # all filaments together
    lost: dict[str, list[Narrow]]  # by filament
    widened: dict[str, list[Narrow]]
    closed: list[Narrow]
    hanging: list[Hanging]
    filled: Filled
    open_ends: int
    roughs: dict[str, shapely.Geometry]  # areas with fewer points
    rough: shapely.Geometry


class Row(NamedTuple):
    """What a layer comes to."""

    number: int
    top: float  # mm
    areas: dict[str, float]  # mm2 of the file, by filament
    printed: dict[str, float]  # mm3 that are laid, by filament
    lost: float  # mm2
    closed: float
    hanging: float
    seconds: float


def keep(where: dict[Any, Any], key: object, what: object) -> None:
    """Keep something; memory grows with the layer, not with the print."""
    if len(where) >= _KEPT:
        where.clear()
    where[key] = what


class Laying:
    """How much is laid in a layer, which is told once the layers above it are known.

    Along every outline go a number of lines; inside, what does not lie under and over the layers that are so
    many away as are printed full is printed full, and of the rest a share.
    """

    def __init__(self, settings: Settings) -> None:
        self._s = settings
        self._kept: deque[Layer] = deque()  # the layers around the one that is told next
        self._next = 0  # its place among them
        self._shares: dict[
            tuple[int, ...], tuple[tuple[float, float], shapely.Geometry, list[shapely.Geometry]]
        ] = {}

    def take(self, layer: Layer) -> list[Row]:
        """A layer more; rows of those that can be told now."""
        self._kept.append(layer)
        out = []
        while len(self._kept) - self._next > self._s.solid:
            out.append(self._tell())
        return out

    def rest(self) -> list[Row]:
        """Rows of the topmost layers."""
        out = []
        while self._next < len(self._kept):
            out.append(self._tell())
        return out

    def _tell(self) -> Row:
        k, s = self._next, self._s
        layer = self._kept[k]
        around = [
            self._kept[j].rough if 0 <= j < len(self._kept) else shapely.Polygon()
            for j in (k - s.solid, k + s.solid)
        ]
        others = {id(g): g for g in around if g is not layer.rough}
        printed: dict[str, float] = {}
        seconds = 0.0
        for name, area in layer.roughs.items():
            key = (id(area), *others)
            if key not in self._shares:
                # What is told apart by its place in memory has to stay there.
                keep(self._shares, key, (_share(area, list(others.values()), s), area, list(others.values())))
            share, time = self._shares[key][0]
            gone = sum(float(n.area.area) for n in layer.lost[name])
            printed[name] = max(0.0, share - gone) * layer.thick
            seconds += time
        self._next += 1
        if self._next > s.solid:
            self._kept.popleft()
            self._next -= 1
        lost = sum(float(n.area.area) for some in layer.lost.values() for n in some)
        hangs = sum(float(h.area.area) for h in layer.hanging)
        return Row(
            layer.number,
            layer.top,
            layer.sizes,
            printed,
            lost,
            sum(float(n.area.area) for n in layer.closed),
            hangs,
            seconds,
        )


def _share(area: shapely.Geometry, around: Sequence[shapely.Geometry], s: Settings) -> tuple[float, float]:
    """mm2 of an area that are laid, and seconds it takes."""
    inner = shapely.buffer(area, -s.walls * s.line, quad_segs=2)
    band = float(area.area) - float(inner.area)
    full = 0.0
    if around and not inner.is_empty:
        full = float(inner.area) - _in_common([inner, *around])
    inside = full + s.infill * (float(inner.area) - full)
    length = (band + inside) / s.line
    # A line inside is as long as the area is wide, near enough.
    stops = inside / s.line / max(s.line, float(inner.area) ** 0.5) if inner.area > 0 else 0.0
    return band + inside, length / s.speed + (s.walls * _corners(area) + stops) * s.speed / s.acceleration


def _in_common(areas: Sequence[shapely.Geometry]) -> float:
    """mm2 that lie in all of some areas."""
    hidden = areas[0]
    try:
        for other in areas[1:]:
            hidden = shapely.intersection(hidden, other)
    except GEOSException:
        # Where the quick way does not do, the safe one does.
        for other in areas[1:]:
            hidden = intersection(hidden, other)
    return float(hidden.area)


def _corners(area: shapely.Geometry) -> int:
    """Corners of the outlines that are slowed down for."""
    points, ring = shapely.get_coordinates(shapely.get_rings(shapely.get_parts(area)), return_index=True)
    if not len(points):
        return 0
    d = np.diff(points, axis=0)[own := ring[1:] == ring[:-1]]
    way, ring = np.arctan2(d[:, 1], d[:, 0]), ring[1:][own]
    # After the last side of a ring comes its first one.
    after = np.arange(1, len(way) + 1)
    last = np.r_[ring[1:] != ring[:-1], True]
    after[last] = np.flatnonzero(np.r_[True, ring[1:] != ring[:-1]])
    turn = way[after] - way
    return int((np.abs((turn + np.pi) % (2 * np.pi) - np.pi) > _CORNER).sum())
