"""A loose dowel: a round pin in sockets on both sides."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from cutkey.core.keys.kind import MOUTH, Form, KeyKind, KeySolids
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.geometry.solid import Solid

#: Half of the angle that the flat of a lying pin takes of its round, degrees: beside it walls lean no further
#: than is printed.
FLAT = 40.0


class Dowel(KeyKind):
    """A round pin, printed, of wood or of metal."""

    id, rank, title, tip = "dowel", 10, "loose dowel", "Round pins in sockets on both sides"
    noun, nouns = "dowel", "dowels"
    sizes = (10, 8, 6, 5, 4, 3, 2.5, 2, 1.5)
    shallower = unlike = twins = stocks = crosses = True
    ways = ((0.0, 0.0, 1.0),)
    least = 3.0

    def usual_depth(self, size: float) -> float:
        """Two and a half diameters, within reason."""
        return min(max(2.5 * size, 5.0), 15.0)

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """Two sockets and a pin."""
        from cutkey.core.geometry.primitives import rod

        hole = rod(f.size / 2 + f.clearance, f.depth + f.end_gap + MOUTH)
        below = hole.translate((0, 0, -f.depth - f.end_gap))
        return KeySolids(
            below,
            hole.translate((0, 0, -MOUTH)),
            None,
            0,
            (rod(f.size / 2, 2 * f.depth).translate((0, 0, -f.depth)),),
        )

    def reach(self, f: Form) -> tuple[float, float]:
        """The gap at its ends too."""
        return f.depth + f.end_gap, f.depth + f.end_gap

    def on_bed(self, solid: Solid) -> Solid:
        """On its side, on a flat.

        Layers that run across a pin that stands break, and it would stand on next to nothing.
        """
        lying = solid.rotate((0.0, 90.0, 0.0))
        left, _, low, right, _, high = lying.bounding_box()
        if right - left <= high - low:
            return solid
        return lying.trim_by_plane(
            (0.0, 0.0, 1.0), low + (high - low) / 2 * (1 - math.cos(math.radians(FLAT)))
        )

    def printed(self, f: Form) -> bool:
        """Unless it is of wood or metal."""
        return f.stock == "printed"

    def described(self, f: Form) -> str:
        """What it is made of, diameter and length."""
        what = {"printed": "Dowel", "wood": "Wooden dowel", "metal": "Metal rod"}[f.stock]
        return f"{what} {format_mm(f.size)} × {format_mm(2 * f.depth)}"
