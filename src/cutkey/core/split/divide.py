"""Dividing a length: the fewest cuts after which every stretch fits, and of these the least harmful."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from cutkey.core.split.survey import Reading

#: What sections of unequal length cost against a cut's harm: it decides between cuts that harm alike, and hardly more.
BALANCE = 0.15
#: A mirrored set of cuts is taken when it costs no more than this for each cut.
MIRROR = 0.35


def divide(readings: Sequence[Reading], low: float, high: float, fits: Callable[[float, float], bool], even: bool) -> list[Reading] | None:
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
    n = len(at)
    # A part of what fits fits too: how far each place reaches grows with it.
    far = np.zeros(n, int)
    j = 0
    for i in range(n):
        j = max(j, i)
        while j + 1 < n and fits(float(at[i]), float(at[j + 1])):
            j += 1
        far[i] = j
    count, here = 0, 0
    while here < n - 1:
        if far[here] == here:
            return None
        here, count = int(far[here]), count + 1
    best = _least_harm(readings, at, far, count)
    if even:
        mirrored = _mirrored(readings, at, far, count)
        if mirrored is not None and sum(r.badness for r in mirrored) <= sum(r.badness for r in best) + MIRROR * count:
            return mirrored
    return best


def _least_harm(readings: Sequence[Reading], at: np.ndarray, far: np.ndarray, count: int) -> list[Reading]:
    n = len(at)
    harm = np.array([0.0, *(r.badness for r in readings), 0.0])
    mean = (at[-1] - at[0]) / count
    cost = np.full((count + 1, n), np.inf)
    back = np.zeros((count + 1, n), int)
    cost[0, 0] = 0.0
    for c in range(1, count + 1):
        for i in range(n - 1):
            if not np.isfinite(cost[c - 1, i]) or far[i] == i:
                continue
            js = np.arange(i + 1, far[i] + 1)
            value = cost[c - 1, i] + harm[js] + BALANCE * ((at[js] - at[i]) / mean - 1) ** 2
            better = value < cost[c, js]
            cost[c, js[better]], back[c, js[better]] = value[better], i
    chosen, here = [], n - 1
    for c in range(count, 0, -1):
        here = int(back[c, here])
        chosen.append(here)
    return [readings[i - 1] for i in sorted(chosen) if i > 0]


def _mirrored(readings: Sequence[Reading], at: np.ndarray, far: np.ndarray, count: int) -> list[Reading] | None:
    """The least harmful set of up to three cuts that is its own mirror image."""
    n = len(readings)
    middle = (at[0] + at[-1]) / 2
    if count % 2 == 0 and not any(abs(r.at - middle) < 1e-6 for r in readings):
        return None
    harm = [r.badness + m.badness for r, m in zip(readings, reversed(readings), strict=True)]
    if not np.allclose([r.at + m.at for r, m in zip(readings, reversed(readings), strict=True)], 2 * middle):
        return None
    cuts = count - 1
    if cuts == 1:
        chosen = [n // 2]
    elif cuts in (2, 3):
        half = (at[-1] - at[0]) / count
        pairs = [
            (harm[i] + 2 * BALANCE * ((readings[i].at - at[0]) / half - 1) ** 2, i)
            for i in range(n // 2)
            if far[0] >= i + 1 and (far[i + 1] >= (n // 2) + 1 if cuts == 3 else far[i + 1] >= n - i)
        ]
        if not pairs:
            return None
        i = min(pairs)[1]
        chosen = [i, n - 1 - i] if cuts == 2 else [i, n // 2, n - 1 - i]
    else:
        return None
    return [readings[i] for i in sorted(chosen)]
