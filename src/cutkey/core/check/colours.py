"""Do the colours meet without gap and overlap, on the drawing and in the solids?"""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.artwork.graphic import Graphic
from cutkey.core.check.finding import Finding
from cutkey.core.relief.carve import Part


def gap_and_overlap(graphic: Graphic) -> tuple[float, float]:
    """Area, mm2, of edges that do not match between neighbouring regions (gap) and of double cover (overlap).

    Judged by shapely's coverage functions; a valid coverage has neither.
    """
    geometries = np.array([r.geometry for r in graphic.regions], object)
    if bool(shapely.coverage_is_valid(geometries)):
        return 0.0, 0.0
    whole = shapely.union_all(geometries)
    overlap = max(0.0, float(shapely.area(geometries).sum() - whole.area))
    closed = whole.buffer(0.01).buffer(-0.01)
    return max(0.0, float(closed.difference(whole).area)), overlap


def check_regions(graphics: Sequence[tuple[str, Graphic]]) -> list[Finding]:
    """Gap and overlap of every graphic."""
    out = []
    for name, graphic in graphics:
        gap, overlap = gap_and_overlap(graphic)
        if gap > 0 or overlap > 0:
            out.append(
                Finding(
                    "colours",
                    "stop",
                    "Colours do not meet",
                    f"{name}: gap {gap:.4f}, overlap {overlap:.4f} mm²",
                    name,
                    gap + overlap,
                    0,
                    "mm²",
                )
            )
    if graphics and not out:
        n = sum(len(g.regions) for _, g in graphics)
        out.append(
            Finding("colours", "sound", "Colours meet", f"{n} colour regions, gap 0 and overlap 0 mm²", figure=0, limit=0, unit="mm²")
        )
    return out


def check_solids(parts: Sequence[Part], design_volume: float) -> list[Finding]:
    """Colour bodies must not share volume."""
    total = sum(p.solid.volume() for p in parts)
    whole = m3.Manifold.batch_boolean([p.solid for p in parts], m3.OpType.Add).volume()
    shared = (total - whole) / max(design_volume, 1e-9)
    if abs(shared) > 1e-6:
        return [
            Finding(
                "bodies",
                "stop",
                "Bodies overlap",
                f"colour bodies share {total - whole:.3f} mm³",
                figure=total - whole,
                limit=0,
                unit="mm³",
            )
        ]
    return [Finding("bodies", "sound", "Bodies apart", f"{len(parts)} colour bodies share no volume", figure=0, limit=0, unit="mm³")]
