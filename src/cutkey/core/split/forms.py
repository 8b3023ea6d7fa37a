"""The forms of keys: their measures, their solids, and the ways they let two sections come apart.

Everything is in the coordinates of the cut's plane: right, up and distance, the near section below 0 and the far one above.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Literal, NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.areas import area_of, intersection, union
from cutkey.core.relief.features import CLEARANCE
from cutkey.core.solids.primitives import prism, rod
from cutkey.core.solids.solid import Solid
from cutkey.core.split.settings import Keys, Seam
from cutkey.core.units import format_mm

Kind = Literal["dowel", "tenon", "dovetail", "bowtie", "magnet", "screw", "stepped", "wave", "tabs"]
#: Kinds that lie on the seam from the back (the low side of the face), or go through from back to front.
FROM_BACK = ("dovetail", "bowtie", "screw", "stepped", "wave", "tabs")
SHAPED = ("stepped", "wave", "tabs")
#: A key printed on begins this far inside its own section, so that both are one solid, mm.
ROOT = 0.3
#: A socket begins this far outside, so that nothing is left over its mouth, mm.
MOUTH = 0.5
#: Faces of magnets stand back from the cut by this, mm.
MAGNET_BACK = 0.1
#: Slope of a tenon's sides and of a dovetail's, degrees.
TENON_TAPER, DOVETAIL_SLOPE = 3.0, 14.0
#: Height of a tenon as a share of its width.
TENON_HEIGHT = 0.62
#: Material clamped between a screw's head and the seam, and as much on the nut's side, mm.
WEB = 4.0
_FAR = 1e4
#: What must be filled is looked at this far from the seam and from the back, mm.
_BESIDE, _AT_BACK = 1e-3, 0.03
#: Width across flats of nuts (ISO 4032, from memory), mm; the heads of socket screws are about as wide (ISO 4762, from memory).
NUTS: dict[float, float] = {2.0: 4.0, 2.5: 5.0, 3.0: 5.5, 4.0: 7.0, 5.0: 8.0, 6.0: 10.0, 8.0: 13.0}


class Form(NamedTuple):
    """Measures of a key, mm."""

    kind: Kind
    size: float  # diameter or greatest width
    depth: float  # into each section; of a bow-tie half its length
    height: float  # along the face's up: of a tenon; from the back of a bow-tie, dovetail or screw
    clearance: float
    end_gap: float
    wall: float
    stock: str = "printed"
    drop: float = 1.0  # of one from the back: how far below its place its pocket is open
    rise: float = 1.0  # of a shaped seam: how far above its place the design goes

    @property
    def reach(self) -> tuple[float, float]:
        """How far it goes into the near and the far section."""
        d = self.depth + self.end_gap
        if self.kind == "screw":
            return WEB + _head_room(self.size), WEB + _nut_room(self.size)
        if self.kind in ("tenon", "dovetail", *SHAPED):
            return ROOT, d
        if self.kind == "magnet":
            return self.depth + MAGNET_BACK, self.depth + MAGNET_BACK
        return (d, d) if self.kind == "dowel" else (self.depth, self.depth)

    @property
    def half(self) -> tuple[float, float]:
        """Half the room it takes along right and up on the face, without the wall; up does not matter to one from the back."""
        if self.kind == "tenon":
            c = self.clearance / math.cos(math.radians(TENON_TAPER))
            return self.size / 2 + c, self.height / 2 + c
        if self.kind == "screw":
            return _head(self.size) / 2 + self.clearance + 0.5, 0.0
        r = self.size / 2 + self.clearance * (1.4 if self.kind in FROM_BACK else 1.0)
        return r, r

    @property
    def loose(self) -> bool:
        """Whether it is a thing of its own, rather than a part of a section."""
        return self.kind in ("dowel", "bowtie", "magnet", "screw")

    def described(self) -> str:
        """For lists: ``Dowel 4 × 20``."""
        f = format_mm
        if self.kind == "dowel":
            what = {"printed": "Dowel", "wood": "Wooden dowel", "metal": "Metal rod"}[self.stock]
            return f"{what} {f(self.size)} × {f(2 * self.depth)}"
        if self.kind == "bowtie":
            return f"Bow-tie {f(self.size)} × {f(2 * self.depth)} × {f(self.height - self.end_gap)}"
        if self.kind == "magnet":
            return f"Magnet {f(self.size)} × {f(self.depth)}"
        if self.kind == "screw":
            return f"Screw M{f(self.size)} × {math.ceil(2 * WEB + 0.8 * self.size + 1)} with nut"
        return f"{self.kind} {f(self.size)} × {f(self.depth)}"


class KeySolids(NamedTuple):
    """What a key adds and takes away, in plane coordinates."""

    near_socket: Solid | None
    far_socket: Solid | None
    tongue: Solid | None  # printed on, convex; begins ROOT inside its own section
    owner: int  # side of the section it is printed on, -1 or 1
    loose: tuple[Solid, ...]  # convex solids that together are the loose key in its place


def form_of(kind: Kind, keys: Keys, size: float, depth: float, thickness: float) -> Form:
    """Measures of a key of a kind and size.

    Parameters
    ----------
    depth : float
        0 for what is usual with the size.
    thickness : float
        Height of the face, mm.
    """
    end = keys.end_gap
    height = size
    if kind == "dowel":
        depth = depth or float(np.clip(2.5 * size, 5.0, 15.0))
    elif kind == "tenon":
        depth, height = depth or float(np.clip(size, 3.0, 12.0)), TENON_HEIGHT * size
    elif kind == "dovetail":
        depth, height = depth or 0.5 * size, max(0.0, thickness - max(keys.wall, 0.2 * thickness) - end)
    elif kind == "bowtie":
        depth, height = depth or 0.8 * size, max(0.0, min(0.6 * thickness, thickness - keys.wall, 6.0))
    elif kind == "magnet":
        depth = depth or 2.0
    elif kind == "screw":
        size = min(NUTS, key=lambda k: abs(k - size))
        height = _axis(size, keys.wall) + max(_head(size) / 2, NUTS[size] / math.sqrt(3)) + keys.clearance
    return Form(kind, size, round(depth, 3), round(height, 3), keys.clearance, end, keys.wall, keys.stock)


def printed_overhang(keys: Keys) -> float:
    """How far keys of these settings reach over a cut at most, mm; loose ones do not."""
    if keys.kind == "tenon":
        return keys.depth or 12.0
    return (keys.depth or 8.0) if keys.kind == "dovetail" else 0.0


def seam_form(seam: Seam, thickness: float, wall: float) -> Form:
    """Measures of one step, wave or tab of a shaped seam."""
    share = {"stepped": 0.5, "wave": 0.5, "tabs": 0.55}[seam.shape]
    return Form(seam.shape, share * seam.pitch, seam.reach, thickness, seam.clearance, seam.clearance, wall)  # type: ignore[arg-type]


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
    at = min(form.height, _axis(form.size, form.wall) if form.kind == "screw" else form.height / 2) if form.kind in FROM_BACK else 0.0

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


def _head(size: float) -> float:
    return 1.5 * size + 1.0


def _axis(size: float, wall: float) -> float:
    """Height of a screw's axis over the back: material under its hole, and its nut inside, mm."""
    return max(CLEARANCE[f"M{size:g}"] / 2 + wall, NUTS[size] / math.sqrt(3) + 0.3)


