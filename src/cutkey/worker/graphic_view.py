"""What the light table shows of a graphic, as plain arrays."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.cleanup.thin import necks, slits
from cutkey.core.geometry.areas import union
from cutkey.core.geometry.arrays import F32
from cutkey.core.geometry.graphic import Graphic, rings_of
from cutkey.core.model.job import GraphicSpec
from cutkey.core.picture.apply import Prepared
from cutkey.core.picture.read import Picture
from cutkey.core.results import Drawn
from cutkey.core.trace.run import Trace
from cutkey.worker.shown import GraphicView, OffView, PictureView, Rings

#: Places of the fringe that are sent, the furthest off first.
_FRINGE = 30_000


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
    thin = (
        shapely.GeometryCollection()
        if draft or nozzle <= 0
        else union([*necks(g.regions, nozzle), *slits(g.regions, nozzle)])
    )
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
        (*drawn.notes, *drawn.told),
        [shapely.get_coordinates(line) for line in drawn.open_lines],
        draft,
        drawn.frame,
        drawn.stated_mm,
        drawn.spec.width_mm,
    )


def picture_view(spec: GraphicSpec, picture: Picture, ready: Prepared) -> GraphicView:
    """Return a prepared picture that is not traced, for the light table; it is as wide as the graphic."""
    h, w = ready.rgb.shape[:2]
    scale = w / spec.width_mm
    none = np.zeros((0, 3), np.float32)
    counts = np.zeros(0, np.int64)
    to_fractions = np.linalg.inv(ready.to_pixels).astype(float)
    shown = PictureView(
        ready.rgb, to_fractions, picture.original_size, None, 0.0, None, (), counts, None, none, 0
    )
    size = (spec.width_mm, h / scale)
    nothing = as_rings(shapely.GeometryCollection())
    return GraphicView(spec.id, [], [], size, scale, (w / 2, h / 2), shown, None, nothing, (), [], False)


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
        t.thresholds,
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
        t.off.steps,
    )
