"""What a nozzle cannot draw joins what lies beside it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import shapely

from cutkey.core.cleanup.thin import narrower
from cutkey.core.geometry.areas import difference, intersection, sound, union
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

Piece = tuple[str, shapely.Polygon]
#: What is taken goes a little beyond the narrow part, so that no hem of it is left, as a share of the line.
_HEM = 0.1
#: Less than this is rounding, mm2; and pieces that lie so near to one another touch, mm.
_LEAST, _NEAR = 1e-4, 1e-4


class Joined(NamedTuple):
    """Pieces without what was too narrow, and what became of that."""

    pieces: list[Piece]  # what is left of them
    given: list[Piece]  # parts, in the colour that they have now
    joined: float  # mm2 that changed colour
    gone: float  # mm2 that are of no colour any more

    def told(self, line: float) -> Words | None:
        """In one sentence; None where nothing was too narrow."""
        if self.joined + self.gone < _LEAST:
            return None
        return say.joined_as_printable(line, self.joined, self.gone if self.gone >= _LEAST else 0.0)


def joined(picked: Sequence[Piece], others: Sequence[Piece], line: float) -> Joined:
    """Take what is narrower than a line out of pieces and give it to their neighbours.

    Parameters
    ----------
    picked : sequence of (str, Polygon)
        Pieces that are looked at, with their colours, mm.
    others : sequence of (str, Polygon)
        All other pieces.
    line : float
        mm.
    """
    left: list[Piece] = []
    taken: list[tuple[str, shapely.Polygon]] = []
    for colour, piece in picked:
        parts = [piece] if piece.buffer(-line / 2).is_empty else narrower(piece, line)
        if not parts:
            left.append((colour, piece))
            continue
        reach = intersection(piece, union([p.buffer(_HEM * line) for p in parts]))
        rest = sound(difference(piece, reach))
        # What hangs on a neck that was taken may be too small to stand by itself.
        kept = [
            g
            for g in shapely.get_parts(rest)
            if g.geom_type == "Polygon" and not g.buffer(-line / 2).is_empty
        ]
        left += [(colour, g) for g in kept]
        whole = sound(difference(piece, union(kept))) if kept else piece
        taken += [
            (colour, g) for g in shapely.get_parts(whole) if g.geom_type == "Polygon" and g.area > _LEAST
        ]
    around = [*left, *others]
    tree = shapely.STRtree([p for _, p in around])
    given: list[Piece] = []
    gone = 0.0
    for colour, gap in taken:
        # Along which other colour it lies the longest.
        edges: dict[str, float] = {}
        for k in tree.query(gap, predicate="dwithin", distance=_NEAR).tolist():
            other, piece = around[k]
            if other != colour:
                along = shapely.intersection(gap.boundary, piece.buffer(_NEAR)).length
                edges[other] = edges.get(other, 0.0) + float(along)
        most = max(edges, key=lambda c: edges[c], default="")
        if most and edges[most] > 10 * _NEAR:
            given.append((most, gap))
        else:
            gone += float(gap.area)
    return Joined(left, given, sum(float(g.area) for _, g in given), gone)
