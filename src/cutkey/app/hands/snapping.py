"""What a dragged thing is drawn to.

The middle and the edges of its face, middles of holes, and what else lies there.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from cutkey.app.hands.things import Thing
from cutkey.worker.shown import Rings

Place = tuple[float, float]


class Drawn(NamedTuple):
    """Where a thing is drawn to, and the guides that say so: their x and y, None where nothing is near."""

    at: Place
    guides: tuple[float | None, float | None]


def hole_centres(outline: Rings) -> list[Place]:
    """Middles of a face's holes, mm."""
    boxes = [(r.min(0), r.max(0)) for r in outline.rings()]
    whole = max((float(np.prod(high - low)) for low, high in boxes), default=0.0)
    holes = [(low + high) / 2 for low, high in boxes if 0 < np.prod(high - low) < 0.25 * whole]
    return [(float(c[0]), float(c[1])) for c in holes]


def drawn_to(
    at: Place, thing: Thing, outline: Rings, others: Sequence[Place], margin: float, near: float
) -> Drawn:
    """Where a thing comes to lie that is dragged to a place.

    What is within `near` mm draws it, each way by itself.
    """
    places = [(0.0, 0.0), *others]
    centres = hole_centres(outline)
    if len(centres) > 1:
        low, high = np.min(centres, 0), np.max(centres, 0)
        places.append((float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2))
    edge = outline.points.min(0), outline.points.max(0)
    box = thing.box()
    found: list[float | None] = []
    for k in range(2):
        # Flush with the face's edges, or as far from them as is kept clear.
        low, high = box[k] - thing.at[k], box[k + 2] - thing.at[k]
        flush = (edge[0][k] + margin - low, edge[1][k] - margin - high)
        away, best = min((abs(m - at[k]), float(m)) for m in (*(p[k] for p in places), *flush))
        found.append(best if away < near else None)
    x, y = found
    return Drawn((at[0] if x is None else x, at[1] if y is None else y), (x, y))
