"""The sides of a model by name."""

from __future__ import annotations

import numpy as np
import shapely

from cutkey.core.errors import BadInput
from cutkey.core.geometry.areas import intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import Facet, Facets, axes_of, facet_at
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.rays import free_ahead
from cutkey.core.geometry.solid import Solid
from cutkey.core.model.placement import SIDES, Follow, Offset, SidePlace
from cutkey.core.place.site import is_face, place_facing

#: Facets of a side that are looked at, the largest first, and rays that are sent to each.
_LOOKED_AT, _RAYS = 40, 60
#: A graphic of the suggested size in the middle of a face has at least this share of it on the face.
_ON_FACE = 0.5
#: Width of a graphic as a share of its face.
_SHARE = 0.6


def place_on_side(
    solid: Solid,
    mesh: Mesh,
    facets: Facets,
    side: str,
    follow: Follow = "auto",
    graphic: tuple[float, float] | None = None,
) -> SidePlace:
    """Return the outermost large face of a side, or the middle of a side that is curved.

    Parameters
    ----------
    solid, mesh, facets
        Of the model.
    side : str
        One of `SIDES`.
    follow : str
        How a graphic is to follow the surface there.
    graphic : (float, float), optional
        Its width and height, mm; as suggested when left out.

    Raises
    ------
    BadInput
        When the model has no surface on that side.
    """
    direction = np.array(SIDES[side], float)
    size = float(np.ptp(mesh.vertices @ axes_of(direction)[0]))
    try:
        if follow not in ("project", "wrap"):
            number = outermost_facing(solid, mesh, facets, direction)
            facet = facet_at(mesh, facets, number)
            if is_face(mesh, facets, number, facet, (size, size)):
                return _on_face(facet, graphic)
    except BadInput:
        pass  # No flat face is seen from there: the middle of that side is meant.
    return _place(*place_facing(mesh, direction), 0.4 * size)


def outermost_facing(solid: Solid, mesh: Mesh, facets: Facets, direction: Float) -> int:
    """Return the number of the facet of which most is seen from outside in a direction.

    Parameters
    ----------
    solid, mesh, facets
        Of the model.
    direction : ndarray, (3,), float64
        Towards the eye, unit length.

    Raises
    ------
    BadInput
        When none faces it, or all that do lie under other material.
    """
    facing = np.flatnonzero(facets.normal @ direction > 0.99)
    if not len(facing):
        raise BadInput("The model has no flat face on that side; choose another face or a point on it.")
    largest = facing[np.argsort(-facets.area[facing], kind="stable")][:_LOOKED_AT]
    seen = np.zeros(len(largest))
    for k, number in enumerate(largest.tolist()):
        # No later facet can show more than all of itself.
        if facets.area[number] <= seen.max(initial=0.0):
            break
        seen[k] = facets.area[number] * seen_from(
            solid, _spread(mesh, facets, number) + 1e-3 * facets.normal[number], direction
        )
    if seen.max() <= 0:
        raise BadInput("Every flat face on that side lies under other material; choose a point on the model.")
    return int(largest[np.argmax(seen)])


def seen_from(solid: Solid, places: Float, direction: Float) -> float:
    """Return the share of places that nothing of the solid hides in a direction.

    Parameters
    ----------
    solid : Solid
    places : ndarray, (N, 3), float64
        Just off the surface, mm.
    direction : ndarray, (3,), float64
        Towards the eye, unit length.
    """
    return float(free_ahead(solid, places, direction).mean())


def middle_on(facet: Facet, graphic: tuple[float, float] | None = None) -> Offset:
    """Return where on a face a graphic goes whose place nobody gave: mm right and up from its middle.

    The middle itself, or the middle of the widest free place where the face has its hole there.

    Parameters
    ----------
    facet : Facet
    graphic : (float, float), optional
        Its width and height, mm; as suggested when left out.
    """
    x0, y0, x1, y1 = facet.outline.bounds
    half = np.array(graphic) / 2 if graphic else _SHARE / 2 * np.array([x1 - x0, y1 - y0])
    about = shapely.box(-half[0], -half[1], half[0], half[1])
    inside = float(intersection(about, facet.outline).area) > _ON_FACE * about.area
    if inside or facet.outline.contains(shapely.Point(0, 0)):
        return 0.0, 0.0
    widest = shapely.maximum_inscribed_circle(facet.outline, tolerance=0.01 * float(max(x1 - x0, y1 - y0)))
    x, y = (float(v) for v in widest.coords[0])
    return x, y


def _on_face(facet: Facet, graphic: tuple[float, float] | None) -> SidePlace:
    x, y = middle_on(facet, graphic)
    x0, _, x1, _ = facet.outline.bounds
    width = _SHARE * (x1 - x0)
    if (x, y) != (0.0, 0.0):
        free = shapely.maximum_inscribed_circle(facet.outline, tolerance=0.01)
        width = min(width, float(free.length) * 2 * _SHARE)
    at = shapely.Point(x, y)
    if not facet.outline.contains(at):
        # A point of the facet's own names it, since the middle may lie in a hole.
        at = facet.outline.representative_point()
    point = facet.origin + facet.right * at.x + facet.up * at.y
    return _place(point, facet.normal, width, (x, y))


def _place(point: Float, normal: Float, width: float, offset: Offset = (0.0, 0.0)) -> SidePlace:
    (x, y, z), (nx, ny, nz) = point.tolist(), normal.tolist()
    return SidePlace((x, y, z), (nx, ny, nz), float(width), offset)


def _spread(mesh: Mesh, facets: Facets, number: int) -> Float:
    """Places (N, 3) spread evenly over a facet by its area, the same each time."""
    mine = mesh.vertices[mesh.triangles[facets.owner == number]]
    areas = np.linalg.norm(np.cross(mine[:, 1] - mine[:, 0], mine[:, 2] - mine[:, 0]), axis=1)
    chance = np.random.default_rng(7)
    chosen = mine[chance.choice(len(mine), _RAYS, p=areas / areas.sum())]
    u, v = chance.random((2, _RAYS, 1))
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    return np.asarray(chosen[:, 0] + u * (chosen[:, 1] - chosen[:, 0]) + v * (chosen[:, 2] - chosen[:, 0]))
