"""A bow-tie: a loose key let in across the seam from the back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.keys.kind import MOUTH, Form, KeyKind, KeySolids
from cutkey.core.units import format_mm

if TYPE_CHECKING:
    from cutkey.core.geometry.solid import Solid
    from cutkey.core.model.cuts import Keys


class Bowtie(KeyKind):
    """A loose key, narrow at the seam, let in from the back."""

    id, rank, title, tip = "bowtie", 40, "bow-tie", "A loose key let in across the seam from the back"
    noun, nouns = "bow-tie", "bow-ties"
    sizes = (20, 16, 12, 10, 8, 6)
    from_back = tall = True

    def form(self, keys: Keys, size: float, depth: float, thickness: float) -> Form:
        """As high as the wall over it allows, and no more than it needs."""
        return self.measured(
            keys, size, depth or 0.8 * size, max(0.0, min(0.6 * thickness, thickness - keys.wall, 6.0))
        )

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A pocket in each section, and the key in two convex halves."""
        import shapely

        from cutkey.core.geometry.areas import intersection, union
        from cutkey.core.keys._upright import upright

        waist = 0.5 * f.size
        half = [
            shapely.Polygon(
                [(-waist / 2, 0), (waist / 2, 0), (f.size / 2, s * f.depth), (-f.size / 2, s * f.depth)]
            )
            for s in (-1, 1)
        ]
        pocket = union(half)
        key = pocket.buffer(-f.clearance, join_style="mitre", mitre_limit=10)
        near = upright(union([half[0], shapely.box(-waist / 2, -0.01, waist / 2, MOUTH)]), -f.drop, f.height)
        far = upright(union([half[1], shapely.box(-waist / 2, -MOUTH, waist / 2, 0.01)]), -f.drop, f.height)
        loose = tuple(
            upright(
                intersection(key, shapely.box(-f.size, min(0, s) * f.depth, f.size, max(0, s) * f.depth)),
                0.0,
                f.height - f.end_gap,
            )
            for s in (-1, 1)
        )
        return KeySolids(near, far, None, 0, loose)

    def printed(self, f: Form) -> bool:
        """Always."""
        return True

    def on_bed(self, solid: Solid) -> Solid:
        """Flat on its back."""
        return solid.rotate((90, 0, 0))

    def described(self, f: Form) -> str:
        """Width, length and height."""
        return f"Bow-tie {format_mm(f.size)} × {format_mm(2 * f.depth)} × {format_mm(f.height - f.end_gap)}"
