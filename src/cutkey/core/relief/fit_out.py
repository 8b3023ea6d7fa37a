"""Carrying out add-ons on a body."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely
import shapely.ops
from numpy.typing import NDArray

from cutkey.core.areas import difference, filled_out, grown, intersection
from cutkey.core.errors import BadInput
from cutkey.core.relief.carve import Part
from cutkey.core.relief.copies import spots
from cutkey.core.relief.features import CLEARANCE, HEAD, AddOn, Border, Channel, Half, Hole, Hollow, Loop, Magnet, ScrewHole
from cutkey.core.relief.footprint import QUARTER, disc, groove, pocket
from cutkey.core.relief.frame import face_to_model, model_to_face
from cutkey.core.relief.hollow import cavity, depth_of
from cutkey.core.relief.site import PAST, thickness_behind
from cutkey.core.solids.facets import Facet, Facets, facet_at, facet_near
from cutkey.core.solids.mesh import Mesh
from cutkey.core.solids.primitives import prism
from cutkey.core.solids.solid import Solid, bounds_of

Float = NDArray[np.float64]


class Spot(NamedTuple):
    """One place of an add-on, as it was carried out."""

    addon: AddOn
    frame: Float  # (3, 4) from the place (right, up, out of the face) to the model, mm
    taken: shapely.Geometry  # outline, about the place, of what was taken away; empty when nothing was
    bottom: float  # of what was taken, mm out of the face; -inf right through
    top: float
    sunk: float = 0.0  # depth of a countersink, mm


class FittedOut(NamedTuple):
    """A body with its add-ons."""

    parts: list[Part]  # by colour
    solid: Solid
    spots: list[Spot]


class _Tools(NamedTuple):
    """What one add-on adds and takes away about its place, z out of the face."""

    more: list[Solid]
    less: list[Solid]
    taken: shapely.Geometry
    bottom: float = -math.inf
    top: float = PAST
    sunk: float = 0.0


def fit_out(parts: Sequence[Part], solid: Solid, mesh: Mesh, facets: Facets, addons: Sequence[AddOn]) -> FittedOut:
    """The body with add-ons carried out: what is added first, then what is taken away, mirroring last.

    Every add-on is placed on the bare body, so that one does not move the other. A body of one colour stays one solid throughout;
    in one of several, what is added is of the first colour.

    Parameters
    ----------
    parts : sequence of Part
        The bare body by colour.
    solid, mesh, facets
        The same as one.
    addons : sequence of AddOn
    """
    added: list[Solid] = []
    taken: list[Solid] = []
    halves: list[tuple[Half, Facet]] = []
    out: list[Spot] = []
    numbers = [facet_near(mesh, facets, np.array(a.point), np.array(a.normal)) for a in addons]
    borders: dict[int, float] = {}
    for addon, number in zip(addons, numbers, strict=True):
        if isinstance(addon.feature, Border):
            borders[number] = max(borders.get(number, 0.0), addon.feature.height)
    for addon, number in zip(addons, numbers, strict=True):
        facet, feature = facet_at(mesh, facets, number), addon.feature
        if isinstance(feature, Half):
            halves.append((feature, facet))
            continue
        across = (mesh.vertices - facet.origin) @ facet.right
        for (x, y), spin in spots(addon.offset, addon.spin, addon.copies, float(across.min() + across.max()) / 2):
            # A loop hangs over the edge; the place that was clicked tells how thick the body is.
            spot = _on_body(facet, addon.point) if isinstance(feature, Loop) else facet.origin + facet.right * x + facet.up * y
            behind = thickness_behind(solid, spot, facet.normal)
            # What is let into a face goes through the border on it too.
            tools = _tools(feature, facet, behind, _through(solid, facet), solid, PAST + borders.get(number, 0.0))
            turn = math.radians(spin)
            c, s = math.cos(turn), math.sin(turn)
            place = np.array([[c, -s, 0, x], [s, c, 0, y], [0, 0, 1, 0]], float)
            if isinstance(feature, Border | Hollow):
                place = np.eye(3, 4)
            to_model = face_to_model(facet)
            added += [t.transform(place).transform(to_model) for t in tools.more]
            taken += [t.transform(place).transform(to_model) for t in tools.less]
            frame = to_model @ np.vstack([place, [0, 0, 0, 1]])
            out.append(Spot(addon, frame, tools.taken, tools.bottom, tools.top, tools.sunk))
    fitted = [Part(p.colour, _carried_out(p.solid, added if n == 0 else [], taken, halves)) for n, p in enumerate(parts)]
    if len(fitted) == 1:
        whole = fitted[0].solid
    else:
        whole = _carried_out(solid, added, taken, halves)
        fitted[0] = Part(fitted[0].colour, m3.Manifold.batch_boolean([p.solid for p in fitted], m3.OpType.Subtract))
    if whole.is_empty():
        raise BadInput("The add-ons leave nothing of the body; make one of them smaller.")
    return FittedOut([p for p in fitted if not p.solid.is_empty()], whole, out)


def _on_body(facet: Facet, point: tuple[float, float, float]) -> np.ndarray:
    """The place of a face nearest to a point, a little inside its edge: the body may have become smaller since it was clicked."""
    off = np.array(point) - facet.origin
    p = q = shapely.Point(off @ facet.right, off @ facet.up)
    if not facet.outline.contains(p):
        inner = facet.outline.buffer(-0.5)
        q, _ = shapely.ops.nearest_points(facet.outline if inner.is_empty else inner, p)
    return np.asarray(facet.origin + facet.right * q.x + facet.up * q.y)


def _carried_out(solid: Solid, added: Sequence[Solid], taken: Sequence[Solid], halves: Sequence[tuple[Half, Facet]]) -> Solid:
    if added:
        solid = m3.Manifold.batch_boolean([solid, *added], m3.OpType.Add)
    if taken:
        solid = m3.Manifold.batch_boolean([solid, *taken], m3.OpType.Subtract)
    for half, facet in halves:
        solid = _mirrored(solid, half, facet)
    return solid


def _through(solid: Solid, facet: Facet) -> float:
    """A depth that goes right through the body, mm."""
    low, high = bounds_of(solid)
    return float(np.linalg.norm(high - low)) + 1


def _tools(feature: object, facet: Facet, behind: float, through: float, body: Solid, past: float) -> _Tools:
    """Tools of an add-on; `past` is how far those that are let in reach over the face."""
    if isinstance(feature, Hole):
        round_ = disc(feature.diameter)
        depth = feature.depth or through
        return _Tools([], [prism(round_, -depth, past)], round_, -feature.depth if feature.depth else -math.inf)
    if isinstance(feature, ScrewHole):
        hole = CLEARANCE[feature.size]
        tools = [prism(disc(hole), -through, past)]
        if not feature.countersunk:
            return _Tools([], tools, disc(hole))
        head = HEAD[feature.size]
        deep = (head - hole) / 2
        tools.append(m3.Manifold.cylinder(deep + PAST, hole / 2, head / 2 + PAST, 4 * QUARTER).translate((0, 0, -deep)))
        if past > PAST:
            tools.append(prism(disc(head + 2 * PAST), PAST - 0.01, past))
        return _Tools([], tools, disc(hole), sunk=deep)
    if isinstance(feature, Loop):
        thick = feature.thickness or behind
        if thick <= 0:
            raise BadInput("There is no body behind the loop's place to tell its thickness; give it one.")
        ring, hole_area = disc(feature.hole + 2 * feature.wall), disc(feature.hole)
        return _Tools([prism(ring, -thick, 0.0)], [prism(hole_area, -thick - PAST, past)], hole_area)
    if isinstance(feature, Magnet):
        shape = pocket(feature)
        top = -feature.roof if feature.roof > 0 else past
        bottom = -feature.roof - feature.height
        return _Tools([], [prism(shape, bottom, top)], shape, bottom, min(top, PAST))
    if isinstance(feature, Border):
        outline = facet.outline if feature.holes else filled_out(facet.outline)
        band = difference(outline, grown(outline, -feature.width, join_style="mitre"))
        band = intersection(band, facet.outline)
        return _Tools([prism(band, -0.01, feature.height)] if not band.is_empty else [], [], shapely.Polygon())
    if isinstance(feature, Hollow):
        tool = cavity(body.transform(model_to_face(facet)), facet.outline, feature.wall, feature.floor, past)
        if tool.is_empty():
            raise BadInput("The walls and the floor leave nothing to hollow out; make them thinner.")
        return _Tools([], [tool], grown(facet.outline, -feature.wall, join_style="mitre"), -depth_of(tool))
    assert isinstance(feature, Channel)
    shape = groove(feature, facet.outline)
    return _Tools([], [prism(shape, -feature.depth, past)], shape, -feature.depth)


def _mirrored(solid: Solid, half: Half, facet: Facet) -> Solid:
    axis = facet.right if half.keep in ("left", "right") else facet.up
    out = axis if half.keep in ("right", "upper") else -axis
    at = float(facet.origin @ out)
    # The halves meet in one plane; a hair of overlap closes the seam, 0.01 mm (common practice, no source).
    kept = solid.trim_by_plane(tuple(out), at - 0.005)
    # Mirroring goes through the origin, so the plane is moved there and back.
    twin = kept.translate(tuple(-at * out)).mirror(tuple(out)).translate(tuple(at * out))
    return kept + twin
