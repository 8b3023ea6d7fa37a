"""Bed loads for the stand-in printer, from what a rehearsal found."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from cutkey.core.rehearse.film import Run
from cutkey.core.rehearse.printer import Load, PlannedLayer
from cutkey.core.rehearse.read import Body

#: A wall that is lost goes on through so many layers more, and is so large in one, mm2.
_LAYERS, _AREA = 4, 1.0


def load_of(bodies: Sequence[Body], run: Run, density: Mapping[str, float] | None = None) -> Load:
    """A bed load.

    Parameters
    ----------
    bodies : sequence of Body
        That lie on the bed.
    run : Run
        Their print.
    density : mapping, optional
        Of filaments, g/cm³; that of PLA, from memory, where nothing is said.
    """
    corners = np.array([[b.vertices.min(0), b.vertices.max(0)] for b in bodies])
    x, y, z = (float(v) for v in corners[:, 1].max(0) - corners[:, 0].min(0))
    layers, last = [], ""
    for row in run.rows:
        # Within a layer the filament that is in goes on first.
        names = sorted(row.areas, key=lambda n: (n != last, n))
        last = names[-1] if names else last
        layers.append(PlannedLayer(row.top, row.seconds, tuple(names)))
    # Tips of slopes are no walls: those go on, and are long.
    lost = [
        e.figure for e in run.events if e.kind == "lost" and e.last - e.first >= _LAYERS and e.area > _AREA
    ]
    grams = {n: (density or {}).get(n, 1.24) * v / 1000 for n, v in run.printed().items()}
    return Load(f"Bed {run.bed}", (x, y, z), tuple(layers), grams, min(lost, default=0.0))
