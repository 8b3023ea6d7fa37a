"""A wavy seam."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.keys.kind import ROOT, Form, KeyKind, KeySolids

if TYPE_CHECKING:
    import shapely


class Wave(KeyKind):
    """Round lobes, from either section in turn."""

    id, rank, title, noun, nouns = "wave", 80, "waves", "wave", "waves"
    shaped = printed_on = from_back = both_sides = half_turn = True
    ways = ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0))

    def solids(self, f: Form, owner: int = -1, sides: int = 64) -> KeySolids:
        """A lobe. With a foot it would not be convex: it begins where the lobe is cut a little deeper."""
        from cutkey.core.keys._upright import formed

        return formed(f, _lobe(f.size, f.depth), owner, _lobe(f.size, f.depth, ROOT))


def _lobe(width: float, depth: float, root: float = 0.0) -> shapely.Polygon:
    """Segment of a circle on the seam; with a root it goes on below it."""
    import shapely

    from cutkey.core.geometry.areas import intersection

    radius = (width * width / 4 + depth * depth) / (2 * depth)
    centre = depth - radius
    disc = shapely.Point(0, centre).buffer(radius, quad_segs=16)
    return intersection(disc, shapely.box(-1e4, -root, 1e4, 1e4))
