"""Carrying out add-ons on a body."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.errors import BadInput
from cutkey.core.relief.copies import spots
from cutkey.core.relief.features import CLEARANCE, HEAD, AddOn, Border, Channel, Half, Hole, Hollow, Loop, Magnet, ScrewHole
from cutkey.core.relief.frame import face_to_model
from cutkey.core.relief.site import PAST, thickness_behind
from cutkey.core.solids.facets import Facet, Facets, facet_at, facet_near
from cutkey.core.solids.mesh import Mesh
from cutkey.core.solids.primitives import prism
from cutkey.core.solids.solid import Solid, bounds_of

Float = NDArray[np.float64]
_QUARTER = 24  # straight pieces of a quarter circle


class FittedOut(NamedTuple):
    """A body with its add-ons."""

    solid: Solid
    floors: dict[str, float]  # material left behind each pocket or hollow, mm, by add-on


def fit_out(solid: Solid, mesh: Mesh, facets: Facets, addons: Sequence[AddOn]) -> FittedOut:
    """The body with add-ons carried out: what is added first, then what is taken away, mirroring last.

    Every add-on is placed on the bare body, so that one does not move the other.

    Parameters
    ----------
    solid, mesh, facets
        The bare body.
    addons : sequence of AddOn
    """
    added: list[Solid] = []
    taken: list[Solid] = []
    halves: list[tuple[Half, Facet]] = []
    floors: dict[str, float] = {}
    for addon in addons:
        number = facet_near(mesh, facets, np.array(addon.point), np.array(addon.normal))
        facet = facet_at(mesh, facets, number)
        feature = addon.feature
        if isinstance(feature, Half):
            halves.append((feature, facet))
            continue
        across = (mesh.vertices - facet.origin) @ facet.right
        for (x, y), spin in spots(addon.offset, addon.spin, addon.copies, float(across.min() + across.max()) / 2):
            # A loop hangs over the edge; the place that was clicked tells how thick the body is.
            spot = np.array(addon.point) if isinstance(feature, Loop) else facet.origin + facet.right * x + facet.up * y
            behind = thickness_behind(solid, spot, facet.normal)
            more, less, floor = _tools(feature, facet, behind, _through(solid, facet))
            turn = math.radians(spin)
            c, s = math.cos(turn), math.sin(turn)
            place = np.array([[c, -s, 0, x], [s, c, 0, y], [0, 0, 1, 0]], float)
            if isinstance(feature, Border | Hollow):
                place = np.eye(3, 4)
            to_model = face_to_model(facet)
            added += [t.transform(place).transform(to_model) for t in more]
            taken += [t.transform(place).transform(to_model) for t in less]
            if floor is not None:
                floors[addon.id] = min(floors.get(addon.id, math.inf), floor)
    if added:
        solid = m3.Manifold.batch_boolean([solid, *added], m3.OpType.Add)
    if taken:
        solid = m3.Manifold.batch_boolean([solid, *taken], m3.OpType.Subtract)
    for half, facet in halves:
        solid = _mirrored(solid, half, facet)
    if solid.is_empty():
        raise BadInput("The add-ons leave nothing of the body; make one of them smaller.")
    return FittedOut(solid, floors)


def _through(solid: Solid, facet: Facet) -> float:
    """A depth that goes right through the body, mm."""
    low, high = bounds_of(solid)
    return float(np.linalg.norm(high - low)) + 1


def _disc(diameter: float) -> shapely.Geometry:
    # Circumscribed, so that what is to fit does fit.
    return shapely.Point(0, 0).buffer(diameter / 2 / math.cos(math.pi / 4 / _QUARTER), quad_segs=_QUARTER)


def _tools(feature: object, facet: Facet, behind: float, through: float) -> tuple[list[Solid], list[Solid], float | None]:
    """What is added and what is taken away about the place, z out of the face; and the floor that is left."""
    if isinstance(feature, Hole):
        depth = feature.depth or through
        return [], [prism(_disc(feature.diameter), -depth, PAST)], behind - feature.depth if feature.depth else None
    if isinstance(feature, ScrewHole):
        hole = CLEARANCE[feature.size]
        tools = [prism(_disc(hole), -through, PAST)]
        if feature.countersunk:
            head = HEAD[feature.size]
            deep = (head - hole) / 2
            tools.append(m3.Manifold.cylinder(deep + PAST, hole / 2, head / 2 + PAST, 4 * _QUARTER).translate((0, 0, -deep)))
        return [], tools, None
    if isinstance(feature, Loop):
        thick = feature.thickness or behind
        if thick <= 0:
            raise BadInput("There is no body behind the loop's place to tell its thickness; give it one.")
        ring = _disc(feature.hole + 2 * feature.wall)
        return [prism(ring, -thick, 0.0)], [prism(_disc(feature.hole), -thick - PAST, PAST)], None
    if isinstance(feature, Magnet):
        wide, long = feature.width + 2 * feature.clearance, feature.length + 2 * feature.clearance
        shape = shapely.box(-wide / 2, -long / 2, wide / 2, long / 2) if feature.length > 0 else _disc(wide)
        top = -feature.roof if feature.roof > 0 else PAST
        bottom = -feature.roof - feature.height
        return [], [prism(shape, bottom, top)], behind + bottom
    if isinstance(feature, Border):
        outline = (
            facet.outline if feature.holes else shapely.union_all([shapely.Polygon(p.exterior) for p in shapely.get_parts(facet.outline)])
        )
        band = shapely.difference(outline, shapely.buffer(outline, -feature.width, join_style="mitre"))
        band = shapely.intersection(band, facet.outline)
        return [prism(band, -0.01, feature.height)] if not band.is_empty else [], [], None
    if isinstance(feature, Hollow):
        inner = shapely.buffer(facet.outline, -feature.wall, join_style="mitre")
        depth = behind - feature.floor
        if inner.is_empty or depth <= 0:
            raise BadInput("The walls and the floor leave nothing to hollow out; make them thinner.")
        return [], [prism(inner, -depth, PAST)], feature.floor
    assert isinstance(feature, Channel)
    path = list(feature.path)
    if len(path) < 2:
        path = [(-feature.length / 2, 0.0), (feature.length / 2, 0.0)]
    line = shapely.LineString(path)
    if feature.exit:
        (x0, y0), (x1, y1) = path[-2:]
        far = max(np.ptp(np.array(facet.outline.bounds).reshape(2, 2), axis=0).max(), 1.0) * 2
        size = math.hypot(x1 - x0, y1 - y0) or 1.0
        line = shapely.LineString([*path, (x1 + (x1 - x0) / size * far, y1 + (y1 - y0) / size * far)])
    groove = shapely.buffer(line, feature.width / 2, cap_style="flat", join_style="mitre")
    return [], [prism(groove, -feature.depth, PAST)], behind - feature.depth


def _mirrored(solid: Solid, half: Half, facet: Facet) -> Solid:
    axis = facet.right if half.keep in ("left", "right") else facet.up
    out = axis if half.keep in ("right", "upper") else -axis
    at = float(facet.origin @ out)
    # The halves meet in one plane; a hair of overlap closes the seam, 0.01 mm (common practice, no source).
    kept = solid.trim_by_plane(tuple(out), at - 0.005)
    # Mirroring goes through the origin, so the plane is moved there and back.
    twin = kept.translate(tuple(-at * out)).mirror(tuple(out)).translate(tuple(at * out))
    return kept + twin
