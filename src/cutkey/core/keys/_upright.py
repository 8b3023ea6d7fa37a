"""Solids of keys that stand upright on the seam, and of the forms of a seam."""

from __future__ import annotations

import math

import numpy as np
import shapely

from cutkey.core.geometry.areas import union
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import Solid
from cutkey.core.keys.kind import MOUTH, ROOT, Form, KeySolids

#: Slope of a dovetail's sides, degrees.
DOVETAIL_SLOPE = 14.0


def upright(outline: shapely.Geometry, v0: float, v1: float) -> Solid:
    """A prism over an outline in right and distance, from v0 to v1 along up."""
    # x, y, z of the prism are right, distance and up; the mirror keeps the coordinates right-handed.
    turned = prism(outline, v0, v1)
    return turned.transform(np.array([[1.0, 0, 0, 0], [0, 0, 1.0, 0], [0, 1.0, 0, 0]]))


def wedge(waist: float, wide: float, depth: float, root: float) -> shapely.Polygon:
    """Trapezoid from the seam outwards, wide at its end; `root` behind the seam as wide as at it.

    Parameters
    ----------
    waist, wide : float
        Width at the seam and at its end, mm.
    depth, root : float
        How far it reaches beyond the seam and behind it, mm.
    """
    return shapely.Polygon(
        [
            (-waist / 2, -root),
            (waist / 2, -root),
            (waist / 2, 0),
            (wide / 2, depth),
            (-wide / 2, depth),
            (-waist / 2, 0),
        ]
    )


def waist_of(f: Form, least: float) -> float:
    """Width at the seam of what grows wider to its end, at least a share of its greatest width, mm."""
    return max(least * f.size, f.size - 2 * f.depth * math.tan(math.radians(DOVETAIL_SLOPE)))


def formed(
    f: Form, outline: shapely.Polygon, owner: int, tongue: shapely.Geometry | None = None
) -> KeySolids:
    """Solids of a form of a seam.

    Parameters
    ----------
    outline : Polygon
        In right and distance, from the seam outwards.
    tongue : Polygon, optional
        What is printed on, where it is not the outline on a foot.
    """
    grown = outline.buffer(f.clearance, join_style="mitre", mitre_limit=10)
    foot = float(np.ptp([x for x, y in outline.exterior.coords if abs(y) < 1e-9]))
    if tongue is None:
        tongue = union([outline, shapely.box(-foot / 2, -ROOT, foot / 2, 0)])
    made = [
        upright(other_way(g, owner), -f.drop, f.rise)
        for g in (union([grown, shapely.box(-foot / 2, -MOUTH, foot / 2, 0)]), tongue)
    ]
    near, far = (made[0], None) if owner > 0 else (None, made[0])
    return KeySolids(near, far, made[1], owner, ())


def other_way(outline: shapely.Geometry, owner: int) -> shapely.Geometry:
    """For a key printed on the far section: the other way about."""
    return outline if owner < 0 else shapely.transform(outline, lambda p: p * (-1.0, -1.0))
