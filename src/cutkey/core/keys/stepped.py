"""A seam of square steps."""

from __future__ import annotations

from cutkey.core.keys.kind import Form, KeyKind, KeySolids


class Step(KeyKind):
    """Square steps, from either section in turn."""

    id, rank, title, noun, nouns = "stepped", 70, "square steps", "step", "steps"
    shaped = printed_on = from_back = both_sides = half_turn = True
    ways = ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0))

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A block."""
        import shapely

        from cutkey.core.keys._upright import formed

        return formed(f, shapely.box(-f.size / 2, 0, f.size / 2, f.depth), owner)
