"""Models of the demo, as somebody else might have made them."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.primitives import prism, rounded_rectangle
from cutkey.core.geometry.solid import Solid, mesh_of


def _disc(radius: float, sides: int = 180) -> shapely.Polygon:
    t = np.arange(sides) * 2 * np.pi / sides
    return shapely.Polygon(np.c_[radius * np.cos(t), radius * np.sin(t)])


def jar_lid() -> Solid:
    """Lid of a honey jar, 82 mm across, 14 mm high, hollow below.

    A sunk field of 44 x 40 mm sits off its centre.
    """
    outer = prism(_disc(41), 0, 14)
    inner = prism(_disc(38.6), -1, 11.4)
    grip = [
        m3.Manifold.cylinder(12, 1.1, 1.1, 24).translate((41.4 * np.cos(a), 41.4 * np.sin(a), 1))
        for a in np.arange(48) * 2 * np.pi / 48
    ]
    field = prism(rounded_rectangle(44, 40, 5), 13.4, 15).translate((6.0, -4.0, 0.0))
    return m3.Manifold.batch_boolean([outer, inner, field, *grip], m3.OpType.Subtract)


def hive_plate() -> Solid:
    """Plate in front of a hive's entrance, 140 x 60 x 4 mm.

    With four mounting holes and the bees' doorway.
    """
    holes = [prism(_disc(2.25, 64), -1, 5).translate((x, y, 0)) for x in (-62, 62) for y in (-22, 22)]
    door = prism(rounded_rectangle(70, 9, 3), -1, 5).translate((0, -30 + 9, 0))
    return m3.Manifold.batch_boolean(
        [prism(rounded_rectangle(140, 60, 6), 0, 4), *holes, door], m3.OpType.Subtract
    )


def feeder_cap() -> Solid:
    """Domed cap of a feeder, 64 mm across, hollow, with a small flat crown."""
    ball = m3.Manifold.sphere(60, 220).translate((0, 0, -40))
    shell = m3.Manifold.batch_boolean([ball, prism(_disc(70), -120, 0)], m3.OpType.Subtract) ^ prism(
        _disc(32), -1, 30
    )
    crown = shell.trim_by_plane((0, 0, -1), -18.6)
    hollow = m3.Manifold.sphere(57.4, 220).translate((0, 0, -40)) ^ prism(_disc(29.6), -1, 16.4)
    return crown - hollow


def scale_panel() -> Solid:
    """Panel of the honey scale, 160 x 90 x 4 mm: two round gauges, a window, four mounting holes."""
    holes = [prism(_disc(1.7, 48), -1, 5).translate((x, y, 0)) for x in (-75, 75) for y in (-40, 40)]
    gauges = [prism(_disc(14), -1, 5).translate((x, 12, 0)) for x in (-48, 0)]
    window = prism(rounded_rectangle(44, 26, 2), -1, 5).translate((46, 14, 0))
    return m3.Manifold.batch_boolean(
        [prism(rounded_rectangle(160, 90, 5), 0, 4), *holes, *gauges, window], m3.OpType.Subtract
    )


def stl_of(solid: Solid, title: str) -> bytes:
    """Binary STL of a demo model."""
    mesh = mesh_of(solid)
    return stl_bytes(mesh.vertices, mesh.triangles, title)
