"""Solids that follow a surface: a flat region laid on it and thickened along its normals."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.areas import intersection
from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.primitives import region_rings
from cutkey.core.geometry.solid import Solid, solid_as_is
from cutkey.core.place.surface import STEEPEST, Spread, Surface
from cutkey.core.solids.parting import parted

#: Longest and shortest edge of the triangles a region is laid out in, mm.
LONGEST, SHORTEST = 2.0, 0.3
#: Largest distance between an edge and the surface it stands for, mm.
SAG = 0.004
#: A region that turns further than this from the direction it comes from is stretched, degrees.
STEEP = 60.0
_MOST = 400_000
#: The same edge in the graphic's plane, mm: as short as it is on the steepest surface that is followed; and
#: what rises more than that over the plane is no surface but a jump from one layer of it to another.
_SHORTEST_FLAT = SHORTEST * math.cos(math.radians(STEEPEST))
_JUMP = 2.0 / math.cos(math.radians(STEEPEST))
_NEEDLE = 0.03  # height of a triangle, mm, under which it is one


class Draped(NamedTuple):
    """A thickened region and how it lies."""

    solid: Solid
    steep: float  # mm2 of it where the surface turns away by more than `STEEP`
    missed: float  # mm2 that found no surface
    folded: int  # triangles that stayed folded over after smoothing
    steep_at: tuple[float, float, float] | None  # the steepest place


def drape(
    geometries: Sequence[shapely.Geometry], spans: Sequence[tuple[float, float]], surface: Surface
) -> list[Draped]:
    """Thicken regions, each from its `low` to its `high`, mm along the surface's normals.

    All are laid out as one sheet, so that regions which share a boundary share its points and its directions,
    and their solids fit without gap.

    Parameters
    ----------
    geometries : sequence of Polygon or MultiPolygon
        In the surface's plane, mm; they do not overlap.
    spans : sequence of (low, high)
        Below 0 is inside the model.
    surface : Surface
    """
    missed = np.zeros(len(geometries))
    points, triangles, owners = [np.zeros((0, 2))], [np.zeros((0, 3), np.int64)], [np.zeros(0, np.int64)]
    for k, geometry in enumerate(geometries):
        inside = intersection(geometry, surface.outline)
        missed[k] = geometry.area - inside.area
        parts = [p for p in shapely.get_parts(inside) if p.geom_type == "Polygon" and p.area > 1e-6]
        if parts:
            xy, t = _triangulated(parts)
            triangles.append(t + sum(len(p) for p in points))
            points.append(xy)
            owners.append(np.full(len(t), k))
    every, same = np.unique(np.concatenate(points), axis=0, return_inverse=True)
    t, owner = same.reshape(-1)[np.concatenate(triangles)], np.concatenate(owners)
    # Points that fell together leave triangles of no area, which no solid can have.
    real = (t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])
    xy, t, owner, sheet = _refined(every, t[real], owner[real], surface)
    whole = sheet.found[t].all(1) & ~_jumps(xy, sheet, t)
    normals, fold = _unfolded(sheet, t[whole], min(s[0] for s in spans), max(s[1] for s in spans))
    kept = np.array(whole)
    # A sheet that folds over would overlap itself; what does not come straight after all is left out, and
    # said so.
    kept[np.flatnonzero(whole)[fold]] = False
    tilt = surface.tilt(sheet)
    areas = np.abs(_areas(xy, t))
    out = []
    for k, (low, high) in enumerate(spans):
        mine = owner == k
        here = t[mine & kept]
        steep = tilt[here].max(1) > STEEP if len(here) else np.zeros(0, bool)
        worst = here[int(np.argmax(tilt[here].max(1)))] if steep.any() else None
        place = None if worst is None else tuple(float(v) for v in sheet.points[worst].mean(0))
        lost = float(missed[k] + areas[mine & ~kept].sum())
        solid = _thickened(sheet.points, normals, here, low, high)
        folded = int((mine & whole & ~kept).sum())
        out.append(Draped(solid, float(areas[mine & kept][steep].sum()), lost, folded, place))  # type: ignore[arg-type]
    return out


def _jumps(xy: Float, sheet: Spread, triangles: Int) -> Bool:
    """Which triangles reach from one layer of the surface to another."""
    out = np.zeros(len(triangles), bool)
    for k in range(3):
        a, b = triangles[:, k], triangles[:, (k + 1) % 3]
        flat = np.hypot(*(xy[a] - xy[b]).T)
        out |= np.linalg.norm(sheet.points[a] - sheet.points[b], axis=1) > _JUMP * flat + SHORTEST
    return out


def _areas(xy: Float, triangles: Int) -> Float:
    a, b, c = np.moveaxis(xy[triangles], 1, 0)
    return np.asarray(
        ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
    )


def _triangulated(polygons: list[shapely.Polygon]) -> tuple[Float, Int]:
    """Points and counter-clockwise triangles of polygons, on their own vertices only."""
    points, triangles = [], []
    begin = 0
    for polygon in polygons:
        xy, t = _of_one(polygon)
        triangles.append(t + begin)
        points.append(xy)
        begin += len(xy)
    return np.concatenate(points), np.concatenate(triangles)


def _of_one(polygon: shapely.Polygon) -> tuple[Float, Int]:
    """Points and triangles of one polygon.

    One whose hole touches its edge, or another hole, is triangulated by the geometry library: it takes the
    place where they touch for a corner of both.
    """
    rings = region_rings(polygon)
    xy = np.concatenate(rings)
    t = np.asarray(m3.triangulate(rings, 0.0, True), np.int64).reshape(-1, 3)
    areas = _areas(xy, t)
    if (areas > 0).all() and abs(float(areas.sum()) - polygon.area) < 1e-9 * polygon.area:
        return xy, t
    parts = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
    corners = np.array([shapely.get_coordinates(p)[:3] for p in parts if p.area > 0])
    turned = _areas(corners.reshape(-1, 2), np.arange(3 * len(corners)).reshape(-1, 3)) < 0
    corners[turned] = corners[turned, ::-1]
    xy, same = np.unique(corners.reshape(-1, 2), axis=0, return_inverse=True)
    return xy, same.reshape(-1, 3)


def _refined(xy: Float, triangles: Int, owner: Int, surface: Surface) -> tuple[Float, Int, Int, Spread]:
    """Triangles halved along their edges until each edge lies close to the surface.

    `owner` is the region of each triangle.
    """
    sheet = surface.lay(xy)
    # points there were when edges were last looked at; edges between older ones have been found good
    before = 0
    for _ in range(14):
        edges = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
        key, inverse = np.unique(edges[:, 0] * len(xy) + edges[:, 1], return_inverse=True)
        fresh = np.flatnonzero(key % len(xy) >= before)
        a, b = key[fresh] // len(xy), key[fresh] % len(xy)
        before = len(xy)
        middle = (xy[a] + xy[b]) / 2
        there = surface.lay(middle)
        ends = (sheet.points[a] + sheet.points[b]) / 2
        length = np.linalg.norm(sheet.points[a] - sheet.points[b], axis=1)
        off = np.linalg.norm(there.points - ends, axis=1)
        unknown = ~np.isfinite(length) | ~np.isfinite(off)
        flat = np.hypot(*(xy[a] - xy[b]).T)
        cut = (length > LONGEST) | ((off > SAG) & (length > SHORTEST)) | (unknown & (flat > SHORTEST))
        # Where the surface jumps an edge stays long however short it is in the plane.
        cut &= flat > _SHORTEST_FLAT
        if not cut.any() or len(triangles) > _MOST:
            break
        number = np.full(len(key), -1)
        number[fresh[cut]] = len(xy) + np.arange(int(cut.sum()))
        xy = np.concatenate([xy, middle[cut]])
        sheet = Spread(*(np.concatenate([one, other[cut]]) for one, other in zip(sheet, there, strict=True)))
        triangles, parent = _split(triangles, number[inverse].reshape(-1, 3))
        owner = owner[parent]
    return xy, triangles, owner, sheet


def _split(triangles: Int, middle: Int) -> tuple[Int, Int]:
    """Triangles cut at the new points in the middle of their edges.

    -1 where there is none. And which one each came from.
    """
    count = (middle >= 0).sum(1)
    number = np.arange(len(triangles))
    out, parent = [triangles[count == 0]], [number[count == 0]]

    def add(which: Bool, *corners: tuple[Int, Int, Int]) -> None:
        for c in corners:
            out.append(np.stack(c, 1)[which])
            parent.append(number[which])

    a, b, c = triangles.T
    ab, bc, ca = middle.T
    add(count == 3, (a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))
    for _ in range(3):
        add((count == 1) & (ab >= 0), (a, ab, c), (ab, b, c))
        add((count == 2) & (ab >= 0) & (bc >= 0), (ab, b, bc), (a, ab, bc), (a, bc, c))
        a, b, c, ab, bc, ca = b, c, a, bc, ca, ab
    return np.concatenate(out), np.concatenate(parent)


def _unfolded(sheet: Spread, triangles: Int, low: float, high: float) -> tuple[Float, Bool]:
    """Normals, smoothed as much as it takes, and which triangles stay folded.

    Neither side of the thickened sheet is to fold over.
    """
    normals = sheet.normals
    fold = np.zeros(len(triangles), bool)
    if len(triangles) == 0:
        return normals, fold
    edges = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    both = np.concatenate([edges, edges[:, ::-1]])
    n = len(sheet.points)
    flat = sheet.points[triangles]
    base = np.cross(flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0])
    # Needles turn over at a breath and hold nothing.
    sound = np.linalg.norm(base, axis=1) > _NEEDLE * np.linalg.norm(flat - np.roll(flat, 1, 1), axis=2).max(1)
    for _ in range(60):
        fold = np.zeros(len(triangles), bool)
        for away in (low, high):
            p = (sheet.points + away * normals)[triangles]
            fold |= (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) * base).sum(1) <= 0
        fold &= sound
        if not fold.any():
            break
        # Smooth where it folds and a little around.
        near = np.zeros(n, bool)
        near[triangles[fold]] = True
        for _ in range(3):
            near[both[near[both[:, 0]], 1]] = True
        total = normals + np.stack([np.bincount(both[:, 0], normals[both[:, 1], k], n) for k in range(3)], 1)
        total /= np.maximum(np.linalg.norm(total, axis=1), 1e-12)[:, None]
        normals = np.where(near[:, None], total, normals)
    return normals, fold


def _thickened(points: Float, normals: Float, triangles: Int, low: float, high: float) -> Solid:
    if len(triangles) == 0:
        return m3.Manifold()
    used, flat = np.unique(triangles, return_inverse=True)
    t = flat.reshape(-1, 3)
    p, n, count = points[used], normals[used], len(used)
    edges = t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    key, back = edges[:, 0] * count + edges[:, 1], edges[:, 1] * count + edges[:, 0]
    a, b = edges[~np.isin(key, back)].T
    # The same diagonal from either side, so that the walls of neighbours are one.
    up = (a < b)[:, None]
    lower = np.where(up, np.stack([a, b, b + count], 1), np.stack([a, b, a + count], 1))
    upper = np.where(up, np.stack([a, b + count, a + count], 1), np.stack([b, b + count, a + count], 1))
    walls = np.concatenate([lower, upper])
    vertices = np.concatenate([p + low * n, p + high * n])
    faces = np.concatenate([t[:, ::-1], t + count, walls])
    mesh = Mesh(vertices, faces)
    solid = solid_as_is(mesh)
    if solid.status() != m3.Error.NoError:
        # Two parts of the sheet that touch at a point share the wall there, and are told apart.
        solid = solid_as_is(parted(mesh))
    return solid
