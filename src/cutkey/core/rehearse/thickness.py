"""Local thickness of walls: the largest ball inside a solid that touches its surface at a place.

A ball that is tangent at p (outward normal n) and goes through q has the diameter |p-q|² / (n·(p-q)) = t /
cos a, with t = |p-q| and a the angle between p-q and n. A wall is made of two faces that look at each other:
q counts when a is at most 30 degrees and the face there turns back, m·n <= -cos 60°. Both rules together keep
edges, fillets and facets of round parts from being taken for walls.

Rays of a cone tell most walls. What lies between two rays is found by places spread over the whole surface:
those inside the ball that the rays left make it smaller, and rays beside them tell by how much.
"""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.mesh import Mesh, face_normals
from cutkey.core.geometry.solid import Solid, mesh_of

ALPHA = np.radians(30.0)
_FACING = -np.cos(2 * ALPHA)
#: Rays of each closer look about the best of the cone, and how often it is looked closer.
_NEAR, _LOOKS = 6, 3
#: How far apart places of the whole surface lie, mm, and how many there are at the least and at the most.
_APART, _FEW, _MANY = 0.25, 4_000, 250_000
#: A ball so many times as large is looked into, as what is between the places may be nearer than they are;
#: and so many ways at most.
_MORE, _TRIED = 1.08, 4
#: Triangles up to so many times as large as what lies between the places may have none, or few.
_SMALL = 8.0
#: Between the places of a triangle that are looked at first a ball may be so much smaller, and the angle so
#: much larger.
_LARGER, _WIDER = 1.3, np.radians(34.0)
_IN = 1e-4
#: Places of a triangle that is looked at closely: shares of its corners.
_GRID = np.array([(i, j, 9 - i - j) for i in range(10) for j in range(10 - i)]) / 9.0


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
    places, normals, _ = _spread(mesh, count, seed)
    return places, normals


def _spread(mesh: Mesh, count: int, seed: int) -> tuple[Float, Float, Int]:
    """The same, and the triangles they lie on."""
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    double = np.linalg.norm(across, axis=1)
    rng = np.random.default_rng(seed)
    up_to = np.cumsum(double)
    face: Int = np.searchsorted(up_to, (np.arange(count) + rng.random(count)) / count * up_to[-1]).clip(
        0, len(double) - 1
    )
    u, v = rng.random((2, count))
    fold = u + v > 1
    u[fold], v[fold] = 1 - u[fold], 1 - v[fold]
    places = a[face] + u[:, None] * (b - a)[face] + v[:, None] * (c - a)[face]
    return places, across[face] / np.maximum(double[face], 1e-300)[:, None], face


