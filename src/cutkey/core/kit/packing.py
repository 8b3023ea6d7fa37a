"""Packing rectangles into as few equal ones as they need."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

Box = tuple[int, int, int, int]  # left, low, right, high


class Put(NamedTuple):
    """Where a rectangle lies."""

    item: int
    bin: int
    x: int
    y: int
    turned: bool  # by 90 degrees


def pack(sizes: Sequence[tuple[int, int]], width: int, depth: int) -> list[Put]:
    """Places for rectangles, none over another; those that fit no bin are left out.

    The largest first, each into the bin and corner of the free room where the least is left beside it. Whole
    numbers, so that nothing is lost by rounding.

    References
    ----------
    J. Jylänki: A Thousand Ways to Pack the Bin (2010), section 2.3.4: MAXRECTS, best short side fit.
    """
    order = sorted(range(len(sizes)), key=lambda k: (-min(sizes[k]), -max(sizes[k]), k))
    bins: list[list[Box]] = []  # of each bin, the largest free rectangles; they overlap
    out = []
    for k in order:
        w, d = sizes[k]
        best = _best(bins, w, d)
        if best is None:
            bins.append([(0, 0, width, depth)])
            best = _best(bins, w, d)
        if best is None:
            bins.pop()
            continue
        _, _, number, x, y, turned = best
        out.append(Put(k, number, x, y, turned))
        size = (d, w) if turned else (w, d)
        bins[number] = _left(bins[number], (x, y, x + size[0], y + size[1]))
    return out


def _best(bins: Sequence[Sequence[Box]], w: int, d: int) -> tuple[int, int, int, int, int, bool] | None:
    """Room left along the shorter and the longer side, the bin, the place, and whether it is turned there."""
    found = []
    for number, free in enumerate(bins):
        for x0, y0, x1, y1 in free:
            for turned, (a, b) in ((False, (w, d)), (True, (d, w))):
                spare = sorted((x1 - x0 - a, y1 - y0 - b))
                if spare[0] >= 0:
                    found.append((spare[0], spare[1], number, x0, y0, turned))
    return min(found, default=None)


def _left(free: Sequence[Box], taken: Box) -> list[Box]:
    """The largest free rectangles that a taken one leaves."""
    a, b, c, d = taken
    out: list[Box] = []
    for box in free:
        x0, y0, x1, y1 = box
        if a >= x1 or c <= x0 or b >= y1 or d <= y0:
            out.append(box)
            continue
        sides = ((x0, y0, a, y1), (c, y0, x1, y1), (x0, y0, x1, b), (x0, d, x1, y1))
        out += [s for s in sides if s[2] > s[0] and s[3] > s[1]]
    out = list(dict.fromkeys(out))
    return [
        p
        for p in out
        if not any(q != p and q[0] <= p[0] and q[1] <= p[1] and q[2] >= p[2] and q[3] >= p[3] for q in out)
    ]
