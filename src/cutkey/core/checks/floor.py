"""How much material is left under pockets and inlays."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.model.finding import Finding
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import placed_regions
from cutkey.core.place.site import Site
from cutkey.core.words import placing as say

#: Layers a floor should have at least (common practice, no source).
LAYERS = 2


def check_floor(
    body: Solid, graphic: Graphic, placement: Placement, site: Site, name: str, layer: float
) -> list[Finding]:
    """Recessed and flush regions against the material behind them.

    Under each pocket a slab of the least floor is laid; where the model does not fill it the floor is
    thinner, and the highest place of what is missing tells how thin.

    Parameters
    ----------
    body : Manifold
        The model before any graphic.
    layer : float
        Layer height, mm.
    """
    least = LAYERS * layer
    out = []
    for region in placed_regions(graphic, placement):
        rule = placement.depth_of(region.colour)
        if (
            rule.mode not in ("recessed", "flush")
            or rule.mm <= 0
            or not region.geometry.intersects(site.facet.outline)
        ):
            continue
        # Laid straight it is sunk from the lowest place under it.
        bottom = min(site.heights(region.geometry)[0], 0.0) - rule.mm if site.way == "straight" else -rule.mm
        laid = site.straight() if site.way == "straight" else site
        slab = laid.tools([region.geometry], [(bottom - least, bottom)])[0].solid
        missing = m3.Manifold.batch_boolean([slab, body], m3.OpType.Subtract)
        if missing.volume() < 1e-3 * layer:
            continue
        heights = _heights(laid, region.geometry, mesh_of(missing).vertices)
        left = max(0.0, bottom - float(heights.max()))
        if left > least - 1e-4:
            continue
        at = mesh_of(missing).vertices[int(np.argmax(heights))]
        what = name, plain_name(region.colour)
        if left < 1e-4:
            says = say.goes_right_through(*what, rule.mode, rule.mm)
        else:
            says = say.thin_floor(*what, left, rule.mm, left / layer, LAYERS)
        place = (float(at[0]), float(at[1]), float(at[2]))
        figures = round(left, 4), least, "mm"
        of = placement.id, region.colour
        out.append(Finding("floor", "look at", says, name, *figures, place, "shallower", *of))
    return out


def _heights(site: Site, geometry: shapely.Geometry, places: np.ndarray) -> np.ndarray:
    """Height of places over the surface under a region, mm."""
    if site.surface is None:
        return np.asarray((places - site.facet.origin) @ site.facet.normal)
    from scipy.spatial import cKDTree

    x0, y0, x1, y1 = geometry.bounds
    gx, gy = np.meshgrid(np.linspace(x0, x1, 80), np.linspace(y0, y1, 80))
    sheet = site.surface.lay(np.stack([gx.ravel(), gy.ravel()], 1))
    points, normals = sheet.points[sheet.found], sheet.normals[sheet.found]
    nearest = cKDTree(points).query(places)[1]
    return np.asarray(((places - points[nearest]) * normals[nearest]).sum(1))


@check(40)
def floors_hold(c: Context) -> Iterator[Finding]:
    """What is sunk leaves enough behind it."""
    for o in c.laid:
        for one in o.copies:
            yield from check_floor(c.body.solid, o.drawn.graphic, one, o.site, o.name, c.job.printer.layer)
