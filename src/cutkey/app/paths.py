"""Rings of regions as painter paths, and lines, in whole arrays.

Point by point takes a hundred times as long.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, Qt
from PySide6.QtGui import QPainterPath, QPolygonF

from cutkey.worker.shown import Rings

Map = Callable[[np.ndarray], np.ndarray]
#: An element of a path as Qt writes it to a stream (QPainterPath, QDataStream): its kind and its place.
_ELEMENT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])


def path_of(rings: Rings, place: Map | None = None) -> QPainterPath:
    """Closed path of all rings (even-odd), moved by `place` when given."""
    points = np.asarray(place(rings.points) if place else rings.points, float)
    first = np.asarray(rings.first, np.int64)
    counts = np.diff(first)
    first, counts = first[:-1][counts > 0], counts[counts > 0]
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    if len(counts) == 0:
        return path
    # Each ring ends where it began.
    order = np.concatenate(
        [np.r_[a : a + n, a] for a, n in zip(first.tolist(), counts.tolist(), strict=True)]
    )
    out = np.empty(len(order), _ELEMENT)
    out["kind"] = 1
    out["kind"][np.r_[0, np.cumsum(counts + 1)[:-1]]] = 0
    out["x"], out["y"] = points[order].T
    head, tail = len(out).to_bytes(4, "big"), (0).to_bytes(4, "big") * 2
    QDataStream(QByteArray(head + out.tobytes() + tail)) >> path
    return path


def lines_of(points: np.ndarray, counts: Sequence[int]) -> list[QPolygonF]:
    """Lines through points (N, 2), one after the other, each of so many of them (sum N)."""
    data = np.asarray(points, ">f8").tobytes()
    lines, at = [], 0
    for n in counts:
        line = QPolygonF()
        QDataStream(QByteArray(int(n).to_bytes(4, "big") + data[at : at + 16 * n])) >> line
        lines.append(line)
        at += 16 * n
    return lines
