"""Made bodies as they came out: edges that were clamped, and rims without a land."""

from __future__ import annotations

import shapely

from cutkey.core.areas import area_of
from cutkey.core.check.finding import Finding
from cutkey.core.solids.bases import CoinBase, PlateBase
from cutkey.core.solids.made import edge_taken
from cutkey.core.solids.solid import Solid, bounds_of
from cutkey.core.units import format_mm

#: A rim's top should be so wide, mm: two lines of a usual nozzle (common practice, no source).
LAND = 0.8


def check_made(base: object, solid: Solid) -> list[Finding]:
    """Findings on a made body; none on an opened model.

    Parameters
    ----------
    base : a base of the job, or None
    solid : Manifold
        The body as it came out.
    """
    out: list[Finding] = []
    low, high = bounds_of(solid)
    top = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2])
    place = (float(top[0]), float(top[1]), float(top[2]))
    taken = edge_taken(base)
    if taken is not None and taken[1] < taken[0] - 1e-9:
        text = f"{format_mm(taken[0])} mm of {taken[2]} were asked, {format_mm(taken[1])} mm is the most that the body takes"
        out.append(Finding("made", "look at", "Edge made smaller", text, "", round(taken[1], 3), taken[0], "mm", place, "show"))
    if isinstance(base, PlateBase) and base.corner > min(base.width, base.depth) / 2 + 1e-9:
        most = min(base.width, base.depth) / 2
        text = f"corners of {format_mm(base.corner)} mm were asked, {format_mm(most)} mm is the most that the plate takes"
        out.append(Finding("made", "look at", "Corner made smaller", text, "", most, base.corner, "mm", place, "show"))
    if isinstance(base, CoinBase) and base.rim > 0 and base.rim_height > 0:
        for side, z in (("upper", high[2] - 0.005), *((("lower", low[2] + 0.005),) if base.both else ())):
            land = area_of(solid.slice(float(z)).to_polygons())
            width = 2 * float(shapely.maximum_inscribed_circle(land, tolerance=0.005).length) if not land.is_empty else 0.0
            if width < min(LAND, base.rim - 0.01):
                text = f"the {side} rim ends {format_mm(width)} mm wide; {format_mm(LAND)} mm print"
                out.append(Finding("made", "look at", "Rim ends in an edge", text, "", round(width, 3), LAND, "mm", place, "show"))
    return out
