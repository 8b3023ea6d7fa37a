"""Lining up and spreading what lies on a face."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

Box = tuple[float, float, float, float]  # left, bottom, right, top, mm
Line = Literal["left", "centre", "right", "bottom", "middle", "top"]
Shift = tuple[float, float]


def lined_up(boxes: Sequence[Box], line: Line) -> list[Shift]:
    """How far each box goes so that all meet one line: an edge of them all together, or their common middle."""
    k = 0 if line in ("left", "centre", "right") else 1
    low, high = min(b[k] for b in boxes), max(b[k + 2] for b in boxes)
    share = {"left": 0.0, "bottom": 0.0, "centre": 0.5, "middle": 0.5, "right": 1.0, "top": 1.0}[line]
    wanted = low + share * (high - low)
    moves = [wanted - (b[k] + share * (b[k + 2] - b[k])) for b in boxes]
    return [(m, 0.0) if k == 0 else (0.0, m) for m in moves]


def spread(boxes: Sequence[Box], upright: bool = False) -> list[Shift]:
    """How far each box goes so that the gaps between them are equal; the outermost two stay."""
    k = 1 if upright else 0
    order = sorted(range(len(boxes)), key=lambda i: boxes[i][k] + boxes[i][k + 2])
    sizes = [boxes[i][k + 2] - boxes[i][k] for i in order]
    low, high = boxes[order[0]][k], boxes[order[-1]][k + 2]
    gap = (high - low - sum(sizes)) / max(1, len(boxes) - 1)
    moves = [0.0] * len(boxes)
    at = low
    for i, size in zip(order, sizes, strict=True):
        moves[i] = at - boxes[i][k]
        at += size + gap
    return [(0.0, m) if upright else (m, 0.0) for m in moves]
