"""Dividing a length: the fewest cuts after which every stretch fits, and of these the least harmful."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.split.survey import Reading

#: What sections of unequal length cost against a cut's harm: it decides between cuts that harm alike, and
#: hardly more.
BALANCE = 0.15
#: A mirrored set of cuts is taken when it costs no more than this for each cut.
MIRROR = 0.35


def divide(
    readings: Sequence[Reading], low: float, high: float, fits: Callable[[float, float], bool], even: bool
) -> list[Reading] | None:
    """The fewest cuts between two places; None when there are none that help.

    Parameters
    ----------
    readings : sequence of Reading
        Where a cut may be, in order.
    fits : callable
        Whether a stretch fits; a part of one that fits must fit too.
    even : bool
        The design is its own mirror image about the middle: cuts that are so too are preferred.
    """
    at = np.array([low, *(r.at for r in readings), high])
    reach = _reach(at, fits)
    if reach is None:
        return None
    far, count = reach
    harm = np.array([r.badness for r in readings])
    best = _least_harm(harm, at, far, count)
    if even:
        mirrored = _mirrored(harm, at, far, count)
        if mirrored is not None and harm[mirrored].sum() <= harm[best].sum() + MIRROR * count:
            best = mirrored
    return [readings[i] for i in best]


def _reach(at: Float, fits: Callable[[float, float], bool]) -> tuple[Int, int] | None:
    """How far a stretch may go from each place where a cut can be.

    And into how many the whole is divided at least.

    Places where no cut of the fewest can be are left out: from them it goes nowhere.
    """
    n = len(at)

    def ok(i: int, j: int) -> bool:
        return fits(float(at[i]), float(at[j]))

    def farthest(i: int) -> int:
        return i + bisect_left(range(i + 1, n), True, key=lambda j: not ok(i, j))

    def nearest(j: int) -> int:
        return bisect_left(range(j), True, key=lambda i: ok(i, j))

    far = np.arange(n)
    # As far as it goes from either end: between the two lies every set of the fewest cuts.
    ahead = [0]
    while ahead[-1] < n - 1:
        i = ahead[-1]
        far[i] = farthest(i)
        if far[i] == i:
            return None
        ahead.append(int(far[i]))
    back = [n - 1]
    for _ in range(len(ahead) - 2):
        back.append(nearest(back[-1]))
    back.reverse()
    for c in range(1, len(ahead) - 1):
        # A part of what fits fits too: how far each place reaches grows with it, and all reach where the next
        # cut may be at the earliest.
        j = back[c]
        for i in range(back[c - 1], ahead[c] + 1):
            j = max(j, i, int(far[i]))
            while j < ahead[c + 1] and ok(i, j + 1):
                j += 1
            far[i] = j
    return far, len(ahead) - 1


def _least_harm(harm: Float, at: Float, far: Int, count: int) -> list[int]:
    """Numbers of the cuts that harm least, in order."""
    n = len(at)
    mean = (at[-1] - at[0]) / count
    # What a stretch from one place to another costs with the cut at its end.
    k = np.arange(n)
    step = np.r_[0.0, harm, 0.0] + BALANCE * ((at[None, :] - at[:, None]) / mean - 1) ** 2
    step[(k[None, :] <= k[:, None]) | (k[None, :] > far[:, None])] = np.inf
    cost = np.full((count + 1, n), np.inf)
    back = np.zeros((count + 1, n), int)
    cost[0, 0] = 0.0
    for c in range(1, count + 1):
        value = cost[c - 1][:, None] + step
        back[c] = value.argmin(0)
        cost[c] = value[back[c], k]
    chosen, here = [], n - 1
    for c in range(count, 0, -1):
        here = int(back[c, here])
        chosen.append(here)
    return [i - 1 for i in sorted(chosen) if i > 0]


def _mirrored(harm: Float, at: Float, far: Int, count: int) -> list[int] | None:
    """Numbers of the least harmful set of up to three cuts that is its own mirror image."""
    places = at[1:-1]
    n = len(places)
    middle = (at[0] + at[-1]) / 2
    if count % 2 == 0 and not (np.abs(places - middle) < 1e-6).any():
        return None
    if not np.allclose(places + places[::-1], 2 * middle):
        return None
    if count - 1 not in (1, 2, 3):
        return None
    half = (at[-1] - at[0]) / count
    even = [n // 2] if count % 2 == 0 else []
    best: tuple[float, list[int]] | None = None
    for i in range(n // 2) if count > 2 else [n // 2]:
        chosen = sorted({i, *even, n - 1 - i})
        # A mirror image to the eye is none to the tenth: every stretch is looked at.
        ends = [0, *(k + 1 for k in chosen), n + 1]
        if len(chosen) != count - 1 or any(far[a] < b for a, b in pairwise(ends)):
            continue
        cost = float(harm[chosen].sum()) + 2 * BALANCE * ((places[i] - at[0]) / half - 1) ** 2
        if best is None or cost < best[0]:
            best = cost, chosen
    return best[1] if best is not None else None
