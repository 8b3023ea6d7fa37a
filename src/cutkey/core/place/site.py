"""Where a graphic lies: a flat face of the model, or a stretch of curved surface that it follows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.errors import BadInput
from cutkey.core.geometry.apart import stitched
from cutkey.core.geometry.areas import coverage_union, intersection
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.facets import (
    FEATURE_DEGREES,
    FLAT_MM,
    Facet,
    Facets,
    axes_of,
    face_to_model,
    facet_at,
    facet_near,
    facets_in_plane,
)
from cutkey.core.geometry.mesh import Mesh, face_normals, neighbours
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import Solid
from cutkey.core.model.placement import Follow, Way
from cutkey.core.place.drape import Draped, drape
from cutkey.core.place.surface import Surface, surface_at


class Site(NamedTuple):
    """A place for a graphic; `facet` gives its plane and outline, `surface` what is curved."""

    way: Way
    facet: Facet
    surface: Surface | None = None
    rim: float = 0.0  # height of the bare model over the place's plane, mm
    middle: float = 0.0  # how far right of the place's middle the model's mid-plane lies, mm

    def tools(
        self, geometries: Sequence[shapely.Geometry], spans: Sequence[tuple[float, float]]
    ) -> list[Draped]:
        """Solids over regions, each from low to high, mm above the surface.

        What runs over the edge is trimmed.
        """
        if self.surface is not None:
            return drape(geometries, spans, self.surface) if geometries else []
        out = []
        for geometry, (low, high) in zip(geometries, spans, strict=True):
            inside = self.facet.outline.contains(geometry)
            lost = 0.0 if inside else float(geometry.area - intersection(geometry, self.facet.outline).area)
            out.append(Draped(self._prism(geometry, low, high), 0.0, lost, 0, None))
        return out

    def together(
        self,
        draped: Sequence[Draped],
        geometries: Sequence[shapely.Geometry],
        spans: Sequence[tuple[float, float]],
    ) -> list[Solid]:
        """The solids of `tools` as one for each span.

        Regions that share a boundary without the walls between them.
        """
        out = []
        for span in dict.fromkeys(spans):
            mine = [k for k, s in enumerate(spans) if s == span]
            if len(mine) == 1:
                out.append(draped[mine[0]].solid)
            elif self.surface is not None:
                out.append(stitched([draped[k].solid for k in mine]))
            else:
                out.append(
                    self._prism(
                        coverage_union([p for k in mine for p in shapely.get_parts(geometries[k])]), *span
                    )
                )
        return out

    def _prism(self, geometry: shapely.Geometry, low: float, high: float) -> Solid:
        """A prism over the face, trimmed to its outline."""
        solid = prism(geometry, low, high)
        if not self.facet.outline.contains(geometry):
            solid = solid ^ prism(self.facet.outline, low - 1, high + 1)
        return solid.transform(face_to_model(self.facet))

    def straight(self) -> Site:
        """The same place without following its surface."""
        return self._replace(surface=None)

    def heights(self, geometry: shapely.Geometry) -> tuple[float, float]:
        """Lowest and highest place of the surface under a region, mm from the place's plane."""
        if self.surface is None:
            return 0.0, 0.0
        inside = intersection(geometry, self.surface.outline)
        x0, y0, x1, y1 = inside.bounds if not inside.is_empty else (0, 0, 0, 0)
        gx, gy = np.meshgrid(np.linspace(x0, x1, 40), np.linspace(y0, y1, 40))
        edge = (
            shapely.get_coordinates(shapely.segmentize(inside.boundary, 0.5))
            if not inside.is_empty
            else np.zeros((1, 2))
        )
        xy = np.concatenate(
            [np.stack([gx.ravel(), gy.ravel()], 1)[shapely.contains_xy(inside, gx.ravel(), gy.ravel())], edge]
        )
        sheet = self.surface.lay(xy)
        z = (sheet.points[sheet.found] - self.facet.origin) @ self.facet.normal
        return (float(z.min()), float(z.max())) if len(z) else (0.0, 0.0)

    def at(self, xy: Float) -> tuple[Float, Float]:
        """Places (N, 3) on the surface, and outward normals there, of points (N, 2) of the plane.

        Parameters
        ----------
        xy : ndarray, (N, 2), float64
            mm.

        Returns
        -------
        tuple of ndarray, (N, 3), float64
            mm, and unit length.
        """
        f = self.facet
        plain = f.origin + xy[:, :1] * f.right + xy[:, 1:] * f.up
        normals = np.tile(f.normal, (len(xy), 1))
        if self.surface is not None:
            sheet = self.surface.lay(xy)
            plain = np.where(sheet.found[:, None], sheet.points, plain)
            normals = np.where(sheet.found[:, None], sheet.normals, normals)
        return plain, normals


