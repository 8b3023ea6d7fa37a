"""Regions thinner than the nozzle can draw."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.cleanup.thin import narrower
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.region import Region
from cutkey.core.model.finding import Finding
from cutkey.core.place.carve import OUT, placed_regions
from cutkey.core.place.site import Site
from cutkey.core.words import placing as say

#: What is so many times as long round as it is wide is a stroke.
_LONG = 16


def thin_places(geometry: shapely.Geometry, width: float) -> list[tuple[shapely.Point, float]]:
    """Places of a region narrower than `width` mm, and how wide each is there."""
    rest = narrower(geometry, width)
    if not rest:
        return []
    circles = shapely.maximum_inscribed_circle(rest, tolerance=0.01)
    centres = shapely.get_point(circles, 0)
    # The remainder may be cut out of something wider: measure at its middle, in the region itself.
    edge = shapely.boundary(geometry)
    found = [(p, min(2 * float(edge.distance(p)), _stroke(r))) for p, r in zip(centres, rest, strict=True)]
    return [(p, wide) for p, wide in found if wide < width]


def _stroke(area: shapely.Polygon) -> float:
    """How wide a long stroke is: its middle is widest where strokes meet."""
    wide = 2 * float(area.area) / float(area.length)
    return wide if area.length > _LONG * wide else float("inf")


def check_thin(
    regions: Sequence[Region], site: Site, name: str, nozzle: float, of: str = ""
) -> list[Finding]:
    """Raised and flush regions of one placed graphic against the nozzle's width.

    Parameters
    ----------
    regions : sequence of Region
        Of the graphic, mm about its middle.
    site : Site
        Where it is laid.
    name : str
        Of the graphic, for the sentence.
    nozzle : float
        mm.
    of : str
        Id of the placement.
    """
    out = []
    for region in regions:
        places = sorted(thin_places(region.geometry, nozzle), key=lambda found: found[1])
        if not places:
            continue
        point, least = places[0]
        x, y, z = (float(v) for v in site.at(np.array([[point.x, point.y]]))[0][0])
        says = say.too_thin_to_print(name, plain_name(region.colour), least, len(places), nozzle)
        figures = (round(least, 3), nozzle, "mm", (x, y, z))
        out.append(
            Finding(
                "thin", "look at", says, name, *figures, "widen", of, region.colour, other_mend="join narrow"
            )
        )
    return out


@check(50)
def regions_print(c: Context) -> Iterator[Finding]:
    """Nothing laid is thinner than the nozzle draws."""
    for o in c.laid:
        # Of what is taken out the rehearsal tells whether it closes.
        stays = [
            r
            for r in placed_regions(o.drawn.graphic, o.placement)
            if o.placement.depth_of(r.colour).mode not in OUT
        ]
        yield from check_thin(stays, o.site, o.name, c.job.printer.nozzle, o.placement.id)
