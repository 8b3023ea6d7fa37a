"""What was clicked on the stage."""

from __future__ import annotations

import math

from cutkey.app.engine import Engine
from cutkey.app.hands.things import Face, Stock, things_on
from cutkey.app.stage.picking import Hit
from cutkey.core.model.job import Job
from cutkey.worker.shown import PlacedView

#: How far out of a face a click may be that means something on it, mm.
OUT = 12.0


def thing_at(engine: Engine, job: Job, hit: Hit, stock: Stock) -> str:
    """Id of what lies where the model was clicked.

    The smallest thing there, else the graphic nearest to it on its face.
    """
    if engine.design is None:
        return ""
    faces: list[Face] = [*engine.design.placed, *(engine.body.addons if engine.body is not None else ())]
    found: list[tuple[float, str]] = []
    near: list[tuple[float, str]] = []
    for face in faces:
        off = hit.point - face.origin
        if abs(off @ face.normal) > OUT:
            continue
        mine = face.placement if isinstance(face, PlacedView) else face.id
        for t in things_on(face, job, engine.design.placed, engine.body, engine.graphics, {}, stock):
            if t.id == mine and t.holds(float(off @ face.right), float(off @ face.up)):
                found.append(((t.high[0] - t.low[0]) * (t.high[1] - t.low[1]), t.id))
            elif t.id == mine and isinstance(face, PlacedView):
                near.append((math.hypot(off @ face.right - t.at[0], off @ face.up - t.at[1]), t.id))
    return min(found)[1] if found else min(near)[1] if near else ""
