"""Shapes that are added on the table."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely import affinity

from cutkey.core.model import table_edits as e


def shape_area(edit: e.AddShape) -> shapely.Polygon:
    """Area of an added shape; round ones within 0.005 mm."""
    w, h = max(edit.width, 0.01) / 2, max(edit.height, 0.01) / 2
    n = max(64, 4 * math.ceil(math.pi / 4 / math.acos(max(0.0, 1 - min(1.0, 0.005 / max(w, h))))))
    t = np.arange(n) * 2 * np.pi / n
    x, y = edit.centre
    if edit.kind == "rectangle":
        r = min(edit.corner, w, h)
        inner = shapely.box(-w + r, -h + r, w - r, h - r)
        area = inner.buffer(r, quad_segs=max(8, n // 4)) if r > 0 else shapely.box(-w, -h, w, h)
    elif edit.kind in ("disc", "ring"):
        outer = np.c_[w * np.cos(t), h * np.sin(t)]
        holes = [outer * min(0.99, max(0.01, edit.inner))] if edit.kind == "ring" else []
        area = shapely.Polygon(outer, holes)
    else:
        count = max(3, edit.sides) * (2 if edit.kind == "star" else 1)
        a = math.pi / 2 + np.arange(count) * 2 * np.pi / count
        radius = np.where(np.arange(count) % 2, edit.inner, 1.0) if edit.kind == "star" else np.ones(count)
        area = shapely.Polygon(np.c_[w * radius * np.cos(a), h * radius * np.sin(a)])
    return affinity.translate(area, x, y)
