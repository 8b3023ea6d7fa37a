"""Setting-out pieces of a design.

Which are needed, what each looks like, and in which order islands are put up.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import manifold3d as m3
import numpy as np
import shapely
from shapely import affinity

from cutkey.core.geometry.areas import union
from cutkey.core.geometry.primitives import prism, rod
from cutkey.core.geometry.solid import Solid
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.room import FONT
from cutkey.core.lettering.text import TextLook, text_area
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.core.printing.pose import pose_on_bed
from cutkey.core.spacers.gaps import Spacer, candidates
from cutkey.core.spacers.rigid import fewest, free_islands
from cutkey.core.split.cutting import Section

#: How far spacers reach round the corners of islands that would slide, mm.
HOOK = 6.0
#: Head of a peg with the number on it, mm.
HEAD, HEAD_HEIGHT, ENGRAVED = 9.0, 1.6, 0.6
#: Share of the circle round it that a disc fills.
_ROUND = 0.97
#: It keeps this far off islands, mm.
BESIDE = 0.6


class Piece(NamedTuple):
    """A numbered spacer."""

    number: int
    spacer: Spacer
    peg: tuple[float, float]
    # the peg does not widen to its head below this height, mm: islands beside it are in the way
    widens: float = 0.0


class SettingOut(NamedTuple):
    """Everything to put the islands of a design up in their places."""

    islands: list[tuple[str, shapely.Geometry]]  # name and outline, seen from above
    pieces: list[Piece]
    free: list[str]  # islands that nothing holds
    # islands as they are put up, each with the spacers laid against those before
    order: list[tuple[str, tuple[int, ...]]]
    heights: list[float] | None = None  # of the islands over the wall, mm


def islands_of(sections: Sequence[Section]) -> list[tuple[str, shapely.Geometry]]:
    """The separate bodies of a design seen from above; one that was cut is named after all its sections."""
    found: dict[int, list[Section]] = {}
    for section in sections:
        found.setdefault(section.island, []).append(section)
    out = []
    for mine in found.values():
        outline = union([s.outline().buffer(0.01, join_style="mitre") for s in mine]).buffer(
            -0.01, join_style="mitre"
        )
        out.append(("+".join(s.name for s in mine), outline))
    return out


def heights_of(sections: Sequence[Section]) -> list[float]:
    """How far each island of `islands_of` stands off the wall, mm."""
    wall = min(float(s.bounds()[0][2]) for s in sections)
    found: dict[int, float] = {}
    for s in sections:
        found[s.island] = max(found.get(s.island, 0.0), float(s.bounds()[1][2]) - wall)
    return list(found.values())


def set_out(
    islands: Sequence[tuple[str, shapely.Geometry]],
    gauge: Gauge,
    printer: Printer,
    heights: Sequence[float] = (),
) -> SettingOut:
    """As few spacers as hold every island in its place, each of a size the bed takes.

    Parameters
    ----------
    heights : sequence of float, optional
        How far the islands stand off the wall, mm; heads of pegs keep above those that are near.
    """
    outlines = [o for _, o in islands]
    line = printer.nozzle
    found = _that_fit(candidates(outlines, gauge, line), printer)
    chosen = fewest(len(islands), found) if found else []
    discs = {n: _middle_of(o) for n, o in enumerate(outlines) if _is_round(o)}
    loose = free_islands(len(islands), chosen, discs)
    if loose and len(islands) > 1:
        # Between straight edges spacers slide; such that reach round corners do not. With the others, or
        # where those take their places, by themselves.
        hooks = _that_fit(candidates(outlines, gauge, line, HOOK), printer)
        for some in (found + hooks, hooks):
            hooked = fewest(len(islands), some) if some else []
            still = free_islands(len(islands), hooked, discs)
            if len(still) < len(loose):
                chosen, loose = hooked, still
    # Numbered along the rows, from the far left.
    chosen.sort(key=lambda s: (-round(s.outline.centroid.y / 25), s.outline.centroid.x))
    pieces = []
    for n, spacer in enumerate(chosen):
        middle = shapely.maximum_inscribed_circle(spacer.outline, tolerance=0.05).coords[0]
        peg = (float(middle[0]), float(middle[1]))
        pieces.append(Piece(n + 1, spacer, peg, _widens(peg, _stem(spacer, peg, gauge), islands, heights)))
    free = [islands[i][0] for i in loose] if len(islands) > 1 else []
    return SettingOut(list(islands), pieces, free, _order(islands, pieces), list(heights) or None)


def _is_round(outline: shapely.Geometry) -> bool:
    """Whether an island is a disc, which looks the same however it is turned."""
    radius = float(shapely.minimum_bounding_radius(outline))
    return bool(outline.area > _ROUND * np.pi * radius**2)


def _middle_of(outline: shapely.Geometry) -> tuple[float, float]:
    x, y = outline.centroid.coords[0]
    return float(x), float(y)


def _that_fit(spacers: Sequence[Spacer], printer: Printer) -> list[Spacer]:
    return [s for s in spacers if pose_on_bed(s.outline, printer) is not None]


def _stem(spacer: Spacer, peg: tuple[float, float], gauge: Gauge) -> float:
    """Thickness of a peg, mm."""
    room = 2 * shapely.Point(peg).distance(spacer.outline.exterior) - 0.2
    return float(min(gauge.peg, max(1.6, room)))


def _widens(
    peg: tuple[float, float],
    thick: float,
    islands: Sequence[tuple[str, shapely.Geometry]],
    heights: Sequence[float],
) -> float:
    """The least height at which a peg may begin to widen without coming near an island, mm.

    It widens at 45 degrees.
    """
    low = 0.0
    for (_, outline), height in zip(islands, heights, strict=False):
        away = float(outline.distance(shapely.Point(peg)))
        if away < HEAD / 2 + BESIDE:
            low = max(low, height + BESIDE - max(0.0, away - BESIDE - thick / 2))
    return low


def _order(
    islands: Sequence[tuple[str, shapely.Geometry]], pieces: Sequence[Piece]
) -> list[tuple[str, tuple[int, ...]]]:
    """Islands one by one, the next always the one that most spacers lead to."""
    left = set(range(len(islands)))
    laid: set[int] = set()
    out = []
    while left:

        def leads(n: int) -> int:
            return sum(n in p.spacer.islands and bool(laid & set(p.spacer.islands)) for p in pieces)

        def spacers(n: int) -> int:
            return sum(n in p.spacer.islands for p in pieces)

        best = max(sorted(left), key=lambda n: (leads(n), spacers(n)))
        needed = tuple(p.number for p in pieces if best in p.spacer.islands and laid & set(p.spacer.islands))
        laid.add(best)
        left.remove(best)
        out.append((islands[best][0], needed))
    return out


def piece_solid(piece: Piece, gauge: Gauge) -> Solid:
    """A spacer with its peg, on whose head the number is engraved.

    Prints without support, as the head widens at 45 degrees.
    """
    plate = prism(piece.spacer.outline, 0.0, gauge.thickness)
    thick = _stem(piece.spacer, piece.peg, gauge)
    cone = (HEAD - thick) / 2
    low = max(gauge.thickness, gauge.height - HEAD_HEIGHT - cone, piece.widens)
    # Each part reaches into the one below, so that all are one solid.
    stem = rod(thick / 2, low + 0.1).translate((*piece.peg, 0.0))
    flare = m3.Manifold.cylinder(cone, thick / 2, HEAD / 2, 64).translate((*piece.peg, low))
    top = low + cone + HEAD_HEIGHT
    head = rod(HEAD / 2, HEAD_HEIGHT + 0.1).translate((*piece.peg, low + cone - 0.1))
    number = text_area(font_bytes(FONT), str(piece.number), TextLook(4.6 if piece.number < 10 else 3.8), 0.02)
    x0, y0, x1, y1 = number.bounds
    placed = affinity.translate(number, piece.peg[0] - (x0 + x1) / 2, piece.peg[1] - (y0 + y1) / 2)
    sunk = prism(shapely.orient_polygons(placed), top - ENGRAVED, top + 1.0)
    return m3.Manifold.batch_boolean([plate, stem, flare, head], m3.OpType.Add) - sunk
