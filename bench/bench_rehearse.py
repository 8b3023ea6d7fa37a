"""The rehearsal: a print with all that is looked for, against the bare sweep; triangles that cross,
against their tree."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import shapely

from bench.timing import in_turns
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.rehearse.film import run as print_bed
from cutkey.core.rehearse.layers import Slicer, filled, heights
from cutkey.core.rehearse.read import Body
from cutkey.core.rehearse.settings import Settings
from cutkey.core.solids.crossing import crossing_of

Row = tuple[str, float, float, str]


def run(small: bool = False) -> list[Row]:
    """A ring of 100,000 triangles, turned so that no layer is like another, in layers of 0.2 mm."""
    sides, settings = 24 if small else 223, Settings(layer=2.0, first=2.0) if small else Settings()
    ring = mesh_of(m3.CrossSection.circle(8, sides).translate((25, 0)).revolve(sides).rotate((33, 21, 0)))
    body = Body("ring", 0, "ring", "PLA", "", ring.vertices, ring.triangles)
    middles, _ = heights(float(ring.vertices[:, 2].min()), float(ring.vertices[:, 2].max()), settings)

    def bare() -> float:
        return sum(
            filled(cut.rings).size for cut in Slicer(ring.vertices, ring.triangles).at(middles.tolist())
        )

    own, floor = in_turns(lambda: print_bed([body], settings), bare, rounds=1 if small else 3)
    rows = [
        (f"{len(ring.triangles)} triangles in {len(middles)} layers", own, floor, "layers cut and filled")
    ]
    corners = ring.vertices[ring.triangles]
    low, high = corners.min(1), corners.max(1)

    def near() -> int:
        boxes = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
        return int(np.size(shapely.STRtree(boxes).query(boxes)))

    own, floor = in_turns(lambda: crossing_of(ring), near, rounds=1 if small else 3)
    rows.append((f"do {len(ring.triangles)} triangles cross", own, floor, "boxes that meet, in plan"))
    return rows
