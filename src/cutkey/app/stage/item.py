"""A body as the stage is told of it; no VTK in here."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from cutkey.worker.shown import MeshView


class Item(NamedTuple):
    """A body to draw."""

    key: str
    mesh: MeshView
    colour: str
    shift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    opacity: float = 1.0
    edges: bool = True
    under: float = math.inf  # only what lies under this height is drawn, mm
    over: float = -math.inf  # and above this


def same_items(a: Sequence[Item], b: Sequence[Item]) -> bool:
    """Whether these are the same bodies, shown the same way."""
    return len(a) == len(b) and all(
        x.mesh is y.mesh and (x.key, *x[2:]) == (y.key, *y[2:]) for x, y in zip(a, b, strict=True)
    )
