"""Line work: drawn lines as centre lines with their width."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.geometry.areas import union
from cutkey.core.geometry.arrays import Float

#: Distance, px, between boundary points from which the centre line is found.
_STEP = 0.7


class CentreLine(NamedTuple):
    """A line through the middle of a drawn stroke."""

    points: Float  # (N, 2)
    width: float  # the stroke's, its median


def centre_lines(area: shapely.Geometry) -> list[CentreLine]:
    """Centre lines of the strokes that make up an area.

    The medial axis, from the Voronoi diagram of points on the boundary; branches into corners, shorter than
    the stroke is wide, are left off.

    References
    ----------
    H. Blum: A transformation for extracting new descriptors of shape (1967). J. W. Brandt, V. R. Algazi:
    Continuous skeleton computation by Voronoi diagram. CVGIP: Image Understanding 55 (1992) 329-338.
    """
    return [line for polygon in shapely.get_parts(area) for line in _of_polygon(polygon)]


def _of_polygon(polygon: shapely.Polygon) -> list[CentreLine]:
    from scipy.spatial import Voronoi, cKDTree

    dense = shapely.get_coordinates(shapely.segmentize(polygon.boundary, _STEP))
    dense = np.unique(np.round(dense, 6), axis=0)
    if len(dense) < 8:
        return []
    diagram = Voronoi(dense)
    ridges = np.array(diagram.ridge_vertices)
    ridges = ridges[(ridges >= 0).all(1)]
    shapely.prepare(polygon)
    inside = shapely.contains_xy(polygon, diagram.vertices)
    ridges = ridges[inside[ridges].all(1)]
    if len(ridges) == 0:
        return []
    radius = cKDTree(dense).query(diagram.vertices)[0]
    return _strokes(diagram.vertices, ridges, radius)


def _strokes(place: Float, ridges: NDArray[np.int64], radius: Float) -> list[CentreLine]:
    neighbours: dict[int, set[int]] = {}
    for a, b in ridges.tolist():
        if a != b:
            neighbours.setdefault(a, set()).add(b)
            neighbours.setdefault(b, set()).add(a)
    _prune(neighbours, place, radius)
    lines = []
    used: set[tuple[int, int]] = set()
    starts = [v for v, n in neighbours.items() if len(n) != 2] + list(neighbours)
    for start in starts:
        for following in list(neighbours.get(start, ())):
            if (start, following) in used:
                continue
            path = [start, following]
            used |= {(start, following), (following, start)}
            while len(neighbours[path[-1]]) == 2 and path[-1] != start:
                ahead = next(v for v in neighbours[path[-1]] if v != path[-2])
                if (path[-1], ahead) in used:
                    break
                used |= {(path[-1], ahead), (ahead, path[-1])}
                path.append(ahead)
            lines.append(_finished(place[path], radius[path]))
    return lines


def _prune(neighbours: dict[int, set[int]], place: Float, radius: Float) -> None:
    """Leave off branches that run from the middle of a stroke into a corner of its outline."""
    for _ in range(4):
        gone = []
        for tip in [v for v, n in neighbours.items() if len(n) == 1]:
            path = [tip]
            while len(neighbours[path[-1]]) <= 2:
                ahead = [v for v in neighbours[path[-1]] if len(path) < 2 or v != path[-2]]
                if not ahead:
                    break
                path.append(ahead[0])
            length = sum(float(np.hypot(*(place[b] - place[a]))) for a, b in pairwise(path))
            if len(neighbours[path[-1]]) > 2 and length < 1.3 * radius[path[-1]] + 1:
                gone.append(path)
        for path in gone:
            for a, b in pairwise(path):
                neighbours[a].discard(b)
                neighbours[b].discard(a)
        for v in [v for v, n in neighbours.items() if not n]:
            del neighbours[v]
        if not gone:
            return


def _finished(points: Float, radius: Float) -> CentreLine:
    """A smoothed line. Its free ends lie half a width before the stroke's, which a round cap makes up for."""
    if len(points) > 8:
        inner = np.stack([np.convolve(points[:, d], np.ones(5) / 5, "valid") for d in (0, 1)], 1)
        points = np.concatenate([points[:1], inner, points[-1:]])
    return CentreLine(
        shapely.get_coordinates(shapely.simplify(shapely.LineString(points), 0.12)),
        2 * float(np.median(radius)),
    )


def drawn(lines: list[CentreLine], least: float = 0.0) -> shapely.Geometry:
    """Area of lines drawn with their widths, at least `least`."""
    strokes = [
        shapely.LineString(line.points).buffer(max(line.width, least) / 2, quad_segs=12)
        for line in lines
        if len(line.points) > 1
    ]
    return union(strokes) if strokes else shapely.Polygon()