def _head_room(size: float) -> float:
    """Length of the pocket for the head and the key that turns it, mm."""
    return 3.0 * size + 6.0


def _nut_room(size: float) -> float:
    """Length of the pocket for the nut, 0.8 of the thread thick, mm."""
    return 0.8 * size + 0.5


def _screw(f: Form, sides: int = 64) -> KeySolids:
    """A hole through both webs, with pockets from the back for the head and for the nut, which cannot turn in its own."""
    axis = _axis(f.size, f.wall)
    radius = CLEARANCE[f"M{f.size:g}"] / 2 / (1.0 if sides == 64 else math.cos(math.pi / sides))
    hole = rod(radius, WEB + MOUTH, sides).translate((0, axis, 0))
    head, flats = _head(f.size) / 2 + f.clearance, NUTS[f.size] / 2 + f.clearance
    near = _upright(shapely.box(-head, -WEB - _head_room(f.size), head, -WEB), -f.drop, axis + head)
    far = _upright(shapely.box(-flats, WEB, flats, WEB + _nut_room(f.size)), -f.drop, axis + NUTS[f.size] / math.sqrt(3) + f.clearance)
    return KeySolids(near + hole.translate((0, 0, -WEB - 0.1)), far + hole.translate((0, 0, 0.1 - MOUTH)), None, 0, ())
