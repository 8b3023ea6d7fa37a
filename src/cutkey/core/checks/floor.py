"""How much material is left under pockets and inlays."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.areas import grown
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.rays import material_ahead
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.model.finding import Finding
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import placed_regions
from cutkey.core.place.site import Site
from cutkey.core.words import placing as say

#: Layers a floor should have at least (common practice, no source).
LAYERS = 2
#: Thickness is measured from this far under the surface, mm.
_IN = 5e-3


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
        hole = mesh_of(missing)
        places = np.concatenate([hole.vertices, hole.vertices[hole.triangles].mean(1)])
        heights, straight = _heights(laid, region.geometry, places)
        # Where the surface falls away beside thick material the slab comes out at its side: what is behind
        # the pocket itself, straight in from the surface, is thick enough there.
        thin = np.array([_behind(body, p, n) + bottom < least - 1e-4 for p, n in straight], bool)
        if not thin.any():
            continue
        heights = np.where(thin, heights, -np.inf)
        left = max(0.0, bottom - float(heights.max()))
        if left > least - 1e-4:
            continue
        at = places[int(np.argmax(heights))]
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


def _behind(body: Solid, place: Float, normal: Float) -> float:
    """Thickness of the model straight in from a place on its surface, mm."""
    return float(material_ahead(body, (place - _IN * normal)[None], -normal)[0]) + _IN


def _heights(
    site: Site, geometry: shapely.Geometry, places: Float
) -> tuple[Float, list[tuple[Float, Float]]]:
    """Height of places over the surface under a region, mm, and the surface's place and direction there."""
    facet = site.facet
    if site.surface is None:
        heights = np.asarray((places - facet.origin) @ facet.normal)
        return heights, [(p, facet.normal) for p in places - heights[:, None] * facet.normal]
    from scipy.spatial import cKDTree

    x0, y0, x1, y1 = geometry.bounds
    gx, gy = np.meshgrid(np.linspace(x0, x1, 80), np.linspace(y0, y1, 80))
    xy = np.stack([gx.ravel(), gy.ravel()], 1)
    sheet = site.surface.lay(xy[shapely.intersects_xy(grown(geometry, 0.01), xy[:, 0], xy[:, 1])])
    points, normals = sheet.points[sheet.found], sheet.normals[sheet.found]
    if not len(points):
        return np.full(len(places), -np.inf), [(p, facet.normal) for p in places]
    nearest = cKDTree(points).query(places)[1]
    heights = np.asarray(((places - points[nearest]) * normals[nearest]).sum(1))
    return heights, list(zip(points[nearest], normals[nearest], strict=True))


@check(40)
def floors_hold(c: Context) -> Iterator[Finding]:
    """What is sunk leaves enough behind it."""
    for o in c.laid:
        for one in o.copies:
            yield from check_floor(c.body.solid, o.drawn.graphic, one, o.site, o.name, c.job.printer.layer)
