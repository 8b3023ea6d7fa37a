"""What is cut off by graphics and would fall out of the print, and what would stand in the air.

Pieces of the finished design counted.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from cutkey.core.checks.floor import LAYERS
from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.areas import inner_places
from cutkey.core.geometry.rays import material_ahead
from cutkey.core.geometry.shells import bodies_of
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.model.finding import Finding
from cutkey.core.place.carve import placed_regions
from cutkey.core.words import placing as say

#: Less than this, mm3, is rounding.
_LEAST = 1e-4
#: Of a part of the body at least this share is the body's own material.
_OWN = 0.1
#: Places of a region at which the material is measured.
_LOOKS = 12
#: An inner part within this of what is cut through is held by bridges, mm.
_NEAR = 0.05


@check(42)
def nothing_falls_out(c: Context) -> Iterator[Finding]:
    """The finished design is in no more pieces than the body was."""
    found = c.of_design("falls out", lambda: loose_parts(c.body.solid, c.design.whole))
    assert isinstance(found, list)
    groups: dict[tuple[bool, str], list[Solid]] = {}
    for solid, inside in found:
        modes = ("through",) if inside else ("raised", "level")
        could = [o for o in c.laid if any(d.mode in modes for d in o.placement.depths)]
        laid = next((o for o in could if _near(c, o.placement.id, solid)), None)
        groups.setdefault((inside, laid.placement.id if laid else ""), []).append(solid)
    room = _room(c) if any(inside for inside, _ in groups) else None
    for (inside, of), some in groups.items():
        low, high = bounds_of(some[0])
        x, y, z = ((low + high) / 2).tolist()
        name = next((o.name for o in c.laid if o.placement.id == of), "")
        size = float(np.max(high - low))
        if not inside:
            says = say.in_the_air(len(some), size)
            yield Finding(
                "falls out", "stop", says, name, float(len(some)), 0.0, "parts", (x, y, z), "show", of
            )
            continue
        pocket = "as bodies" if c.job.colouring.uses("inlays") else ""
        mends = ("bridges", "leave a floor") if of else ("leave a floor", pocket)
        where = (x, y, z)
        says = say.falls_out(len(some), size, bool(of))
        falls = Finding("falls out", "stop", says, name, float(len(some)), 0.0, "parts", where, mends[0], of)
        yield replace(falls, other_mend=mends[1], room=room)
    if not found and c.laid:
        yield Finding("falls out", "sound", say.holds_together(), figure=0.0, limit=0.0)


def _room(c: Context) -> float | None:
    """How deep what is sunk may go so that a floor stays under all of it, mm; None where nothing is sunk."""
    least: list[float] = []
    for o in c.laid:
        if all(d.mode in ("raised", "level") for d in o.placement.depths):
            continue
        for placement in o.copies:
            regions = [r.geometry for r in placed_regions(o.drawn.graphic, placement)]
            places, normals = o.site.at(np.concatenate([inner_places(g, _LOOKS) for g in regions]))
            ahead = material_ahead(c.body.solid, places - 2e-3 * normals, -normals)
            least += ahead[ahead > 0].tolist()
    return min(least) - LAYERS * c.job.printer.layer if least else None


def _near(c: Context, placement: str, solid: Solid) -> bool:
    """Whether the tools of a graphic meet a part's surroundings."""
    grown = solid.bounding_box()
    low, high = np.array(grown[:3]) - _NEAR, np.array(grown[3:]) + _NEAR
    for lie in c.design.lies.get(placement, []):
        if lie.draped.solid.is_empty():
            continue
        a, b = bounds_of(lie.draped.solid)
        if (a <= high).all() and (b >= low).all():
            return True
    return False


def loose_parts(before: Solid, after: Solid) -> list[tuple[Solid, bool]]:
    """Pieces of a design that the body did not have, the largest first.

    And whether each is of the body's own material.

    Parameters
    ----------
    before, after : Manifold
        The body, and the finished design.
    """
    old, new = _pieces(before), _pieces(after)
    if len(new) <= 1:
        return []
    out = []
    for solid in new:
        # The largest piece in which a body goes on is that body.
        of = max(old, key=lambda o: (solid ^ o).volume(), default=None)
        own = float((solid ^ of).volume()) if of is not None else 0.0
        # What is raised reaches a little into the body.
        out.append((solid, id(of) if own > max(_LEAST, _OWN * solid.volume()) else 0))
    heirs: set[int] = set()
    loose = []
    for solid, of in out:
        if of and of not in heirs:
            heirs.add(of)
        else:
            loose.append((solid, bool(of)))
    return loose


def _pieces(solid: Solid) -> Sequence[Solid]:
    # With their cavities: a loose ball in a hollow is not a part of what is round it.
    return sorted((s for s in bodies_of(solid) if s.volume() > _LEAST), key=lambda s: -s.volume())
