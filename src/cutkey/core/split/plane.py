"""The plane of a cut and its own coordinates."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import area_of
from cutkey.core.geometry.arrays import Float
from cutkey.core.model.cuts import AXES, Cut

if TYPE_CHECKING:
    from cutkey.core.geometry.solid import Solid


class Plane(NamedTuple):
    """A cutting plane.

    `right`, `up` and `normal` are right-handed, and what lies against the normal is the near side.
    """

    origin: Float
    right: Float
    up: Float
    normal: Float

    @property
    def height(self) -> float:
        """Distance of the plane from the design's origin along the normal, mm."""
        return float(self.normal @ self.origin)

    @property
    def axis(self) -> int:
        """Number of the axis it lies most squarely across."""
        return int(np.argmax(np.abs(self.normal)))

    @property
    def turn(self) -> Float:
        """(3, 3): to the plane's coordinates, which are right, up and distance."""
        return np.stack([self.right, self.up, self.normal])

    @property
    def level(self) -> bool:
        """Whether it lies square across z: then solids need not be turned to be sliced along it."""
        return bool(self.normal[2] == 1.0 and self.right[0] == 1.0)

    def flat(self, points: Sequence[float] | Float) -> Float:
        """Right, up and distance of points, (..., 3).

        Parameters
        ----------
        points : array_like, (..., 3)
            mm.

        Returns
        -------
        ndarray, (..., 3), float64
        """
        return np.asarray((np.asarray(points, float) - self.origin) @ self.turn.T)

    def lift(self, u: float, v: float, n: float = 0.0) -> tuple[float, float, float]:
        """A place given in the plane's coordinates, in the design."""
        x, y, z = (float(c) for c in self.origin + u * self.right + v * self.up + n * self.normal)
        return x, y, z

    def lifted(self, places: Float) -> Float:
        """Places (N, 2) given in the plane's coordinates, in the design, (N, 3).

        Parameters
        ----------
        places : ndarray, (N, 2), float64
            mm.

        Returns
        -------
        ndarray, (N, 3), float64
        """
        return np.asarray(self.origin + places @ self.turn[:2])

    def laid(self, solid: Solid) -> Solid:
        """A solid in the plane's coordinates."""
        return solid.transform(np.c_[self.turn, -self.turn @ self.origin])

    def raised(self, solid: Solid) -> Solid:
        """The inverse of `laid`."""
        return solid.transform(np.c_[self.turn.T, self.origin])


def plane_of(cut: Cut, middle: Sequence[float] | Float) -> Plane:
    """Plane of a cut through a design with a given middle.

    Across x the tilt turns about z and the lean about y; across y about z and x; across z about y and x.
    Planes that are not turned have whole numbers for their vectors, so that what they cut lies exactly on
    them.

    Parameters
    ----------
    cut : Cut
    middle : array_like, (3,)
        Of the design's box, mm.
    """
    k = AXES.index(cut.axis)
    origin = np.array(middle, float)
    origin[k] = cut.at
    normal = np.eye(3)[k]
    about = ((2, 1), (2, 0), (1, 0))[k]
    for axis, angle in zip(about, (cut.tilt, cut.lean), strict=True):
        if angle:
            normal = _turned(normal, axis, math.radians(angle))
    up = np.array([0.0, 0, 1]) if k < 2 else np.array([0.0, 1, 0])
    up = up - normal * (up @ normal)
    up = up / np.linalg.norm(up)
    right = np.cross(up, normal)
    return Plane(origin, right, up, normal)


#: A seam with corners goes on so far beyond the last ones, mm.
BEYOND = 1e4


def corners_of_path(cut: Cut, plane: Plane) -> Float:
    """(N, 2) corners of a seam in x and y, from before the design to behind it.

    In order along it, so that it never crosses itself.

    Parameters
    ----------
    cut : Cut
        With a seam that has corners.
    plane : Plane
        Its own.

    Returns
    -------
    ndarray, (N, 2), float64
        mm.
    """
    corners = sorted(cut.path)
    corners = [(-BEYOND, corners[0][1]), *corners, (BEYOND, corners[-1][1])]
    return np.array([plane.lift(u, 0.0, n)[:2] for u, n in corners])


def course(cut: Cut, plane: Plane) -> list[Plane]:
    """Planes along which a cut goes: its own, or one for each straight piece of its seam.

    Places on them are counted along the seam, so that no two of its pieces share one.
    """
    if not has_path(cut, plane):
        return [plane]
    corners = corners_of_path(cut, plane)
    out, at = [], -BEYOND
    for a, b in pairwise(corners):
        length = float(np.hypot(*(b - a)))
        right = np.array([*((b - a) / length), 0.0])
        origin = np.array([*a, plane.origin[2]]) - at * right
        out.append(Plane(origin, right, plane.up, np.cross(right, plane.up)))
        at += length
    return out


def has_path(cut: Cut, plane: Plane) -> bool:
    """Whether a cut has a seam with corners; only upright ones can."""
    return bool(cut.path) and abs(float(plane.normal[2])) < 1e-9


def near_side(cut: Cut, plane: Plane) -> shapely.Polygon:
    """What lies on the near side of a seam with corners, seen from above."""
    corners = corners_of_path(cut, plane)
    back = np.array([plane.lift(u, 0.0, -BEYOND)[:2] for u in (BEYOND, -BEYOND)])
    return shapely.Polygon(np.concatenate([corners, back]))


def _turned(v: Float, axis: int, angle: float) -> Float:
    c, s = math.cos(angle), math.sin(angle)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    out = v.copy()
    out[i], out[j] = c * v[i] - s * v[j], s * v[i] + c * v[j]
    return out


def slice_of(solid: Solid, plane: Plane, n: float) -> shapely.Geometry:
    """Section of a solid at a distance from a plane, in the plane's coordinates.

    `solid` is `laid` already unless the plane is level.
    """
    if plane.level:
        return area_of(
            [np.asarray(r) - plane.origin[:2] for r in solid.slice(plane.height + n).to_polygons()]
        )
    return area_of(solid.slice(n).to_polygons())
