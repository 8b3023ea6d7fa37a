"""Keys in their places: their solids, what must be filled for them, and how they look.

Everything is in the coordinates of the cut's plane: right, up and distance, the near section below 0 and the
far one above.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of, intersection, union
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.keys.kind import Form, Key, KeySolids
from cutkey.core.split.plane import Plane

#: Extent below which a key is too thin to print and to hold, mm: two lines of a usual nozzle (common
#: practice, no source).
LEAST_KEY = 0.8
#: What must be filled is looked at this far from the seam and from the back, mm.
_BESIDE, _AT_BACK = 1e-3, 0.03


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
    made = form.of.solids(form, owner)

    def put(solid: Solid | None) -> Solid | None:
        return solid if solid is None else solid.rotate((0, 0, angle)).translate((u, v, 0))

    loose = tuple(s.rotate((0, 0, angle)).translate((u, v, 0)) for s in made.loose)
    return KeySolids(put(made.near_socket), put(made.far_socket), put(made.tongue), made.owner, loose)


@lru_cache(maxsize=512)
def _walled(form: Form, owner: int) -> tuple[Solid | None, Solid | None]:
    """Near and far socket of a key about the origin, each on its own side of the seam.

    Grown by its wall in every direction.
    """
    # A hole with few sides, drawn round the circle, is grown much sooner.
    made = form.of.solids(form, owner, 12)
    ball = m3.Manifold.sphere(form.wall, 16)

    def grown(socket: Solid | None, side: float) -> Solid | None:
        if socket is None:
            return None
        solid = socket.minkowski_sum(ball) if form.wall > 0 else socket
        solid = solid.trim_by_plane((0, 0, side), _BESIDE)
        # A pocket from the back is open there.
        return solid.trim_by_plane((0, 1, 0), _AT_BACK) if form.of.from_back else solid

    return grown(made.near_socket, -1.0), grown(made.far_socket, 1.0)


@lru_cache(maxsize=512)
def stands(form: Form) -> bool:
    """Whether clearance and end gap leave something of a key that can be printed and handled."""
    made = form.of.solids(form, -1)
    printed = [*made.loose, *([made.tongue] if made.tongue is not None else [])]
    return all(not s.is_empty() and float(np.ptp(bounds_of(s), axis=0).min()) >= LEAST_KEY for s in printed)


def with_wall(
    form: Form, u: float, v: float, angle: float = 0.0, owner: int = -1
) -> tuple[Solid | None, Solid | None]:
    """What must be filled on the near and the far side for a key.

    Its sockets with the wall round them and behind their ends.

    Parameters
    ----------
    form : Form
    u, v : float
        mm on the face.
    angle : float
        degrees.
    owner : int
        Side of the section a key of a shaped seam is printed on.
    """
    # How far a pocket is open beyond the back does not matter; a shaped seam is as good as the plate it
    # stands in.
    plain = (
        form._replace(drop=form.wall + 1.0, rise=min(form.rise, form.height)) if form.of.from_back else form
    )
    near, far = _walled(plain, owner)

    def put(solid: Solid | None) -> Solid | None:
        return solid if solid is None else solid.rotate((0, 0, angle)).translate((u, v, 0))

    return put(near), put(far)


def corners_of(key: Key, plane: Plane) -> np.ndarray:
    """Corners of the box around a key, in the design.

    Returns
    -------
    ndarray, (8, 3), float64
        mm.
    """
    near, far = key.form.reach
    w, h = key.form.half
    v0, v1 = (key.v - 1e3, key.v + key.form.height) if key.form.of.from_back else (key.v - h, key.v + h)
    return np.array(
        [plane.lift(u, v, n) for u in (key.u - w, key.u + w) for v in (v0, v1) for n in (-near, far)]
    )


def footprint(form: Form, u: float, v: float, angle: float = 0.0, owner: int = -1) -> shapely.Geometry:
    """What a key looks like on the cut face, in right and up.

    Parameters
    ----------
    form : Form
    u, v : float
        mm on the face.
    angle : float
        degrees.
    owner : int
        Side of the section a key of a shaped seam is printed on.
    """
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
    at = min(form.height, form.of.middle(form)) if form.of.from_back else 0.0

    def cut(solids: Sequence[Solid | None]) -> shapely.Geometry:
        return union([area_of(s.transform(turn).slice(at).to_polygons()) for s in solids if s is not None])

    near, far = (cut([s]) for s in (made.near_socket, made.far_socket))
    # Mouths of sockets reach over the seam; what counts is on their own side.
    sockets = union(
        [
            intersection(near, shapely.box(-1e3, -1e3, 0, 1e3)),
            intersection(far, shapely.box(0, -1e3, 1e3, 1e3)),
        ]
    )
    return CrossSection(sockets, cut([made.tongue]), made.owner, cut(made.loose))
