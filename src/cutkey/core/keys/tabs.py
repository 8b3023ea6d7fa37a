"""A seam of tabs that lock."""

from __future__ import annotations

from cutkey.core.keys.kind import Form, KeyKind, KeySolids


class Tab(KeyKind):
    """Tabs that widen outwards and lock, all from one section."""

    id, rank, title, noun, nouns = "tabs", 90, "interlocking tabs", "tab", "tabs"
    shaped = printed_on = from_back = half_turn = True
    share = 0.55
    ways = ((0.0, 1.0, 0.0), (0.0, -1.0, 0.0))

    def travel(self, f: Form, thickness: float) -> float:
        """Through the whole plate."""
        return thickness

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A wedge."""
        from cutkey.core.keys._upright import formed, waist_of, wedge

        return formed(f, wedge(waist_of(f, 0.4), f.size, f.depth, 0.0), owner)
