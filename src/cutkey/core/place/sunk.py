"""Where graphics are sunk into the model or cut through it.

Places that are no colour of their own, and are no place for a seam.
"""

from __future__ import annotations

import numpy as np
import shapely

from cutkey.core.geometry.graphic import Graphic
from cutkey.core.model.placement import Placement
from cutkey.core.place.carve import placed_regions
from cutkey.core.place.copies import instances
from cutkey.core.place.site import Site

Box = tuple[np.ndarray, np.ndarray]


def sunk_boxes(graphic: Graphic, placement: Placement, site: Site) -> list[Box]:
    """Boxes of every piece of a placed graphic that is recessed or goes through.

    Low and high corner in mm.
    """
    out = []
    facet = site.facet
    for one in instances(placement, site.middle):
        for region in placed_regions(graphic, one, facet.outline):
            rule = placement.depth_of(region.colour)
            if rule.mode not in ("recessed", "through"):
                continue
            for piece in shapely.get_parts(region.geometry):
                x0, y0, x1, y1 = piece.bounds
                flat = np.array([(x, y, z) for x in (x0, x1) for y in (y0, y1) for z in (-rule.mm, 0.0)])
                corners = facet.origin + flat @ np.stack([facet.right, facet.up, facet.normal])
                out.append((corners.min(0), corners.max(0)))
    return out
