"""What the light table shows of a graphic, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.areas import union
from cutkey.core.artwork.frame import Frame
from cutkey.core.artwork.graphic import Graphic, Measure, rings_of
from cutkey.core.artwork.thin import necks, slits
from cutkey.core.job.draw import Drawn
from cutkey.core.trace.run import Trace

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
#: Places of the fringe that are sent, the furthest off first.
_FRINGE = 30_000


class Rings(NamedTuple):
    """Polygons as rings: points, and where each ring begins."""

    points: NDArray[np.float64]  # (N, 2)
    first: I32  # (R + 1,)

    def rings(self) -> list[NDArray[np.float64]]:
        """Points of each ring."""
        return [self.points[a:b] for a, b in zip(self.first[:-1], self.first[1:], strict=True)]


class PictureView(NamedTuple):
    """The picture under a traced graphic, and how the trace came about."""

    pixels: NDArray[np.uint8]  # (H, W, 3) as prepared
    to_fractions: NDArray[np.float64]  # (3, 3) from pixels to fractions of the opened picture
    original_size: tuple[int, int]
    background: str | None
    noise: float
    threshold: float | None
    cut_offs: tuple[float, ...]
    histogram: NDArray[np.int64]
    why: str
    specks: F32  # (S, 3) middle and radius, mm
    curves: int  # lines, arcs and curves of all boundaries


class OffView(NamedTuple):
    """How far the trace lies from the picture, mm."""

    mean: float
    most95: float
    most: float
    worst: tuple[float, float]
    places: F32  # (N, 2)
    offs: F32  # (N,)


class GraphicView(NamedTuple):
    """A graphic on the light table; regions in mm about the middle, y up."""

    id: str
    regions: list[tuple[str, Rings]]
    measures: list[Measure]
    size: tuple[float, float]  # mm, after edits
    px_per_mm: float
    middle_px: tuple[float, float]
    picture: PictureView | None  # None for a vector drawing
    off: OffView | None  # None for a drawing and for a draft
    thin: Rings  # necks and slits narrower than the nozzle
    notes: tuple[str, ...]
    open_lines: list[NDArray[np.float64]]
    draft: bool
    frame: Frame | None = None  # what mm mean in it


def as_rings(geometry: shapely.Geometry) -> Rings:
    """Rings of polygons as two arrays."""
    points = rings_of(geometry)
    first = np.r_[0, np.cumsum([len(p) for p in points])].astype(np.int32)
    return Rings(np.concatenate(points) if points else np.zeros((0, 2)), first)


def graphic_view(drawn: Drawn, nozzle: float = 0.0, draft: bool = False) -> GraphicView:
    """A traced or read graphic for the light table; without a nozzle thin places are not looked for."""
    g: Graphic = drawn.graphic
    x0, y0, x1, y1 = drawn.box
    scale, middle = (x1 - x0) / drawn.spec.width_mm, np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    thin = shapely.GeometryCollection() if draft or nozzle <= 0 else union([*necks(g.regions, nozzle), *slits(g.regions, nozzle)])
    picture = off = None
    if drawn.trace is not None:
        picture, off = _picture(drawn.trace, middle, scale), _off(drawn.trace, middle, scale)
    return GraphicView(
        drawn.spec.id,
        [(r.colour, as_rings(r.geometry)) for r in g.regions],
        drawn.measures,
        (g.width, g.height),
        scale,
        (float(middle[0]), float(middle[1])),
        picture,
        off,
        as_rings(thin),
        drawn.notes,
        [shapely.get_coordinates(line) for line in drawn.open_lines],
        draft,
        drawn.frame,
    )


def _placed(px: F32, middle: NDArray[np.float64], scale: float) -> F32:
    """Places of the picture in mm."""
    return ((px - middle) * (1 / scale, -1 / scale)).astype(np.float32)


def _picture(t: Trace, middle: NDArray[np.float64], scale: float) -> PictureView:
    specks = np.c_[_placed(t.specks[:, :2], middle, scale), t.specks[:, 2] / scale].astype(np.float32)
    return PictureView(
        t.picture,
        np.linalg.inv(t.to_pixels).astype(float),
        t.original_size,
        t.background,
        t.noise,
        t.threshold,
        t.cut_offs,
        t.histogram,
        t.why,
        specks,
        t.pieces,
    )


def _off(t: Trace, middle: NDArray[np.float64], scale: float) -> OffView | None:
    if t.off is None:
        return None
    most = np.argsort(-t.off.offs)[:_FRINGE]
    worst = _placed(np.array([t.off.worst], np.float32), middle, scale)[0]
    return OffView(
        t.off.mean / scale,
        t.off.most95 / scale,
        t.off.most / scale,
        (float(worst[0]), float(worst[1])),
        _placed(t.off.places[most], middle, scale),
        (t.off.offs[most] / scale).astype(np.float32),
    )
