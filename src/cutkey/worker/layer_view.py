"""One layer of the design, as it is printed: who has which area of it."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.colouring.costs import layer_middles
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.areas import area_of, difference, grown, union
from cutkey.core.model.job import Job
from cutkey.core.results import Design
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.shown import LayerArea, LayerView, MeshView, Rings

#: Gaps between colours up to this wide are looked for, mm; smaller than so many mm2 they are rounding.
_GAP, _LEAST = 0.3, 0.01
#: Corners of a face that is filled at once.
_SOON = 1200


def layer_view(job: Job, evaluator: Evaluator, design: Design, number: int, quick: bool = False) -> LayerView:
    """The layer with a number, from 1, cut half way up; `quick` leaves out what takes long."""
    filaments = evaluator.filaments(job)
    low, high, down = float(design.low[2]), float(design.high[2]), job.colouring.face_down
    z = layer_middles(low, high, job.printer)
    k = int(np.clip(number - 1, 0, len(z) - 1))
    thick = job.printer.layer if k else job.printer.first_layer or job.printer.layer
    top = float(z[k]) + thick / 2
    if down:
        # The last layer may reach beyond what was the underside.
        z, top = np.maximum(low + high - z, low + 1e-6), low + high - top
    found: dict[str, list[np.ndarray]] = {}
    for part in design.parts:
        rings = [np.asarray(r, float) for r in part.solid.slice(float(z[k])).to_polygons()]
        if rings:
            found.setdefault(filaments[part.colour].name, []).extend(rings)
    colours = {f.name: f.colour for f in filaments.values()}
    shown = []
    for name, rings in found.items():
        flat = _rings(rings)
        shown.append(LayerArea(name, colours[name], flat, _area(flat)))
    # While the cursor goes on, faces of very many corners are left open.
    caps = [
        (colours[n], cap(rings, top))
        for n, rings in found.items()
        if not quick or sum(map(len, rings)) <= _SOON
    ]
    gaps, widest = (
        (Rings(np.zeros((0, 2)), np.zeros(1, np.int32)), 0.0)
        if quick or len(found) < 2
        else _gaps(list(found.values()))
    )
    return LayerView(k + 1, len(z), top, shown, caps, gaps, widest, not quick, down)


def _rings(rings: list[np.ndarray]) -> Rings:
    return Rings(np.concatenate(rings), np.r_[0, np.cumsum([len(r) for r in rings])].astype(np.int32))


def _area(rings: Rings) -> float:
    """Signed, so that holes count against what is around them."""
    points = np.asarray(rings.points, float)
    points = points - points.mean(0)
    following = np.roll(points, -1, 0)
    following[rings.first[1:] - 1] = points[rings.first[:-1]]
    return float((points[:, 0] * following[:, 1] - points[:, 1] * following[:, 0]).sum()) / 2


def cap(rings: list[np.ndarray], top: float) -> MeshView:
    """A flat face over rings."""
    xy = np.concatenate(rings)
    points = np.c_[xy, np.full(len(xy), top)].astype(np.float32)
    triangles = np.asarray(m3.triangulate(rings), np.int32).reshape(-1, 3)
    return MeshView(
        points, triangles, np.zeros((0, 2), np.int32), None, np.stack([points.min(0), points.max(0)])
    )


def _gaps(found: list[list[np.ndarray]]) -> tuple[Rings, float]:
    """What is left free between colours, and how wide it is at most, mm."""
    areas = [area_of(rings) for rings in found]
    whole = union(areas)
    gaps = difference(grown(grown(whole, _GAP / 2), -_GAP / 2), whole)
    parts = [
        g
        for g in shapely.get_parts(gaps)
        if g.geom_type == "Polygon" and g.area > _LEAST and _between(g, areas)
    ]
    widest = max((2 * float(shapely.maximum_inscribed_circle(g).length) for g in parts), default=0.0)
    return as_rings(shapely.MultiPolygon(parts)), widest


def _between(gap: shapely.Polygon, areas: list[shapely.Geometry]) -> bool:
    """Whether a gap lies between two colours, not in a corner of one."""
    return sum(bool(a.dwithin(gap, 1e-3)) for a in areas) > 1
