"""Graphics lie where something from outside can reach them, and not in a cavity."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, Laid, check
from cutkey.core.geometry.areas import grown, intersection, spread_places
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.rays import crossings, free_ahead
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding, Severity
from cutkey.core.place.carve import placed_regions
from cutkey.core.words import placing as say

#: Places of a region that are looked at, and directions that are tried at each.
_PLACES, _WAYS = 8, 48
#: Rays start this far off the surface, mm.
_OFF = 0.02
#: Share of a graphic that may be enclosed, or lie closely under other material, without a word; and with one.
_SHARE, _MOST = 0.1, 0.5


class Reached(NamedTuple):
    """What of one placed graphic can be reached from outside."""

    enclosed: float  # share of the places from which no straight way leads out
    covered: float  # share of the places that lie under other material
    gap: float  # least distance to what lies over them, mm
    at: tuple[float, float, float]  # the first place of either kind


@check(61)
def can_be_reached(c: Context) -> Iterator[Finding]:
    """Nothing is placed inside a closed cavity, and what lies under other material is told."""
    every = c.of_design("reached", lambda: {o.placement.id: reached(c.body.solid, o) for o in c.laid})
    assert isinstance(every, dict)
    for o in c.laid:
        found = every[o.placement.id]
        of = o.placement.id
        if found.enclosed > _SHARE:
            says = say.enclosed(o.name, found.enclosed)
            figures = round(found.enclosed, 3), _SHARE, ""
            # Deep pits of an organic surface are hard to reach too; most of a graphic in them is a mistake.
            severity: Severity = "stop" if found.enclosed > _MOST else "look at"
            yield Finding("reach", severity, says, o.name, *figures, found.at, "show", of)
        elif found.covered > _SHARE:
            says = say.under_other_material(o.name, found.covered, found.gap)
            figures = round(found.gap, 2), 0.0, "mm"
            yield Finding("reach", "look at", says, o.name, *figures, found.at, "show", of)


def reached(body: Solid, o: Laid) -> Reached:
    """Measure with rays what of a placed graphic can be reached.

    Parameters
    ----------
    body : Manifold
        The model before any graphic.
    o : Laid
        The graphic and where it lies.
    """
    places, normals = _places(o)
    none = (0.0, 0.0, 0.0)
    if not len(places):
        return Reached(0.0, 0.0, 0.0, none)
    starts = places + _OFF * normals
    hidden = np.flatnonzero(~free_ahead(body, starts, normals))
    shut = [k for k in hidden.tolist() if not _way_out(body, starts[k], normals[k])]
    # Within the graphic's own size it cannot well be seen; a wall across a wide room hides nothing.
    near = min(o.drawn.graphic.width, o.drawn.graphic.height)
    gaps = [g for k in hidden.tolist() if (g := _gap(body, starts[k], normals[k])) < near]
    at = places[(shut or hidden.tolist() or [0])[0]].tolist()
    return Reached(
        len(shut) / len(places),
        len(gaps) / len(places) if o.site.way == "face" else 0.0,
        min(gaps, default=0.0),
        (at[0], at[1], at[2]),
    )


def _places(o: Laid) -> tuple[Float, Float]:
    """Places on the surface, all copies, and the outward directions there."""
    every = []
    for one in o.copies:
        room = grown(o.site.facet.outline, -one.margin) if one.margin > 0 else o.site.facet.outline
        for region in placed_regions(o.drawn.graphic, one):
            parts = shapely.get_parts(intersection(region.geometry, room))
            each = max(1, _PLACES // max(1, len(parts)))
            every += [spread_places(p, each) for p in parts if p.geom_type == "Polygon" and p.area > 0.01]
    return o.site.at(np.concatenate(every)) if every else (np.zeros((0, 3)), np.zeros((0, 3)))


def _gap(body: Solid, start: Float, normal: Float) -> float:
    """Distance to what lies straight over a place, mm."""
    low, high = bounds_of(body)
    found = crossings(body, start, normal, float(np.linalg.norm(high - low)) + 1)
    return found[0][0] if found else np.inf


def _way_out(body: Solid, start: Float, normal: Float) -> bool:
    """Whether any of many straight ways from a place leads out of the model."""
    for way in _directions():
        out = way if way @ normal > 0 else -way
        if out @ normal > 0.05 and free_ahead(body, start[None], out)[0]:
            return True
    return False


def _directions() -> Float:
    """Directions spread evenly over a half sphere.

    References
    ----------
    R. Swinbank, R. J. Purser: Fibonacci grids. Quarterly Journal of the Royal Meteorological Society 132
    (2006) 1769-1793.
    """
    k = np.arange(_WAYS) + 0.5
    z, turn = k / _WAYS, np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - z * z)
    return np.asarray(np.c_[r * np.cos(turn), r * np.sin(turn), z])
