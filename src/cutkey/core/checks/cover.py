"""Does a colour hide what is under it? Its thickness, measured through the finished body."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.colour.names import plain_name
from cutkey.core.geometry.areas import grown, inner_places
from cutkey.core.geometry.rays import runs_along
from cutkey.core.geometry.solid import Solid
from cutkey.core.model.finding import Finding
from cutkey.core.place.carve import placed_regions
from cutkey.core.words import placing as say

#: A ray begins so far outside, mm; places of a colour that are looked at.
_OUT, _PLACES = 30.0, 6
#: Layers are met within this, mm; thinner than that there is nothing of a colour, which other checks say.
_OFF = 0.01


@check(37)
def colours_cover(c: Context) -> Iterator[Finding]:
    """Every colour that is printed as a body over another has the layers that its filament needs."""
    parts = {p.colour: p.solid for p in c.design.parts}
    for o in c.laid:
        for region in placed_regions(o.drawn.graphic, o.copies[0]):
            filament = c.filaments.get(region.colour, "")
            if region.colour not in parts or c.job.colouring.way_of(region.colour) != "bodies":
                continue
            need = c.job.colouring.cover_of(filament) * c.job.printer.layer
            area = shapely.intersection(region.geometry, grown(o.site.facet.outline, -o.placement.margin))
            if area.area < 0.5:
                continue
            places, normals = o.site.at(inner_places(area, _PLACES))
            found = [
                (_thickness(parts[region.colour], p, n), p) for p, n in zip(places, normals, strict=True)
            ]
            least, at = min(
                ((t, p) for t, p in found if t > _OFF), key=lambda pair: pair[0], default=(need, places[0])
            )
            if least < need - _OFF:
                layers = c.job.colouring.cover_of(filament)
                says = say.shows_through(o.name, plain_name(region.colour), least, filament, layers)
                place = (float(at[0]), float(at[1]), float(at[2]))
                figures = round(least, 3), round(need, 3), "mm"
                of = o.placement.id, region.colour
                yield Finding("cover", "look at", says, o.name, *figures, place, "thicker", *of)


def _thickness(solid: Solid, place: np.ndarray, normal: np.ndarray) -> float:
    """Of the uppermost stretch of a colour under a place, mm."""
    runs = runs_along(solid, place + _OUT * normal, -normal, 2 * _OUT)
    near = [b - a for a, b in runs if a < _OUT + _OFF]
    return near[-1] if near else 0.0
