"""The pieces of a painted region."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainterPath


def pieces_of(path: QPainterPath) -> list[QPainterPath]:
    """The separate pieces of a path of rings, each with its holes."""
    rings: list[QPainterPath] = []
    for polygon in path.toSubpathPolygons():
        ring = QPainterPath()
        ring.addPolygon(polygon)
        ring.setFillRule(Qt.FillRule.OddEvenFill)
        rings.append(ring)
    boxes = [r.boundingRect() for r in rings]
    order = sorted(range(len(rings)), key=lambda k: -boxes[k].width() * boxes[k].height())
    out: list[QPainterPath] = []
    for k in order:
        start = rings[k].elementAt(0)
        inside = [o for o in out if o.contains(QPointF(start.x, start.y))]
        if inside:
            inside[-1].addPath(rings[k])
        else:
            rings[k].setFillRule(Qt.FillRule.OddEvenFill)
            out.append(rings[k])
    return out