def counted_from(facet: Facet, mesh: Mesh, facets: Facets, bare: Mesh, bare_facets: Facets) -> Facet:
    """Return a face whose places are counted from the middle of the face before add-ons.

    A loop, a hole or a channel changes the outline of a face, and not where its middle is.

    Parameters
    ----------
    facet : Facet
        Of the finished body.
    mesh, facets
        The finished body.
    bare, bare_facets
        The body before its add-ons.

    Returns
    -------
    Facet
        With all of the finished body that lies in the plane of the bare face and meets it; the same facet
        where no bare face lies in its plane (the top of a border).
    """
    level = facets_in_plane(bare, bare_facets, facet.origin, facet.normal)
    faces = [facet_at(bare, bare_facets, n) for n in level.tolist()]
    reached = [f for f in faces if shapely.distance(_outline_about(f, facet.origin), facet.outline) < FLAT_MM]
    if not reached:
        return facet
    own = max(reached, key=lambda f: intersection(_outline_about(f, facet.origin), facet.outline).area)
    finished = [
        _outline_about(f, own.origin)
        for f in (facet_at(mesh, facets, n) for n in facets_in_plane(mesh, facets, own.origin, own.normal))
    ]
    mine = _outline_about(facet, own.origin)
    parts = [g for g in finished if g.equals(mine) or intersection(g, own.outline).area > 0]
    outline = coverage_union(parts) if len(parts) > 1 else mine
    return Facet(own.origin, own.normal, own.right, own.up, outline, float(outline.area))


def _outline_about(facet: Facet, origin: Float) -> shapely.Geometry:
    """Return the outline of a facet about another point of its plane, mm right and up."""
    off = facet.origin - origin
    move = np.array([off @ facet.right, off @ facet.up])
    return shapely.transform(facet.outline, lambda p: p + move)


def site_of(
    mesh: Mesh,
    facets: Facets,
    point: Float,
    normal: Float,
    follow: Follow,
    reach: float,
    graphic: tuple[float, float],
    bare: tuple[Mesh, Facets] | None = None,
) -> Site:
    """The face or the stretch of surface at a place.

    Parameters
    ----------
    mesh, facets
        Of the model with its add-ons.
    point, normal : (3,)
        The place, and its outward direction.
    follow : str
        "auto" lies flat on a flat face, wraps round cylinders and cones, and is projected on anything else.
    reach : float
        How far from the place the graphic may lie, mm.
    graphic : tuple
        Its width and height, mm.
    bare : (Mesh, Facets), optional
        The model before add-ons, from whose faces places are counted; the model itself when left out.
    """
    number = facet_near(mesh, facets, point, normal)
    facet = facet_at(mesh, facets, number)
    flat = is_face(mesh, facets, number, facet, graphic)
    if flat and follow in ("auto", "flat"):
        before = bare[0] if bare is not None else mesh
        if bare is not None:
            facet = counted_from(facet, mesh, facets, *bare)
        rim, middle = _rim_and_middle(mesh, facet)
        return Site(
            "face", facet, None, rim, _rim_and_middle(before, facet)[1] if bare is not None else middle
        )
    if follow in ("auto", "wrap"):
        try:
            surface = surface_at(mesh, point, normal, reach, wrap=True)
            return Site("wrap", _facet_of(surface), surface, *_rim_and_middle(mesh, _facet_of(surface)))
        except BadInput:
            if follow == "wrap":
                raise
    surface = surface_at(mesh, point, _steadied(mesh, point, normal, 0.15 * min(graphic)), reach)
    facet = _facet_of(surface)
    return Site("straight" if follow == "flat" else "project", facet, surface, *_rim_and_middle(mesh, facet))


