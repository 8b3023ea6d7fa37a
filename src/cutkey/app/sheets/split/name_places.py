"""Where the names of sections are written on the stage: off the outlines of figures and letters."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from cutkey.app.hands.on_surface import on_surface
from cutkey.core.geometry.arrays import Float
from cutkey.core.model.placement import Placement
from cutkey.core.place.frame import flat_transform
from cutkey.worker.shown import DesignView, GraphicView
from cutkey.worker.shown_kit import UnitView

#: Places tried along each side of a section, how near its edges, and how far from its middle a name may go
#: for free room (mm a mm).
TRIED, EDGE, AWAY = 7, 0.12, 0.1
#: Points of outlines that are looked at in a section.
LOOKED_AT = 800
#: Room that is enough, as a share of the section's smaller side.
ENOUGH = 0.3


def outlines_in_model(
    design: DesignView | None, placements: Sequence[Placement], graphics: Mapping[str, GraphicView]
) -> Float:
    """Points (N, 3) along everything that is laid on the model."""
    views = {p.placement: p for p in design.placed} if design is not None else {}
    out = []
    for placement in placements:
        view, graphic = views.get(placement.id), graphics.get(placement.graphic)
        if view is None or graphic is None:
            continue
        matrix = flat_transform(placement)
        for _, rings in graphic.regions:
            points = rings.points[:: max(1, len(rings.points) // 2000)]
            out.append(on_surface(view, points @ matrix[:, :2].T + matrix[:, 2], 0.0))
    return np.concatenate(out) if out else np.zeros((0, 3))


def name_places(units: Sequence[UnitView], outlines: Float) -> dict[str, Float]:
    """A place on top of each section, away from outlines, else near its middle."""
    share = np.linspace(EDGE, 1 - EDGE, TRIED)
    x, y = (g.ravel() for g in np.meshgrid(share, share))
    places: dict[str, Float] = {}
    for unit in units:
        low, size = np.array(unit.low), np.array(unit.size)
        tried = low + size * np.stack([x, y, np.ones(len(x))], 1)
        off_middle = np.linalg.norm(tried - (low + size * (0.5, 0.5, 1.0)), axis=1)
        room = np.full(len(tried), np.inf)
        near = (
            outlines[((outlines >= low - size / 2) & (outlines <= low + size * 1.5)).all(1)]
            if len(outlines)
            else outlines
        )
        if len(near):
            flat = near[:: max(1, len(near) // LOOKED_AT), :2]
            room = np.hypot(tried[:, None, 0] - flat[:, 0], tried[:, None, 1] - flat[:, 1]).min(1)
        enough = ENOUGH * min(size[0], size[1])
        places[unit.name] = tried[int(np.argmax(np.minimum(room, enough) - AWAY * off_middle))]
    return places
