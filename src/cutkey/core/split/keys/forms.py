"""The forms of keys: their measures, their solids, and the ways they let two sections come apart.

Everything is in the coordinates of the cut's plane: right, up and distance, the near section below 0 and the far one above.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of, intersection, union
from cutkey.core.geometry.primitives import prism, rod
from cutkey.core.geometry.solid import Solid
from cutkey.core.screws import CLEARANCE
from cutkey.core.split.keys.key import (
    DOVETAIL_SLOPE,
    FROM_BACK,
    MAGNET_BACK,
    MOUTH,
    NUTS,
    ROOT,
    SHAPED,
    TENON_TAPER,
    WEB,
    Form,
    axis_height,
    head_room,
    head_width,
    nut_room,
)

_FAR = 1e4
#: What must be filled is looked at this far from the seam and from the back, mm.
_BESIDE, _AT_BACK = 1e-3, 0.03


class KeySolids(NamedTuple):
    """What a key adds and takes away, in plane coordinates."""

    near_socket: Solid | None
    far_socket: Solid | None
    tongue: Solid | None  # printed on, convex; begins ROOT inside its own section
    owner: int  # side of the section it is printed on, -1 or 1
    loose: tuple[Solid, ...]  # convex solids that together are the loose key in its place


def solids_of(form: Form, u: float, v: float, angle: float = 0.0, owner: int = -1) -> KeySolids:
    """Solids of a key at a place.

    Parameters
    ----------
    u, v : float
        On the face; of a key from the back, v is where its pocket ends at the back.
    angle : float
        Of a tenon on the face, degrees.
    owner : int
        Side of the section a key of a shaped seam is printed on.
    """
    make = {"dowel": _dowel, "tenon": _tenon, "dovetail": _dovetail, "bowtie": _bowtie, "magnet": _magnet, "screw": _screw}
    made = _shaped(form, owner) if form.kind in SHAPED else make[form.kind](form)

    def put(solid: Solid | None) -> Solid | None:
        return solid if solid is None else solid.rotate((0, 0, angle)).translate((u, v, 0))

    loose = tuple(s.rotate((0, 0, angle)).translate((u, v, 0)) for s in made.loose)
    return KeySolids(put(made.near_socket), put(made.far_socket), put(made.tongue), made.owner, loose)


def ways_apart(form: Form) -> tuple[tuple[float, float, float], ...] | None:
    """Directions in which the far section may leave the near one; None when only the faces bound them (half of all)."""
    if form.kind in ("dowel", "tenon", "magnet"):
        return ((0.0, 0.0, 1.0),)
    if form.kind == "dovetail":
        return ((0.0, 1.0, 0.0),)
    if form.kind == "tabs":
        return ((0.0, 1.0, 0.0), (0.0, -1.0, 0.0))
    if form.kind in ("stepped", "wave"):
        return ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0))
    return None


def travel(form: Form, thickness: float) -> float:
    """How far the far section moves until it is free of the key, mm."""
    if form.kind == "dovetail":
        return form.height + form.end_gap
    return thickness if form.kind == "tabs" else form.depth + form.end_gap


@lru_cache(maxsize=512)
def _walled(form: Form, owner: int) -> tuple[Solid | None, Solid | None]:
    """Near and far socket of a key about the origin, grown by its wall in every direction, each on its own side of the seam."""
    # A hole with few sides, drawn round the circle, is grown much sooner.
    made = _screw(form, 12) if form.kind == "screw" else solids_of(form, 0.0, 0.0, 0.0, owner)
    ball = m3.Manifold.sphere(form.wall, 16)

    def grown(socket: Solid | None, side: float) -> Solid | None:
        if socket is None:
            return None
        solid = socket.minkowski_sum(ball) if form.wall > 0 else socket
        solid = solid.trim_by_plane((0, 0, side), _BESIDE)
        # A pocket from the back is open there.
        return solid.trim_by_plane((0, 1, 0), _AT_BACK) if form.kind in FROM_BACK else solid

    return grown(made.near_socket, -1.0), grown(made.far_socket, 1.0)


def with_wall(form: Form, u: float, v: float, angle: float = 0.0, owner: int = -1) -> tuple[Solid | None, Solid | None]:
    """What must be filled on the near and the far side for a key: its sockets with the wall round them and behind their ends."""
    # How far a pocket is open beyond the back does not matter; a shaped seam is as good as the plate it stands in.
    plain = form._replace(drop=form.wall + 1.0, rise=min(form.rise, form.height)) if form.kind in FROM_BACK else form
    near, far = _walled(plain, owner)

    def put(solid: Solid | None) -> Solid | None:
        return solid if solid is None else solid.rotate((0, 0, angle)).translate((u, v, 0))

    return put(near), put(far)


def footprint(form: Form, u: float, v: float, angle: float = 0.0, owner: int = -1) -> shapely.Geometry:
    """What a key looks like on the cut face, in right and up."""
    made = solids_of(form, u, v, angle, owner)
    sockets = [s for s in (made.near_socket, made.far_socket) if s is not None]
    beside = 1e-3
    return union([area_of(s.slice(z).to_polygons()) for s in sockets for z in (-beside, beside)])


class CrossSection(NamedTuple):
    """A key cut along its length, square to up: distance from the seam (x) against right (y)."""

    sockets: shapely.Geometry
    own: shapely.Geometry  # what is printed on a section
    owner: int
    loose: shapely.Geometry


def cross_section(form: Form, owner: int = -1) -> CrossSection:
    """The section that a drawing of a key shows, through its middle."""
    made = solids_of(form, 0.0, 0.0, 0.0, owner)
    # x, y, z become distance, right and up.
    turn = np.array([[0.0, 0, 1, 0], [1, 0, 0, 0], [0, 1, 0, 0]])
    at = min(form.height, axis_height(form.size, form.wall) if form.kind == "screw" else form.height / 2) if form.kind in FROM_BACK else 0.0

    def cut(solids: Sequence[Solid | None]) -> shapely.Geometry:
        return union([area_of(s.transform(turn).slice(at).to_polygons()) for s in solids if s is not None])

    near, far = (cut([s]) for s in (made.near_socket, made.far_socket))
    # Mouths of sockets reach over the seam; what counts is on their own side.
    sockets = union([intersection(near, shapely.box(-1e3, -1e3, 0, 1e3)), intersection(far, shapely.box(0, -1e3, 1e3, 1e3))])
    return CrossSection(sockets, cut([made.tongue]), made.owner, cut(made.loose))


def _dowel(f: Form) -> KeySolids:
    hole = rod(f.size / 2 + f.clearance, f.depth + f.end_gap + MOUTH)
    below = hole.translate((0, 0, -f.depth - f.end_gap))
    return KeySolids(below, hole.translate((0, 0, -MOUTH)), None, 0, (rod(f.size / 2, 2 * f.depth).translate((0, 0, -f.depth)),))


def _magnet(f: Form) -> KeySolids:
    hole = rod(f.size / 2 + f.clearance, f.depth + MAGNET_BACK + MOUTH)
    disc = rod(f.size / 2, f.depth)
    low, high = disc.translate((0, 0, -f.depth - MAGNET_BACK)), disc.translate((0, 0, MAGNET_BACK))
    return KeySolids(hole.translate((0, 0, -f.depth - MAGNET_BACK)), hole.translate((0, 0, -MOUTH)), None, 0, (low, high))


def _tenon(f: Form) -> KeySolids:
    slope = math.tan(math.radians(TENON_TAPER))
    c = f.clearance / math.cos(math.radians(TENON_TAPER))

    def frustum(w: float, h: float, z0: float, z1: float) -> Solid:
        points = [
            (sx * (w / 2 - slope * z), sy * (h / 2 - slope * z), z) for z in (z0, z1) for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        return m3.Manifold.hull_points(np.array(points))

    socket = frustum(f.size + 2 * c, f.height + 2 * c, -MOUTH, f.depth + f.end_gap)
    return KeySolids(None, socket, frustum(f.size, f.height, -ROOT, f.depth), -1, ())


def _upright(outline: shapely.Geometry, v0: float, v1: float) -> Solid:
    """A prism over an outline in right and distance, from v0 to v1 along up."""
    # x, y, z of the prism are right, distance and up; the mirror keeps the coordinates right-handed.
    turned = prism(outline, v0, v1)
    return turned.transform(np.array([[1.0, 0, 0, 0], [0, 0, 1.0, 0], [0, 1.0, 0, 0]]))


def _wedge(waist: float, wide: float, depth: float, root: float) -> shapely.Polygon:
    """Trapezoid from the seam outwards, wide at its end; `root` behind the seam as wide as at it."""
    return shapely.Polygon(
        [(-waist / 2, -root), (waist / 2, -root), (waist / 2, 0), (wide / 2, depth), (-wide / 2, depth), (-waist / 2, 0)]
    )


def _waist(f: Form) -> float:
    return max(0.35 * f.size, f.size - 2 * f.depth * math.tan(math.radians(DOVETAIL_SLOPE)))


def _dovetail(f: Form) -> KeySolids:
    waist = _waist(f)
    plain = _wedge(waist, f.size, f.depth, 0.0)
    grown = plain.buffer(f.clearance, join_style="mitre", mitre_limit=10)
    mouth = shapely.box(-waist / 2 - 2 * f.clearance, -MOUTH, waist / 2 + 2 * f.clearance, 0)
    tongue = _upright(union([plain, shapely.box(-waist / 2, -ROOT, waist / 2, 0)]), -f.drop, f.height)
    return KeySolids(None, _upright(union([grown, mouth]), -f.drop, f.height + f.end_gap), tongue, -1, ())


def _bowtie(f: Form) -> KeySolids:
    waist = 0.5 * f.size
    half = [shapely.Polygon([(-waist / 2, 0), (waist / 2, 0), (f.size / 2, s * f.depth), (-f.size / 2, s * f.depth)]) for s in (-1, 1)]
    pocket = union(half)
    key = pocket.buffer(-f.clearance, join_style="mitre", mitre_limit=10)
    near = _upright(union([half[0], shapely.box(-waist / 2, -0.01, waist / 2, MOUTH)]), -f.drop, f.height)
    far = _upright(union([half[1], shapely.box(-waist / 2, -MOUTH, waist / 2, 0.01)]), -f.drop, f.height)
    loose = tuple(
        _upright(intersection(key, shapely.box(-f.size, min(0, s) * f.depth, f.size, max(0, s) * f.depth)), 0.0, f.height - f.end_gap)
        for s in (-1, 1)
    )
    return KeySolids(near, far, None, 0, loose)


def _shaped(f: Form, owner: int) -> KeySolids:
    if f.kind == "stepped":
        outline = shapely.box(-f.size / 2, 0, f.size / 2, f.depth)
    elif f.kind == "tabs":
        outline = _wedge(max(0.4 * f.size, f.size - 2 * f.depth * math.tan(math.radians(DOVETAIL_SLOPE))), f.size, f.depth, 0.0)
    else:
        outline = _lobe(f.size, f.depth)
    grown = outline.buffer(f.clearance, join_style="mitre", mitre_limit=10)
    foot = float(np.ptp([x for x, y in outline.exterior.coords if abs(y) < 1e-9]))
    tongue = union([outline, shapely.box(-foot / 2, -ROOT, foot / 2, 0)])
    if f.kind == "wave":
        tongue = outline  # with a foot a lobe would not be convex; it begins where the lobe is cut a little deeper
        tongue = _lobe(f.size, f.depth, ROOT)
    made = [_upright(_mirrored(g, owner), -f.drop, f.rise) for g in (union([grown, shapely.box(-foot / 2, -MOUTH, foot / 2, 0)]), tongue)]
    near, far = (made[0], None) if owner > 0 else (None, made[0])
    return KeySolids(near, far, made[1], owner, ())


def _lobe(width: float, depth: float, root: float = 0.0) -> shapely.Polygon:
    """Segment of a circle on the seam; with a root it goes on below it."""
    radius = (width * width / 4 + depth * depth) / (2 * depth)
    centre = depth - radius
    disc = shapely.Point(0, centre).buffer(radius, quad_segs=16)
    return intersection(disc, shapely.box(-_FAR, -root, _FAR, _FAR))


def _mirrored(outline: shapely.Geometry, owner: int) -> shapely.Geometry:
    """For a key printed on the far section: the other way about."""
    return outline if owner < 0 else shapely.transform(outline, lambda p: p * (-1.0, -1.0))


def _screw(f: Form, sides: int = 64) -> KeySolids:
    """A hole through both webs, with pockets from the back for the head and for the nut, which cannot turn in its own."""
    axis = axis_height(f.size, f.wall)
    radius = CLEARANCE[f"M{f.size:g}"] / 2 / (1.0 if sides == 64 else math.cos(math.pi / sides))
    hole = rod(radius, WEB + MOUTH, sides).translate((0, axis, 0))
    head, flats = head_width(f.size) / 2 + f.clearance, NUTS[f.size] / 2 + f.clearance
    near = _upright(shapely.box(-head, -WEB - head_room(f.size), head, -WEB), -f.drop, axis + head)
    far = _upright(shapely.box(-flats, WEB, flats, WEB + nut_room(f.size)), -f.drop, axis + NUTS[f.size] / math.sqrt(3) + f.clearance)
    return KeySolids(near + hole.translate((0, 0, -WEB - 0.1)), far + hole.translate((0, 0, 0.1 - MOUTH)), None, 0, ())
