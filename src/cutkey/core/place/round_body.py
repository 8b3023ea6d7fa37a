"""Cylinders and cones that a surface is part of.

And how a flat graphic is wrapped round them without stretching.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh

#: Largest distance of a corner from the round body, as a share of its radius.
_OFF = 0.02
#: Largest angle between a triangle and the round body, degrees.
_TURNED = 16.0


class RoundBody(NamedTuple):
    """A cylinder or a cone about an axis; unrolled, its side is a strip or a sector of a circle.

    References
    ----------
    M. P. do Carmo: Differential Geometry of Curves and Surfaces (1976), section 4-2: cylinders and cones are
    isometric to the plane.
    """

    foot: Float  # (3,) on the axis, level with the place
    axis: Float  # (3,) as `up` as it can be
    out: Float  # (3,) from the axis to the place
    right: Float  # (3,) along the circumference at the place
    up: Float  # (3,) along the side at the place
    radius: float  # mm at the place
    slope: float  # sine of the half angle of the cone, below 0 when it narrows upwards, 0 for a cylinder

    @property
    def half_way_round(self) -> float:
        """Length of half the circumference at the place, mm."""
        return math.pi * self.radius

    def _polar(self, p: Float) -> tuple[Float, Float, Float]:
        """Angle from the place, height along the axis and radius of points (..., 3)."""
        d = p - self.foot
        x, y = d @ self.right, d @ self.out
        return np.arctan2(x, y), d @ self.axis, np.hypot(x, y)

    def radius_at(self, p: Float) -> Float:
        """Distance of points from the axis less that of the round body there, mm.

        Parameters
        ----------
        p : ndarray, (..., 3), float64
            mm.

        Returns
        -------
        ndarray, (...), float64
        """
        _, height, r = self._polar(p)
        return np.asarray(r - self.radius - height * self._tangent)

    @property
    def _tangent(self) -> float:
        return self.slope / math.sqrt(1 - self.slope**2)

    def unrolled(self, p: Float) -> Float:
        """Points (..., 3) in the plane of the unrolled side, the place at (0, 0), (..., 2).

        Parameters
        ----------
        p : ndarray, (..., 3), float64
            mm.
        """
        angle, height, _ = self._polar(p)
        along = height / math.sqrt(1 - self.slope**2)
        if abs(self.slope) < 1e-6:
            return np.stack([self.radius * angle, along], -1)
        # A sector about the apex: its radius is the distance from there along the side.
        far = self.radius / self.slope
        rho, psi = far + along, angle * self.slope
        return np.stack([rho * np.sin(psi), rho * np.cos(psi) - far], -1)

    def outward(self, p: Float) -> Float:
        """Normals of the round body at points (N, 3).

        Parameters
        ----------
        p : ndarray, (N, 3), float64
            mm.

        Returns
        -------
        ndarray, (N, 3), float64
            Unit length.
        """
        d = p - self.foot
        level = d - (d @ self.axis)[:, None] * self.axis
        level /= np.maximum(np.linalg.norm(level, axis=1), 1e-12)[:, None]
        return np.asarray(level * math.sqrt(1 - self.slope**2) - self.axis * self.slope)

    def is_on(self, corners: Float, normals: Float) -> Bool:
        """Which triangles (T, 3, 3) belong to the round body.

        Parameters
        ----------
        corners : ndarray, (T, 3, 3), float64
            mm.
        normals : ndarray, (T, 3), float64
            Unit length.

        Returns
        -------
        ndarray, (T,), bool
        """
        off = np.abs(self.radius_at(corners)).max(1) < _OFF * self.radius + 0.02
        facing = (normals * self.outward(corners.mean(1))).sum(1) > math.cos(math.radians(_TURNED))
        return np.asarray(off & facing)

    def onto(self, p: Float, corners: Float) -> Float:
        """Points moved square to the axis into the planes of their triangles (N, 3, 3).

        Parameters
        ----------
        p : ndarray, (N, 3), float64
            mm.
        corners : ndarray, (N, 3, 3), float64
            mm.

        Returns
        -------
        ndarray, (N, 3), float64
        """
        level = (p - self.foot) - ((p - self.foot) @ self.axis)[:, None] * self.axis
        level /= np.maximum(np.linalg.norm(level, axis=1), 1e-12)[:, None]
        n = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        slant = (level * n).sum(1)
        away = ((corners[:, 0] - p) * n).sum(1) / np.where(np.abs(slant) < 1e-12, 1, slant)
        return np.asarray(p + level * np.where(np.abs(slant) < 1e-12, 0, away)[:, None])


def round_body_of(mesh: Mesh, patch: Int, normals: Float, point: Float, normal: Float) -> RoundBody:
    """The cylinder or cone that a smooth patch of a surface is part of.

    Normals of a cylinder or cone make one angle with its axis, so they lie on a plane in the space of
    directions; that plane's normal is the axis.

    Parameters
    ----------
    mesh : Mesh
    patch : ndarray, (K,), int64
        Numbers of its triangles.
    normals : ndarray, (T, 3), float64
        Of all triangles.
    point, normal : ndarray, (3,), float64
        The place, mm, and the direction out of it.

    Raises
    ------
    BadInput
        When it is neither.
    """
    corners = mesh.vertices[mesh.triangles[patch]]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    n, w = normals[patch], areas
    middle = (n * w[:, None]).sum(0) / w.sum()
    d = n - middle
    value, vector = np.linalg.eigh((d * w[:, None]).T @ d / w.sum())
    axis = vector[:, 0]
    slope = float((n @ axis * w).sum() / w.sum())
    if value[1] < 1e-4 or value[0] > 0.02 * value[1] or abs(slope) > 0.95:
        raise BadInput(
            "The surface there is no cylinder or cone, so nothing can be wrapped round it; project the"
            " graphic instead."
        )
    up = np.array([0.0, 0.0, 1.0]) if abs(axis[2]) > 0.2 else np.array([0.0, 1.0, 0.0])
    if axis @ up < 0:
        axis, slope = -axis, -slope
    # Along the outward normals, turned square to the axis, every corner points away from the axis: a circle
    # of lines through it.
    p = corners.reshape(-1, 3)
    helper = np.array([1.0, 0, 0]) if abs(axis[0]) < 0.9 else np.array([0.0, 1, 0])
    u = np.cross(axis, helper)
    u /= np.linalg.norm(u)
    v = np.cross(axis, u)
    x, y, h = p @ u, p @ v, p @ axis
    slope = -slope
    tangent = slope / math.sqrt(1 - slope**2)
    # Radius = r0 + tangent h; (x - cx)^2 + (y - cy)^2 = (r0 + tangent h)^2 is linear in cx, cy, r0 and a
    # constant.
    rows = np.stack([2 * x, 2 * y, 2 * tangent * h, np.ones(len(x))], 1)
    solved = np.linalg.lstsq(rows, x * x + y * y - (tangent * h) ** 2, rcond=None)[0]
    cx, cy, r0 = float(solved[0]), float(solved[1]), float(solved[2])
    if abs(tangent) < 1e-4:
        slope = tangent = 0.0
        x2 = np.linalg.lstsq(rows[:, [0, 1, 3]], x * x + y * y, rcond=None)[0]
        cx, cy = float(x2[0]), float(x2[1])
        r0 = math.sqrt(max(0.0, float(x2[2]) + cx * cx + cy * cy))
    level = float(point @ axis)
    foot = u * cx + v * cy + axis * level
    radius = r0 + tangent * level
    out = point - foot
    out -= axis * (out @ axis)
    if radius <= 0 or np.linalg.norm(out) < 1e-9 or out @ normal < 0:
        raise BadInput(
            "Graphics are wrapped round the outside of a cylinder or cone; project the graphic instead."
        )
    out /= np.linalg.norm(out)
    along = math.sqrt(1 - slope**2)
    return RoundBody(foot, axis, out, np.cross(axis, out), axis * along + out * slope, radius, slope)