def thickness(
    solid: Solid, places: Float, normals: Float, below: float, rays: int = 40
) -> tuple[Float, Float]:
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
        mm, infinite where nothing nearer looks back; and the cosine between the two sides, 1 for parallel
        ones, 0 where there is none.
    """
    out, square = np.full(len(places), np.inf), np.zeros(len(places))
    if len(places) == 0:
        return out, square
    other = _Spread(solid)
    for k, (p, n) in enumerate(zip(places, normals, strict=True)):
        # Straight in first: most walls are told by one ray.
        ways, leans = _cone(n, rays)
        best, way, facing = _least(solid, p, n, ways, leans, below, np.inf)
        if way is not None:
            best, facing = _closer(solid, p, n, (best, way, facing), below, ALPHA / 4)
        for found in other.about(p, n, min(best, below)):
            better, back = _closer(
                solid, p, n, found, below, float(np.clip(other.apart / found[0], 0.01, ALPHA / 4))
            )
            if better < min(best, below):
                best, facing = better, back
        out[k], square[k] = best, facing
    return out, square


def _closer(
    solid: Solid, p: Float, n: Float, found: tuple[float, Float, float], below: float, angle: float
) -> tuple[float, float]:
    """The least ball beside one that was found, and how squarely its other side looks back."""
    best, way, facing = found
    for look in range(_LOOKS):
        ways, leans = _about(n, way, angle / 3**look)
        better, turned, back = _least(solid, p, n, ways, leans, below, best)
        if turned is not None:
            best, way, facing = better, turned, back
    return best, facing


class _Spread:
    """Places of a whole surface, to be asked which of them lie in a ball."""

    def __init__(self, solid: Solid) -> None:
        import shapely
        from scipy.spatial import cKDTree

        mesh = mesh_of(solid)
        area = float(solid.surface_area())
        count = int(np.clip(area / _APART**2, _FEW, _MANY))
        self.apart = float(np.sqrt(area / count))
        self._corners = mesh.vertices[mesh.triangles]
        self._back, _ = face_normals(mesh)
        places, _, self._faces = _spread(mesh, count, 3)
        self._tree = cKDTree(places)
        # Places fall beside small triangles; these are found by their boxes, seen from above.
        low, high = self._corners.min(1), self._corners.max(1)
        self._small = np.flatnonzero((high - low).max(1) < _SMALL * self.apart)
        self._low, self._high = low[self._small, 2], high[self._small, 2]
        self._boxes = shapely.STRtree(shapely.box(*low[self._small, :2].T, *high[self._small, :2].T))
        self._box = shapely.box

    def about(self, p: Float, n: Float, size: float) -> list[tuple[float, Float, float]]:
        """Balls at a place through triangles that count, the least first.

        They lie in its ball of a size, or nearly.

        Of each its size, the way, and how squarely the triangle looks back.
        """
        more = size * _MORE + self.apart
        middle, r = p - n * more / 2, more / 2
        near = np.array(self._tree.query_ball_point(middle, r), int)
        beside = self._boxes.query(self._box(*(middle[:2] - r), *(middle[:2] + r)))
        beside = beside[(self._low[beside] < middle[2] + r) & (self._high[beside] > middle[2] - r)]
        # Whole triangles, looked at closely: what counts of one may be a small part of it.
        face = np.unique(np.r_[self._faces[near], self._small[beside]])
        face = face[self._back[face] @ n <= _FACING]
        if not len(face):
            return []
        off = p - _GRID @ self._corners[face]
        strict, nearly = (_balls(off, n, angle) for angle in (ALPHA, _WIDER))
        # Of each triangle the best place is looked at closer, also where only between those that are looked
        # at there may be one.
        nearly[np.isfinite(strict.min(1))] = np.inf
        out: list[tuple[float, Float, float]] = []
        for sizes in (strict, nearly):
            at, least = sizes.argmin(1), sizes.min(1)
            for k in np.argsort(least, kind="stable")[:_TRIED]:
                if least[k] > size * _LARGER:
                    break
                found, way = _zoomed(self._corners[face[k]], _GRID[at[k]], p, n)
                if found < size * _MORE:
                    out.append((found, way, -float(self._back[face[k]] @ n)))
        return sorted(out, key=lambda o: o[0])[:_TRIED]


def _balls(off: Float, n: Float, angle: float) -> Float:
    """Sizes of the balls that are tangent to a plane and go through places that lie at `-off`.

    Infinite beyond an angle from its normal.
    """
    far, across = np.einsum("...i,...i->...", off, off), off @ n
    good = (across > np.cos(angle) * np.sqrt(far)) & (far > 1e-9)
    return np.asarray(np.where(good, far / np.where(good, across, 1.0), np.inf))


def _zoomed(corners: Float, share: Float, p: Float, n: Float) -> tuple[float, Float]:
    """The least ball through a triangle near a place of it, and the way there.

    The place is given by shares of its corners; closer and closer.
    """
    size, way = np.inf, np.zeros(3)
    for finer in (4.5, 24.0, 120.0):
        shares = share + (_GRID - 1 / 3) / finer
        shares = np.vstack([share, shares[(shares >= 0).all(1)]])
        off = p - shares @ corners
        # Where nothing counts strictly yet, what nearly does shows the way.
        sizes = _balls(off, n, ALPHA)
        k = int(np.argmin(sizes if np.isfinite(sizes).any() else _balls(off, n, _WIDER)))
        share = shares[k]
        if sizes[k] < size:
            size, way = float(sizes[k]), -off[k] / np.linalg.norm(off[k])
    return size, way


def near(solid: Solid, places: Float, normals: Float, below: float) -> Bool:
    """Whether a surface is met straight in from places, nearer than this.

    Where both sides are parallel that is enough to tell a wall.

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


def _least(
    solid: Solid, p: Float, n: Float, ways: Float, leans: Float, below: float, best: float
) -> tuple[float, Float | None, float]:
    """The smallest ball that some rays tell, the ray, and how squarely what it meets looks back.

    No ray where none tells a smaller one.
    """
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
    return -n * lean[:, None] + one * (side * np.cos(turn))[:, None] + other * (side * np.sin(turn))[
        :, None
    ], lean


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
