"""The sides of a model by name."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import Facets, axes_of, facet_at, largest_facing
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.model.placement import SIDES, Follow, SidePlace
from cutkey.core.place.site import is_face, place_facing


def place_on_side(mesh: Mesh, facets: Facets, side: str, follow: Follow = "auto") -> SidePlace:
    """The outermost large face of a side, or the middle of a side that is curved.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
        Of the mesh.
    side : str
        One of `SIDES`.
    follow : str
        How a graphic is to follow the surface there.

    Raises
    ------
    BadInput
        When the model has no surface on that side.
    """
    direction = np.array(SIDES[side], float)
    size = float(np.ptp(mesh.vertices @ axes_of(direction)[0]))
    if follow in ("project", "wrap") or not (facets.normal @ direction > 0.99).any():
        return _place(*place_facing(mesh, direction), 0.4 * size)
    number = largest_facing(facets, direction, mesh)
    facet = facet_at(mesh, facets, number)
    if not is_face(mesh, facets, number, facet, (size, size)):
        # One of the many facets of a curve: the middle of that side is meant.
        return _place(*place_facing(mesh, direction), 0.4 * size)
    x0, _, x1, _ = facet.outline.bounds
    # The facet's own point nearest its middle names it, since the middle may lie in a hole.
    inside = facet.outline.representative_point()
    return _place(facet.origin + facet.right * inside.x + facet.up * inside.y, facet.normal, 0.6 * (x1 - x0))


def _place(point: Float, normal: Float, width: float) -> SidePlace:
    (x, y, z), (nx, ny, nz) = point.tolist(), normal.tolist()
    return SidePlace((x, y, z), (nx, ny, nz), float(width))
