"""Measuring solids with rays.

A ray is looked for by the box around it: one along an axis takes about 3 microseconds whatever the mesh, a
long slanting one up to a millisecond. So rays are as short as the question allows, and along an axis where
any direction will do.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.solid import Solid, bounds_of


def crossings(solid: Solid, start: Float, way: Float, far: float) -> list[tuple[float, bool]]:
    """Where a ray meets the surface: distances, mm, in order, and whether it goes out of the material there.

    Parameters
    ----------
    start, way : (3,)
        `way` of unit length.
    far : float
        Length of the ray, mm.
    """
    found = solid.ray_cast(tuple(start), tuple(start + way * far))
    return sorted((float(h.distance) * far, float(np.dot(tuple(h.normal), way)) > 0) for h in found)


def material_ahead(solid: Solid, starts: Float, ways: Float, far: float | None = None) -> Float:
    """Length of material straight ahead of places, (N,) mm: 0 where a place does not lie in material.

    Parameters
    ----------
    starts : (N, 3)
    ways : (3,) or (N, 3)
        Of unit length.
    far : float, optional
        Looked at so far only; what goes on is given as `inf`. All of the solid when left out.
    """
    low, high = bounds_of(solid)
    whole = float(np.linalg.norm(high - low)) + 1.0
    ways = np.broadcast_to(np.asarray(ways, float), starts.shape)
    out = np.zeros(len(starts))
    for k, (start, way) in enumerate(zip(starts, ways, strict=True)):
        found = crossings(solid, start, way, whole)
        if found and found[0][1]:
            out[k] = found[0][0]
    return np.where(out > far, np.inf, out) if far is not None else out


#: Along an axis, but for a little that keeps off edges and walls people draw; three of them, of which two
#: decide.
_TILTS = np.array([(0.0007, 0.0011, 1.0), (-0.0013, 0.0005, 1.0), (0.0009, -0.0008, 1.0)])


def inside(solid: Solid, places: Float) -> NDArray[np.bool_]:
    """Which places (N, 3) lie in the material of a solid.

    Parameters
    ----------
    solid : Solid
    places : ndarray, (N, 3), float64
        mm.

    Returns
    -------
    ndarray, (N,), bool
    """
    if solid.is_empty():
        return np.zeros(len(places), bool)
    low, high = bounds_of(solid)
    axis = int(np.argmin(high - low))
    ways = np.roll(_TILTS, axis - 2, axis=1)
    out = np.zeros(len(places), bool)
    near = np.flatnonzero(((places >= low) & (places <= high)).all(1))
    for k in near.tolist():
        far = float(high[axis] - places[k, axis]) + 1e-3
        votes = [
            bool(found and found[0][1])
            for found in (crossings(solid, places[k], way, far) for way in ways[:2])
        ]
        if votes[0] != votes[1]:
            found = crossings(solid, places[k], ways[2], far)
            votes.append(bool(found and found[0][1]))
        out[k] = sum(votes) * 2 > len(votes)
    return out


def runs_along(solid: Solid, start: Float, way: Float, far: float) -> list[tuple[float, float]]:
    """Stretches of material, mm from the start, that a ray passes through; one it starts in begins at 0.

    Parameters
    ----------
    solid : Solid
    start : ndarray, (3,), float64
        mm.
    way : ndarray, (3,), float64
        Unit length.
    far : float
        How far the ray goes, mm.

    Returns
    -------
    list of (float, float)
        Begin and end of each, rising.
    """
    out: list[tuple[float, float]] = []
    begin: float | None = None
    for n, (at, leaves) in enumerate(crossings(solid, start, way, far)):
        if leaves:
            out.append((begin if begin is not None else (0.0 if n == 0 else at), at))
            begin = None
        elif begin is None:
            begin = at
    if begin is not None:
        out.append((begin, far))
    return [(a, b) for a, b in out if b > a]


def thickness_behind(solid: Solid, point: Float, normal: Float) -> float:
    """Thickness of material from a place on the surface inwards, mm.

    Parameters
    ----------
    solid : Solid
    point : ndarray, (3,), float64
        mm.
    normal : ndarray, (3,), float64
        Outwards, unit length.
    """
    far = float(np.linalg.norm(np.ptp(np.array(tuple(solid.bounding_box())).reshape(2, 3), axis=0))) + 10
    start = point + normal * 0.01
    hits = solid.ray_cast(tuple(start), tuple(start - normal * far))
    distances = sorted(float(h.distance) for h in hits)
    return distances[1] * far - 0.01 if len(distances) > 1 and distances[0] * far < 0.1 else 0.0


def free_ahead(solid: Solid, starts: Float, ways: Float) -> NDArray[np.bool_]:
    """Return which places (N, 3) have nothing of a solid straight ahead of them.

    Parameters
    ----------
    solid : Solid
    starts : ndarray, (N, 3), float64
        mm.
    ways : ndarray, (3,) or (N, 3), float64
        Unit length.

    Returns
    -------
    ndarray, (N,), bool
    """
    low, high = bounds_of(solid)
    ways = np.broadcast_to(np.asarray(ways, float), starts.shape)
    out = np.ones(len(starts), bool)
    for k, (start, way) in enumerate(zip(starts, ways, strict=True)):
        # The ray ends where it leaves the box of the solid.
        with np.errstate(divide="ignore", invalid="ignore"):
            leaves = np.where(way > 0, (high - start) / way, np.where(way < 0, (low - start) / way, np.inf))
        far = float(leaves.min()) + 1.0
        out[k] = far <= 1.0 or not solid.ray_cast(tuple(start), tuple(start + way * far))
    return out
