"""One layer of the design, as it is printed: who has which area of it."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.colouring.costs import layer_middles
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.areas import area_of, difference, grown, union
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.job import Job
from cutkey.core.results import Design
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.shown import LayerArea, LayerView
from cutkey.worker.views import view_of_mesh

#: Gaps between colours up to this wide are looked for, mm; smaller than so many mm2 they are rounding.
_GAP, _LEAST = 0.3, 0.01


def layer_view(job: Job, evaluator: Evaluator, design: Design, number: int) -> LayerView:
    """The layer with a number, from 1, cut half way up."""
    filaments = evaluator.filaments(job)
    z = layer_middles(float(design.low[2]), float(design.high[2]), job.printer)
    k = int(np.clip(number - 1, 0, len(z) - 1))
    top = float(z[k]) + (job.printer.layer if k else job.printer.first_layer or job.printer.layer) / 2
    found: dict[str, list[np.ndarray]] = {}
    for part in design.parts:
        rings = [np.asarray(r, float) for r in part.solid.slice(float(z[k])).to_polygons()]
        if rings:
            found.setdefault(filaments[part.colour].name, []).extend(rings)
    by_name = {f.name: f.colour for f in filaments.values()}
    areas, caps = {n: area_of(rings) for n, rings in found.items()}, []
    for name, rings in found.items():
        flat = [np.c_[r, np.full(len(r), top)] for r in rings]
        triangles = np.asarray(m3.triangulate(rings), np.int64)
        caps.append((by_name[name], view_of_mesh(Mesh(np.concatenate(flat), triangles))))
    whole = union(list(areas.values())) if areas else shapely.Polygon()
    gaps = difference(grown(grown(whole, _GAP / 2), -_GAP / 2), whole) if len(areas) > 1 else shapely.Polygon()
    parts = [g for g in shapely.get_parts(gaps) if g.geom_type == "Polygon" and g.area > _LEAST and _between(g, list(areas.values()))]
    shown = [LayerArea(n, by_name[n], as_rings(a), float(a.area)) for n, a in areas.items()]
    widest = max((2 * float(shapely.maximum_inscribed_circle(g).length) for g in parts), default=0.0)
    return LayerView(k + 1, len(z), top, shown, caps, as_rings(shapely.MultiPolygon(parts)), widest)


def _between(gap: shapely.Polygon, areas: list[shapely.Geometry]) -> bool:
    """Whether a gap lies between two colours, not in a corner of one."""
    return sum(bool(a.dwithin(gap, 1e-3)) for a in areas) > 1
