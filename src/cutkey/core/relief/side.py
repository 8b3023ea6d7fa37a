"""The sides of a model by name."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.relief.placement import SIDES, Follow, SidePlace
from cutkey.core.relief.site import is_face, place_facing
from cutkey.core.solids.facets import Facets, axes_of, facet_at, largest_facing
from cutkey.core.solids.mesh import Mesh

Float = NDArray[np.float64]


def place_on_side(mesh: Mesh, facets: Facets, side: str, follow: Follow = "auto") -> SidePlace:
    """The outermost large face of a side, or the middle of a side that is curved.

    Raises
    ------
    BadInput
        When the model has no surface on that side.
    """
    direction = np.array(SIDES[side], float)
    size = float(np.ptp(mesh.vertices @ axes_of(direction)[0]))
    if follow in ("project", "wrap") or not (facets.normal @ direction > 0.99).any():
        return SidePlace(*place_facing(mesh, direction), 0.4 * size)
    number = largest_facing(facets, direction, mesh)
    facet = facet_at(mesh, facets, number)
    if not is_face(mesh, facets, number, facet, (size, size)):
        # One of the many facets of a curve: the middle of that side is meant.
        return SidePlace(*place_facing(mesh, direction), 0.4 * size)
    x0, _, x1, _ = facet.outline.bounds
    # The facet's own point nearest its middle names it, since the middle may lie in a hole.
    inside = facet.outline.representative_point()
    return SidePlace(facet.origin + facet.right * inside.x + facet.up * inside.y, facet.normal, 0.6 * (x1 - x0))
