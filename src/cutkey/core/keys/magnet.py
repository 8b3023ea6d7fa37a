"""A pair of disc magnets, one in each face."""

from __future__ import annotations

import math

from cutkey.core.keys.kind import MOUTH, Form, KeyKind, KeySolids
from cutkey.core.units import format_mm

#: Their faces stand back from the cut by this, mm.
BACK = 0.1
#: What a pair of discs of 2 mm holds, N for each mm2 of face (common practice, no source).
PULL = 0.12


class Magnet(KeyKind):
    """Disc magnets in both faces, poles up and down in turn."""

    id, rank, title, tip = "magnet", 50, "magnet pair", "Disc magnets in both faces, poles marked"
    noun, nouns = "magnet pair", "magnet pairs"
    sizes = (10, 8, 6, 5, 4, 3)
    poles = flush = True
    things = 2  # one in each section
    ways = ((0.0, 0.0, 1.0),)

    def usual_depth(self, size: float) -> float:
        """Two mm."""
        return 2.0

    def reach(self, f: Form) -> tuple[float, float]:
        """The magnet, and what it stands back."""
        return f.depth + BACK, f.depth + BACK

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """Two pockets and two discs."""
        from cutkey.core.geometry.primitives import rod

        hole = rod(f.size / 2 + f.clearance, f.depth + BACK + MOUTH)
        disc = rod(f.size / 2, f.depth)
        low, high = disc.translate((0, 0, -f.depth - BACK)), disc.translate((0, 0, BACK))
        return KeySolids(
            hole.translate((0, 0, -f.depth - BACK)), hole.translate((0, 0, -MOUTH)), None, 0, (low, high)
        )

    def pull(self, f: Form) -> float:
        """By the area of its face."""
        return PULL * math.pi * f.size**2 / 4

    def sign(self, number: int) -> int:
        """Poles up and down in turn; the first two alike would be the same when turned by half."""
        return 1 if number % 2 == 0 else -1

    def described(self, f: Form) -> str:
        """Diameter and thickness."""
        return f"Magnet {format_mm(f.size)} × {format_mm(f.depth)}"
