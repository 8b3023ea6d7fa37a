"""Carrying out add-ons on a body."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely
import shapely.ops

from cutkey.core.addons.kind import Feature, Where
from cutkey.core.errors import BadInput
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import Facet, Facets, face_to_model, facet_at, facet_near
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import PAST
from cutkey.core.geometry.rays import thickness_behind
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.addon import AddOn
from cutkey.core.place.copies import spots


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


def fit_out(
    parts: Sequence[Part], solid: Solid, mesh: Mesh, facets: Facets, addons: Sequence[AddOn]
) -> FittedOut:
    """The body with add-ons carried out: what is added first, then what is taken away, mirroring last.

    Every add-on is placed on the bare body, so that one does not move the other. A body of one colour stays
    one solid throughout; in one of several, what is added is of the first colour.

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
    halves: list[tuple[Feature, Facet]] = []
    out: list[Spot] = []
    numbers = [facet_near(mesh, facets, np.array(a.point), np.array(a.normal)) for a in addons]
    borders: dict[int, float] = {}
    for addon, number in zip(addons, numbers, strict=True):
        borders[number] = max(borders.get(number, 0.0), addon.feature.rise)
    for addon, number in zip(addons, numbers, strict=True):
        facet, feature = facet_at(mesh, facets, number), addon.feature
        if feature.mirrors:
            halves.append((feature, facet))
            continue
        across = (mesh.vertices - facet.origin) @ facet.right
        for (x, y), spin in spots(
            addon.offset, addon.spin, addon.copies, float(across.min() + across.max()) / 2
        ):
            # A loop hangs over the edge; the place that was clicked tells how thick the body is.
            spot = (
                _on_body(facet, addon.point)
                if feature.hangs
                else facet.origin + facet.right * x + facet.up * y
            )
            behind = thickness_behind(solid, spot, facet.normal)
            # What is let into a face goes through the border on it too.
            tools = feature.tools(Where(facet, solid, behind, _through(solid), PAST + borders[number]))
            turn = math.radians(spin)
            c, s = math.cos(turn), math.sin(turn)
            place = np.array([[c, -s, 0, x], [s, c, 0, y], [0, 0, 1, 0]], float)
            if feature.whole_face:
                place = np.eye(3, 4)
            to_model = face_to_model(facet)
            added += [t.transform(place).transform(to_model) for t in tools.more]
            taken += [t.transform(place).transform(to_model) for t in tools.less]
            frame = to_model @ np.vstack([place, [0, 0, 0, 1]])
            out.append(Spot(addon, frame, tools.taken, tools.bottom, tools.top, tools.sunk))
    fitted = [
        Part(p.colour, _carried_out(p.solid, added if n == 0 else [], taken, halves))
        for n, p in enumerate(parts)
    ]
    if len(fitted) == 1:
        whole = fitted[0].solid
    else:
        whole = _carried_out(solid, added, taken, halves)
        fitted[0] = Part(
            fitted[0].colour, m3.Manifold.batch_boolean([p.solid for p in fitted], m3.OpType.Subtract)
        )
    if whole.is_empty():
        raise BadInput("The add-ons leave nothing of the body; make one of them smaller.")
    return FittedOut([p for p in fitted if not p.solid.is_empty()], whole, out)


def _on_body(facet: Facet, point: tuple[float, float, float]) -> np.ndarray:
    """The place of a face nearest to a point, a little inside its edge.

    The body may have become smaller since it was clicked.
    """
    off = np.array(point) - facet.origin
    p = q = shapely.Point(off @ facet.right, off @ facet.up)
    if not facet.outline.contains(p):
        inner = facet.outline.buffer(-0.5)
        q, _ = shapely.ops.nearest_points(facet.outline if inner.is_empty else inner, p)
    return np.asarray(facet.origin + facet.right * q.x + facet.up * q.y)


def _carried_out(
    solid: Solid, added: Sequence[Solid], taken: Sequence[Solid], halves: Sequence[tuple[Feature, Facet]]
) -> Solid:
    if added:
        solid = m3.Manifold.batch_boolean([solid, *added], m3.OpType.Add)
    if taken:
        solid = m3.Manifold.batch_boolean([solid, *taken], m3.OpType.Subtract)
    for half, facet in halves:
        solid = half.mirrored(solid, facet)
    return solid


def _through(solid: Solid) -> float:
    """A depth that goes right through the body, mm."""
    low, high = bounds_of(solid)
    return float(np.linalg.norm(high - low)) + 1
