"""Local thickness of walls: the largest ball inside a solid that touches its surface at a place.

A ball that is tangent at p (outward normal n) and goes through q has the diameter |p-q|² / (n·(p-q)) = t / cos a, with t = |p-q| and a
the angle between p-q and n. A wall is made of two faces that look at each other: q counts when a is at most 30 degrees and the face
there turns back, m·n <= -cos 60°. Both rules together keep edges, fillets and facets of round parts from being taken for walls.
"""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.solid import Solid

ALPHA = np.radians(30.0)
_FACING = -np.cos(2 * ALPHA)
#: Rays of each closer look about the best of the cone, and how often it is looked closer.
_NEAR, _LOOKS = 6, 3
_IN = 1e-4


def spread_over(mesh: Mesh, count: int, seed: int = 1) -> tuple[Float, Float]:
    """Places spread evenly over a surface, and the normals there.

    Parameters
    ----------
    mesh : Mesh
    count : int
        How many.
    seed : int
        Of the random numbers.

    Returns
    -------
    tuple of ndarray, (N, 3), float64
        mm, and unit length.
    """
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    double = np.linalg.norm(across, axis=1)
    rng = np.random.default_rng(seed)
    up_to = np.cumsum(double)
    face: Int = np.searchsorted(up_to, (np.arange(count) + rng.random(count)) / count * up_to[-1]).clip(0, len(double) - 1)
    u, v = rng.random((2, count))
    fold = u + v > 1
    u[fold], v[fold] = 1 - u[fold], 1 - v[fold]
    places = a[face] + u[:, None] * (b - a)[face] + v[:, None] * (c - a)[face]
    return places, across[face] / np.maximum(double[face], 1e-300)[:, None]


def thickness(solid: Solid, places: Float, normals: Float, below: float, rays: int = 40) -> tuple[Float, Float]:
    """Thickness of the wall at places of a surface, and how squarely its other side looks back.

    Parameters
    ----------
    solid : Manifold
    places, normals : ndarray, (N, 3), float64
        On its surface, mm, and outward, of unit length.
    below : float
        Thicker than this is not looked for, mm.
    rays : int
        Of the cone; where both sides are parallel a few will do.

    Returns
    -------
    tuple of ndarray, (N,), float64
        mm, infinite where nothing nearer looks back; and the cosine between the two sides, 1 for parallel ones, 0 where there is none.
    """
    out, square = np.full(len(places), np.inf), np.zeros(len(places))
    for k, (p, n) in enumerate(zip(places, normals, strict=True)):
        # Straight in first: most walls are told by one ray.
        ways, leans = _cone(n, rays)
        best, way, facing = _least(solid, p, n, ways, leans, below, np.inf)
        for look in range(_LOOKS if way is not None else 0):
            assert way is not None
            near, lean = _about(n, way, ALPHA / 4 / 3**look)
            better, turned, back = _least(solid, p, n, near, lean, below, best)
            if turned is not None:
                best, way, facing = better, turned, back
        out[k], square[k] = best, facing
    return out, square


def near(solid: Solid, places: Float, normals: Float, below: float) -> Bool:
    """Whether a surface is met straight in from places, nearer than this: where both sides are parallel that is enough to tell a wall.

    Parameters
    ----------
    solid : Manifold
    places, normals : ndarray, (N, 3), float64
        On its surface, mm, and outward, of unit length.
    below : float
        mm.

    Returns
    -------
    ndarray, (N,), bool
    """
    starts, ends = (places - _IN * normals).tolist(), (places - (below + _IN) * normals).tolist()
    return np.array([bool(solid.ray_cast(a, b)) for a, b in zip(starts, ends, strict=True)], bool)


def _least(solid: Solid, p: Float, n: Float, ways: Float, leans: Float, below: float, best: float) -> tuple[float, Float | None, float]:
    """The smallest ball that some rays tell, the ray, and how squarely what it meets looks back; no ray where none tells a smaller one."""
    found: Float | None = None
    facing = 0.0
    start = p - _IN * n
    for way, lean in zip(ways, leans, strict=True):
        # A ray that is longer cannot give a smaller ball.
        far = min(below, best) * lean + _IN
        for hit in solid.ray_cast(tuple(start), tuple(start + far * way)):
            back = -float(np.dot(tuple(hit.normal), n))
            if back >= -_FACING:
                size = (float(hit.distance) * far + _IN) / lean
                if size < best and size < below:
                    best, found, facing = size, way, back
                break
    return best, found, facing


def _cone(n: Float, count: int) -> tuple[Float, Float]:
    """Unit directions about -n up to the angle, the axis first, and the cosine of each to it."""
    i = np.arange(count)
    lean = 1 - (1 - np.cos(ALPHA)) * i / max(count - 1, 1)
    side, turn = np.sqrt(1 - lean**2), i * np.pi * (3 - np.sqrt(5))
    one, other = _beside(n)
    return -n * lean[:, None] + one * (side * np.cos(turn))[:, None] + other * (side * np.sin(turn))[:, None], lean


def _about(n: Float, way: Float, angle: float) -> tuple[Float, Float]:
    """Directions about one, within the cone."""
    one, other = _beside(way)
    turn = 2 * np.pi * np.arange(_NEAR) / _NEAR
    ways = way * np.cos(angle) + np.sin(angle) * (one * np.cos(turn)[:, None] + other * np.sin(turn)[:, None])
    lean = -(ways @ n)
    inside = lean >= np.cos(ALPHA) - 1e-9
    return ways[inside], lean[inside]


def _beside(n: Float) -> tuple[Float, Float]:
    one = np.cross(n, (1.0, 0, 0) if abs(n[0]) < 0.9 else (0, 1.0, 0))
    one /= np.linalg.norm(one)
    return one, np.cross(n, one)
