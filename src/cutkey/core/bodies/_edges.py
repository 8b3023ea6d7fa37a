"""Bodies whose upper edge is rounded or bevelled."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import shapely

from cutkey.core.bodies.kind import Edge, MadeBody
from cutkey.core.geometry.primitives import lofted, prism
from cutkey.core.geometry.solid import Solid

#: Largest distance of a made curve from its straight sides, mm.
_FLATNESS = 0.01


def circle(radius: float) -> np.ndarray:
    """Points (N, 2) of a circle, mm.

    Returns
    -------
    ndarray, (N, 2), float64
        Counter-clockwise, as many as keep the chord within the tolerance of made bodies.
    """
    sides = max(48, math.ceil(math.pi / math.acos(1 - min(0.5, _FLATNESS / radius))))
    t = np.arange(sides) * 2 * np.pi / sides
    return np.asarray(np.c_[radius * np.cos(t), radius * np.sin(t)])


def edged(outline: Callable[[float], np.ndarray], height: float, edge: Edge, mm: float) -> Solid:
    """A straight body whose upper edge is finished.

    `outline` gives its outline at an inset, always as many points.

    Parameters
    ----------
    outline : callable
        From an inset, mm, to (N, 2) points, the same N for every inset.
    height : float
        mm.
    edge : str
        How the edge is finished.
    mm : float
        Radius of the fillet or leg of the chamfer, mm.
    """
    mm = min(mm, most_edge(height, outline(0.0)))
    if edge == "sharp" or mm <= 0:
        return prism(shapely.Polygon(outline(0.0)), 0.0, height)
    # Insets above 0 from the start, so that every layer has the same points.
    tiny = 1e-9
    if edge == "chamfer":
        layers = [(0.0, tiny), (height - mm, tiny), (height, mm)]
    else:
        t = np.linspace(
            0, np.pi / 2, max(6, math.ceil(math.pi / 4 / math.acos(1 - min(0.5, _FLATNESS / mm))) + 1)
        )
        layers = [
            (0.0, tiny),
            *((height - mm + mm * math.sin(a), tiny + mm * (1 - math.cos(a))) for a in t.tolist()),
        ]
    return lofted([outline(d) for _, d in layers], [z for z, _ in layers])


def most_edge(height: float, outline: np.ndarray) -> float:
    """The largest fillet or chamfer that a body takes, mm.

    Parameters
    ----------
    height : float
        mm.
    outline : ndarray, (N, 2)
        Of the body, mm.
    """
    return min(0.9 * height, 0.45 * float(np.ptp(outline, axis=0).min()))


def edge_taken(base: MadeBody) -> tuple[float, float, str] | None:
    """How large an edge was asked for and is made, mm, and of which kind; None for a body without one."""
    edge, mm, outline = getattr(base, "edge", "sharp"), getattr(base, "edge_mm", 0.0), base.outline()
    if outline is None or edge == "sharp" or mm <= 0:
        return None
    return mm, min(mm, most_edge(getattr(base, "height", 0.0), outline)), edge