def _steadied(mesh: Mesh, point: Float, normal: Float, radius: float) -> Float:
    """The direction of a curved surface at a place, not of the one triangle that was met there."""
    normals, areas = face_normals(mesh)
    away = np.linalg.norm(mesh.vertices[mesh.triangles].mean(1) - point, axis=1)
    near = (normals @ normal > np.cos(np.radians(FEATURE_DEGREES))) & (away < max(radius, 1.0))
    weight = areas * near * np.clip(1 - away / max(radius, 1.0), 0, 1)
    total = (normals * weight[:, None]).sum(0)
    return total / np.linalg.norm(total) if weight.sum() > 0 and near.sum() > 2 else normal


def _rim_and_middle(mesh: Mesh, facet: Facet) -> tuple[float, float]:
    across = (mesh.vertices - facet.origin) @ facet.right
    return float(((mesh.vertices - facet.origin) @ facet.normal).max()), float(
        across.min() + across.max()
    ) / 2


def _facet_of(surface: Surface) -> Facet:
    return Facet(
        surface.origin,
        surface.normal,
        surface.right,
        surface.up,
        surface.outline,
        float(surface.outline.area),
    )


def is_face(mesh: Mesh, facets: Facets, number: int, facet: Facet, graphic: tuple[float, float]) -> bool:
    """Whether a facet is a face of its own, and not one of the many that make up a curved surface.

    Parameters
    ----------
    mesh : Mesh
    facets : Facets
        Of the mesh.
    number : int
        Of the facet.
    facet : Facet
    graphic : (float, float)
        Size of what is to be laid there, mm.
    """
    pairs = neighbours(mesh)
    one, other = facets.owner[pairs.one] == number, facets.owner[pairs.other] == number
    rim = one ^ other
    if not rim.any():
        return True
    normals, _ = face_normals(mesh)
    length = np.linalg.norm(mesh.vertices[pairs.low[rim]] - mesh.vertices[pairs.high[rim]], axis=1)
    cosine = (normals[pairs.one[rim]] * normals[pairs.other[rim]]).sum(1)
    sharp = float(length[cosine < np.cos(np.radians(FEATURE_DEGREES))].sum() / length.sum())
    box = shapely.minimum_rotated_rectangle(facet.outline)
    ring = np.asarray(box.exterior.coords) if box.geom_type == "Polygon" else np.zeros((5, 2))
    sides = sorted((float(np.hypot(*(ring[1] - ring[0]))), float(np.hypot(*(ring[2] - ring[1])))))
    return sharp > 0.5 or all(have > 0.35 * need for have, need in zip(sides, sorted(graphic), strict=True))


def place_facing(mesh: Mesh, direction: Float) -> tuple[Float, Float]:
    """The place of a model that is seen first in its middle from a direction.

    And the surface's own direction there.

    Parameters
    ----------
    mesh : Mesh
    direction : ndarray, (3,), float64
        Towards the eye, unit length.

    Returns
    -------
    tuple of ndarray, (3,), float64
    """
    right, up = axes_of(direction)
    flat = np.stack([mesh.vertices @ right, mesh.vertices @ up], 1)
    middle = (flat.min(0) + flat.max(0)) / 2
    normals, _ = face_normals(mesh)
    t = np.flatnonzero(normals @ direction > 0.05)
    if len(t) == 0:
        raise BadInput("The model has no surface on that side; choose another face or a point on it.")
    a, b, c = np.moveaxis(flat[mesh.triangles[t]] - middle, 1, 0)
    w = np.stack([_cross(b, c), _cross(c, a), _cross(a, b)], 1)
    hit = (w >= 0).all(1) & (w.sum(1) > 1e-12)
    if hit.any():
        weight = w[hit] / w[hit].sum(1)[:, None]
        points = np.einsum("nk,nkd->nd", weight, mesh.vertices[mesh.triangles[t[hit]]])
        first = int(np.argmax(points @ direction))
        return points[first], normals[t[hit][first]]
    centre = mesh.vertices[mesh.triangles[t]].mean(1)
    nearest = int(np.argmin(np.hypot(*(np.stack([centre @ right, centre @ up], 1) - middle).T)))
    return centre[nearest], normals[t[nearest]]


def on_one_surface(one: Site, other: Site) -> bool:
    """Whether two places are of the same flat face, or both on a curve and turned the same way."""
    if (one.surface is None) != (other.surface is None):
        return False
    a, b = one.facet, other.facet
    if one.surface is not None:
        return float(a.normal @ b.normal) > 0.5
    return bool(np.allclose(a.normal, b.normal, atol=1e-6) and abs((a.origin - b.origin) @ a.normal) < 1e-6)


def _cross(a: Float, b: Float) -> Float:
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
