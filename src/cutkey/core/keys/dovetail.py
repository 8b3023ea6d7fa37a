"""A dovetail: printed on, slid in from the back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.keys.kind import MOUTH, ROOT, Form, KeyKind, KeySolids

if TYPE_CHECKING:
    from cutkey.core.model.cuts import Keys


class Dovetail(KeyKind):
    """A tongue that widens outwards, slid in along the seam."""

    id, rank, title, tip = "dovetail", 30, "dovetail slide", "Printed on, slid in from the back"
    noun, nouns = "dovetail", "dovetails"
    sizes = (16, 12, 10, 8, 6)
    printed_on = from_back = tall = True
    ways = ((0.0, 1.0, 0.0),)

    def form(self, keys: Keys, size: float, depth: float, thickness: float) -> Form:
        """As high as the wall over it allows."""
        height = max(0.0, thickness - max(keys.wall, 0.2 * thickness) - keys.end_gap)
        return self.measured(keys, size, depth or 0.5 * size, height)

    def overhang(self, keys: Keys) -> float:
        """Its depth."""
        return keys.depth or 8.0

    def travel(self, f: Form, thickness: float) -> float:
        """Its height."""
        return f.height + f.end_gap

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A tongue and its groove."""
        import shapely

        from cutkey.core.geometry.areas import union
        from cutkey.core.keys._upright import upright, waist_of, wedge

        waist = waist_of(f, 0.35)
        plain = wedge(waist, f.size, f.depth, 0.0)
        grown = plain.buffer(f.clearance, join_style="mitre", mitre_limit=10)
        mouth = shapely.box(-waist / 2 - 2 * f.clearance, -MOUTH, waist / 2 + 2 * f.clearance, 0)
        tongue = upright(union([plain, shapely.box(-waist / 2, -ROOT, waist / 2, 0)]), -f.drop, f.height)
        return KeySolids(None, upright(union([grown, mouth]), -f.drop, f.height + f.end_gap), tongue, -1, ())
