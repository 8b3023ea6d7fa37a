"""A tenon: tapered, printed on one section."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from cutkey.core.keys.kind import MOUTH, ROOT, Form, KeyKind, KeySolids

if TYPE_CHECKING:
    from cutkey.core.geometry.solid import Solid
    from cutkey.core.model.cuts import Keys


#: Slope of its sides, degrees.
TAPER = 3.0
#: Its height as a share of its width.
HEIGHT = 0.62


class Tenon(KeyKind):
    """A tapered block on one section, a socket in the other."""

    id, rank, title, tip = "tenon", 20, "tenon", "Tapered, printed on one section"
    noun, nouns = "tenon", "tenons"
    sizes = (14, 10, 8, 6, 5, 4, 3, 2)
    printed_on = shallower = unlike = oblong = half_turn = tall = True
    ways = ((0.0, 0.0, 1.0),)
    least = 3.0

    def form(self, keys: Keys, size: float, depth: float, thickness: float) -> Form:
        """Lower than it is wide."""
        return self.measured(keys, size, depth or min(max(size, 3.0), 12.0), HEIGHT * size)

    def overhang(self, keys: Keys) -> float:
        """Its depth."""
        return keys.depth or 12.0

    def half(self, f: Form) -> tuple[float, float]:
        """Width and height, with its clearance square to the slope."""
        c = f.clearance / math.cos(math.radians(TAPER))
        return f.size / 2 + c, f.height / 2 + c

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A frustum and its socket."""
        import manifold3d as m3
        import numpy as np

        slope = math.tan(math.radians(TAPER))
        c = f.clearance / math.cos(math.radians(TAPER))

        def frustum(w: float, h: float, z0: float, z1: float) -> Solid:
            points = [
                (sx * (w / 2 - slope * z), sy * (h / 2 - slope * z), z)
                for z in (z0, z1)
                for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))
            ]
            return m3.Manifold.hull_points(np.array(points))

        socket = frustum(f.size + 2 * c, f.height + 2 * c, -MOUTH, f.depth + f.end_gap)
        return KeySolids(None, socket, frustum(f.size, f.height, -ROOT, f.depth), -1, ())
