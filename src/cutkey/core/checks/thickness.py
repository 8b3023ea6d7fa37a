"""Walls, floors and roofs of the whole body, an opened model's own included.

Are they thick enough to be printed?
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.rays import runs_along
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.settings import settings_of
from cutkey.core.rehearse.thickness import near, spread_over, thickness
from cutkey.core.words import building as say

#: Places that are looked at, and at least so many for each cm2 of a large body.
_PLACES, _MOST, _A_CM2 = 1500, 4000, 12
#: A wall has two sides that are parallel within 11 degrees; what runs out to an edge is none.
_SQUARE, _RAYS = 0.98, 12
#: Straight in a wall is met so much later than it is thick, where its sides lean to each other as far as
#: that.
_STRAIGHT = 1.03
#: Less than this, mm2, is no wall but a corner; layers of a floor at least; what is met within this, mm.
_AREA, _LAYERS, _OFF = 2.0, 2, 0.01
#: Steeper than this is a wall, flatter a floor or a roof (cosine).
_FLAT = 0.7


@check(51)
def walls_are_thick(c: Context) -> Iterator[Finding]:
    """No wall of the finished body is thinner than a line, no floor or roof thinner than two layers."""
    found = c.of_design(
        f"thickness {c.job.printer.nozzle} {c.job.printer.layer}",
        lambda: thin_walls(c.design.whole, c.job.printer),
    )
    assert isinstance(found, list)
    yield from found


def thin_walls(solid: Solid, printer: Printer) -> list[Finding]:
    """Findings of the walls of a solid.

    Parameters
    ----------
    solid : Manifold
    printer : Printer
        Whose line and layer are the limits.
    """
    mesh = mesh_of(solid)
    line, floor = settings_of(printer).line, _LAYERS * printer.layer
    corners = mesh.vertices[mesh.triangles]
    area = float(
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
        / 2
    )
    count = int(min(_MOST, max(_PLACES, _A_CM2 * area / 100)))
    places, normals = spread_over(mesh, count)
    sizes, square = np.full(count, np.inf), np.zeros(count)
    met = np.flatnonzero(near(solid, places, normals, _STRAIGHT * max(line, floor)))
    sizes[met], square[met] = thickness(solid, places[met], normals[met], max(line, floor), _RAYS)
    flat = np.abs(normals[:, 2]) > _FLAT
    out = []
    for lies, limit, wall in ((~flat, line, True), (flat, floor, False)):
        thin = lies & (sizes < limit - _OFF) & (square > _SQUARE)
        if not wall:
            thin[thin] = [
                _wider(solid, p, n, size, line, limit)
                for p, n, size in zip(places[thin], normals[thin], sizes[thin], strict=True)
            ]
        # Both sides of a wall are met.
        wide = area * float(thin.sum()) / count / 2
        if wide < _AREA:
            continue
        k = int(np.argmin(np.where(thin, sizes, np.inf)))
        least, at = float(sizes[k]), places[k]
        says = (
            say.thin_wall(least, wide, line) if wall else say.thin_floor_or_roof(least, wide, _LAYERS, floor)
        )
        place = (float(at[0]), float(at[1]), float(at[2]))
        out.append(
            Finding("thickness", "look at", says, "", round(least, 3), round(limit, 3), "mm", place, "show")
        )
    if not out:
        out.append(Finding("thickness", "sound", say.thick_enough(count, line, floor), figure=float(count)))
    return out


def _wider(solid: Solid, place: Float, normal: Float, size: float, line: float, limit: float) -> bool:
    """Whether a thin floor or roof goes on for a line's width along every axis about a place.

    A lip of a step that is narrower than a line is drawn by the line beside it.
    """
    middle = place - normal * size / 2
    for turn in np.arange(4) * np.pi / 4:
        way = line * np.array([np.cos(turn), np.sin(turn), 0.0])
        if not any(_thin_at(solid, middle + sign * way, limit) for sign in (1, -1)):
            return False
    return True


def _thin_at(solid: Solid, at: Float, limit: float) -> bool:
    """Whether a place lies in material that is thinner than a limit, straight up and down."""
    start = at - np.array([0.0, 0.0, 2 * limit])
    runs = runs_along(solid, start, np.array([0.0, 0.0, 1.0]), 4 * limit)
    return any(a <= 2 * limit <= b and b - a < limit for a, b in runs)
