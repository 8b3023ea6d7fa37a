"""Round dowels: where there is room for them, their sockets, and themselves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.relief.carve import Part
from cutkey.core.solids.primitives import rod
from cutkey.core.solids.solid import Solid
from cutkey.core.split.cutting import Section, positions
from cutkey.core.split.plan import cut_letters
from cutkey.core.split.settings import AXES, Cut, Keys

#: Dowels are not set closer than this times their diameter, and one more is added for each such stretch (mm) of a joint.
SPREAD, STRETCH = 2.5, 140.0
MOST_A_JOINT = 4


class Joint(NamedTuple):
    """Two sections that meet at a cut."""

    cut: Cut
    letter: str
    sections: tuple[str, str]
    centres: list[tuple[float, float, float]]  # of the dowels, on the cut plane, mm
    face_area: float  # mm2 to glue

    @property
    def name(self) -> str:
        """For example ``A1|B1``."""
        return "|".join(self.sections)


def find_joints(sections: Sequence[Section], cuts: Sequence[Cut], keys: Keys) -> list[Joint]:
    """Every pair of sections that meet, with places for dowels.

    A dowel needs material around its socket over its whole length on both sides: five slices through the sections either side of
    the cut are intersected and shrunk by the socket's radius and the wall; what is left is where its axis may run.
    """
    by_cell = {s.cell: s for s in sections}
    letters = cut_letters(list(cuts))
    joints = []
    for k, axis in enumerate(AXES):
        for i, at in enumerate(positions(cuts, axis)):
            cut = Cut(axis, at)
            for section in sections:
                if section.cell[k] != i:
                    continue
                other = by_cell.get(tuple(v + (n == k) for n, v in enumerate(section.cell)))  # type: ignore[arg-type]
                if other is None:
                    continue
                face, room = _room(section, other, k, at, keys)
                room = room.difference(_near_other_cuts(cuts, k, keys))
                if face <= 0:
                    continue
                spots = spread_out(room, keys.diameter * SPREAD) if keys.kind == "dowel" else []
                joints.append(Joint(cut, letters[cut], (section.name, other.name), [_lift(p, k, at) for p in spots], face))
    return joints


def _room(one: Section, other: Section, k: int, at: float, keys: Keys) -> tuple[float, shapely.Geometry]:
    """Area of the joint's face and the region in which dowel axes may lie, in the cut plane's own coordinates."""
    reach = keys.depth + keys.end_gap
    face: shapely.Geometry | None = None
    room: shapely.Geometry | None = None
    near, far = (_turned(s.parts, k) for s in (one, other))
    for solid, steps in ((near, (-1e-4, -0.5 * reach, -reach)), (far, (1e-4, 0.5 * reach, reach))):
        for step in steps:
            area = _slice(solid, at + step)
            room = area if room is None else room.intersection(area)
        first = _slice(solid, at + steps[0])
        face = first if face is None else face.intersection(first)
    assert face is not None and room is not None
    return float(face.area), room.buffer(-(keys.diameter / 2 + keys.clearance + keys.wall))


def _near_other_cuts(cuts: Sequence[Cut], k: int, keys: Keys) -> shapely.Geometry:
    """Strips of a cut plane into which the sockets of crossing cuts reach."""
    width = keys.depth + keys.end_gap + keys.diameter / 2 + keys.clearance + keys.wall
    first, second = [(1, 2), (2, 0), (0, 1)][k]
    far = 1e5
    strips = []
    for cut in cuts:
        axis = AXES.index(cut.axis)
        if axis == first:
            strips.append(shapely.box(cut.at - width, -far, cut.at + width, far))
        elif axis == second:
            strips.append(shapely.box(-far, cut.at - width, far, cut.at + width))
    return shapely.union_all(strips)


def _turned(parts: Sequence[Part], k: int) -> Solid:
    """The parts as one solid, turned so that axis k points up; plane coordinates are then the other two axes in order."""
    whole = m3.Manifold.batch_boolean([p.solid for p in parts], m3.OpType.Add) if len(parts) > 1 else parts[0].solid
    order = [(1, 2, 0), (2, 0, 1), (0, 1, 2)][k]
    matrix = np.zeros((3, 4))
    for row, source in enumerate(order):
        matrix[row, source] = 1
    return whole.transform(matrix)


def _slice(solid: Solid, z: float) -> shapely.Geometry:
    rings = solid.slice(z).to_polygons()
    area: shapely.Geometry = shapely.Polygon()
    polygons = [shapely.make_valid(shapely.Polygon(r)) for r in rings if len(r) >= 3]
    for polygon in sorted(polygons, key=lambda p: -p.area):
        area = area.symmetric_difference(polygon)
    return area


def _lift(p: tuple[float, float], k: int, at: float) -> tuple[float, float, float]:
    """A point of the cut plane in space: the inverse of `_turned`."""
    x, y, z = [(at, p[0], p[1]), (p[1], at, p[0]), (p[0], p[1], at)][k]
    return x, y, z


def spread_out(room: shapely.Geometry, least: float) -> list[tuple[float, float]]:
    """Places in a region as far apart as it allows: two, and one more for every `STRETCH` mm between them."""
    if room.is_empty:
        return []
    x0, y0, x1, y1 = room.bounds
    step = max(0.25, (x1 - x0) / 200, (y1 - y0) / 200)
    gx, gy = np.meshgrid(np.append(np.arange(x0, x1, step), x1), np.append(np.arange(y0, y1, step), y1))
    grid = np.c_[gx.ravel(), gy.ravel()]
    grid = grid[shapely.intersects_xy(room, grid[:, 0], grid[:, 1])]
    if len(grid) == 0:
        p = room.representative_point()
        grid = np.array([[p.x, p.y]])
    centre = grid.mean(0)
    axis = np.linalg.svd(grid - centre, full_matrices=False)[2][0] if len(grid) > 1 else np.array([1.0, 0.0])
    along = (grid - centre) @ axis
    off = np.abs((grid - centre) @ np.array([-axis[1], axis[0]]))
    # Of the places at either end take the one nearest the middle line.
    chosen = [int(np.argmin(np.where(along <= along.min() + step, off, np.inf)))]
    wanted = int(np.clip(1 + np.ceil(np.ptp(along) / STRETCH), 2, MOST_A_JOINT))
    while len(chosen) < wanted:
        distance = np.min([np.hypot(*(grid - grid[c]).T) for c in chosen], axis=0)
        value = distance - 0.2 * off
        best = int(np.argmax(value))
        if distance[best] < least:
            break
        chosen.append(best)
    return [(round(float(grid[c][0]), 3), round(float(grid[c][1]), 3)) for c in chosen]


def _upright(k: int) -> np.ndarray:
    """Rotation that turns +z to axis k."""
    return np.array([[(0, 0, 1), (1, 0, 0), (0, 1, 0)], [(0, 1, 0), (0, 0, 1), (1, 0, 0)], [(1, 0, 0), (0, 1, 0), (0, 0, 1)]][k], float)


def socket(centre: Sequence[float], cut: Cut, keys: Keys) -> Solid:
    """Hole for one dowel, reaching equally into both sections."""
    k = AXES.index(cut.axis)
    half = keys.depth + keys.end_gap
    hole = rod(keys.diameter / 2 + keys.clearance, 2 * half).translate((0, 0, -half))
    return hole.transform(np.c_[_upright(k), np.asarray(centre, float)])


def dowel(keys: Keys) -> Solid:
    """One dowel standing on the bed."""
    return rod(keys.diameter / 2, 2 * keys.depth)


def drill(sections: Sequence[Section], joints: Sequence[Joint], keys: Keys) -> list[Section]:
    """Sections with their sockets."""
    tools: dict[str, list[Solid]] = {}
    for joint in joints:
        for centre in joint.centres:
            hole = socket(centre, joint.cut, keys)
            for name in joint.sections:
                tools.setdefault(name, []).append(hole)
    out = []
    for section in sections:
        holes = tools.get(section.name)
        if not holes:
            out.append(section)
            continue
        parts = [Part(p.colour, m3.Manifold.batch_boolean([p.solid, *holes], m3.OpType.Subtract)) for p in section.parts]
        out.append(section._replace(parts=[p for p in parts if not p.solid.is_empty()]))
    return out
