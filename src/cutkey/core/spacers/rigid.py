"""Which spacers are enough.

Islands and spacers as rigid bodies in the plane that touch one another along their outlines.

Each body has three small motions: along x, along y, and a turn. Where two touch, neither may come nearer to
the other or, since it is pushed against it, leave it: one linear equation a place. All of it is fixed when
these equations leave nothing but the three motions of the whole (infinitesimal rigidity; the matrix is the
rigidity matrix of the framework of contacts).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.spacers.gaps import Spacer

#: A motion that contacts resist less than this is free: 1 is a push straight against one.
FREE = 0.05
#: Sides of this length in all, square to a motion, hold it, mm.
HOLDS = 0.3
#: The least stiffness that counts, of the smallest groups.
SOFT = 0.02
#: Islands that take so small a part in a free motion are at rest.
STILL = 0.02
#: Trees of spacers that are grown, and of these the smallest that are tried.
_TREES, _TRIED = 300, 20


def free_islands(
    count: int, spacers: Sequence[Spacer], round_ones: Mapping[int, tuple[float, float]] | None = None
) -> list[int]:
    """Numbers of islands that can still move against the first of them.

    The largest set that hangs together counts as fixed.

    Parameters
    ----------
    count : int
        How many islands there are.
    spacers : sequence of Spacer
    round_ones : mapping of int to (float, float), optional
        Middles of the islands that are discs, mm: to turn about them changes nothing.
    """
    discs = round_ones or {}
    modes = _free_motions(count, spacers)
    if modes.shape[1] <= 3:
        return []
    # Take the island against which fewest others move as the one at rest.
    best: list[int] = list(range(count))
    for still in range(count):
        rest = modes @ _null(modes[3 * still : 3 * still + 3])
        moving = [
            n
            for n in range(count)
            if n != still and np.abs(_motion(rest[3 * n : 3 * n + 3], discs.get(n))).max(initial=0.0) > STILL
        ]
        if len(moving) < len(best):
            best = moving
    return best


def _motion(mode: Float, middle: tuple[float, float] | None) -> Float:
    """What counts of the motions of an island (3, F): of a disc only where its middle goes."""
    if middle is None:
        return mode
    x, y = middle
    return np.stack([mode[0] - y * mode[2], mode[1] + x * mode[2]])


def fewest(count: int, found: Sequence[Spacer]) -> list[Spacer]:
    """Spacers of which none can be spared: those between two islands are given up first, then the largest."""
    chosen = list(found)
    target = _free_motions(count, chosen).shape[1]
    # A set that joins separate groups with every spacer, as a tree does, cannot be bettered; luck finds one
    # soon.
    for tree in sorted((_tree(count, found, np.random.default_rng(k)) for k in range(_TREES)), key=_cost)[
        :_TRIED
    ]:
        if _free_motions(count, tree).shape[1] <= target:
            return tree
    for spacer in sorted(found, key=lambda s: (len(s.islands), -s.outline.area)):
        without = [s for s in chosen if s is not spacer]
        # A spacer that is gone takes its own three motions along.
        if without and _free_motions(count, without).shape[1] <= target:
            chosen = without
    return chosen


def _cost(spacers: Sequence[Spacer]) -> tuple[int, float]:
    """Few spacers first, then small ones."""
    return len(spacers), sum(s.outline.area for s in spacers)


def _tree(count: int, found: Sequence[Spacer], chance: np.random.Generator) -> list[Spacer]:
    """Spacers in a random order, each taken when all its islands are still in separate groups.

    And then when some are.
    """
    group = list(range(count))
    chosen = []
    order = [found[k] for k in chance.permutation(len(found))]
    for wanted in (3, 2):
        for spacer in order:
            groups = {group[n] for n in spacer.islands}
            if len(groups) >= wanted:
                chosen.append(spacer)
                group = [min(groups) if g in groups else g for g in group]
    return chosen


def _free_motions(count: int, spacers: Sequence[Spacer]) -> Float:
    """Basis, (3 (count + spacers), F), of the motions that all contacts allow.

    Along x, along y and a turn of every body.
    """
    size = 3 * (count + len(spacers))
    rows = [np.zeros((1, size))]
    for k, spacer in enumerate(spacers):
        for n in spacer.islands:
            mine = spacer.touched == n
            held, middle, reach = _held(spacer.points[mine], spacer.normals[mine], spacer.lengths[mine])
            # A turn about the origin moves the contact's middle as well; what counts is how it moves there.
            x, y = middle / reach
            there = np.array([[1.0, 0, -y], [0, 1, x], [0, 0, 1]])
            row = np.zeros((len(held), size))
            row[:, 3 * n : 3 * n + 3] = held @ there
            row[:, 3 * (count + k) : 3 * (count + k) + 3] = -held @ there
            # Turns are counted in the same measure for all bodies: by what they move at a distance of 1.
            row[:, 2::3] *= reach
            rows.append(row)
    return _null(np.concatenate(rows), min(SOFT, 1.0 / count**2))


def _held(points: Float, normals: Float, lengths: Float) -> tuple[Float, Float, float]:
    """Which motions against one another a contact of two bodies stops, (0 to 3, 3).

    Its middle and its reach, mm.

    Motions are along x, along y, and a turn about the middle that moves the farthest place by 1. A turn that
    is held by a short lever only, such as that of a disc by its facets, counts as free, and so does what only
    a nick holds: each place counts by the length of its side.
    """
    middle = (points.max(0) + points.min(0)) / 2
    arm = points - middle
    reach = max(1.0, float(np.hypot(*arm.T).max()))
    turn = (arm[:, 0] * normals[:, 1] - arm[:, 1] * normals[:, 0]) / reach
    long = float(lengths.sum())
    weight = np.sqrt(lengths / long)[:, None]
    _, sizes, ways = np.linalg.svd(np.c_[normals, turn] * weight, full_matrices=False)
    return ways[(sizes > FREE) & (sizes**2 * long > HOLDS)], middle, reach


def _null(matrix: Float, least: float = 1e-9) -> Float:
    """Basis of what a matrix maps to nothing, or to so little.

    The last island of a chain of n is held about 1 / n^2 as stiffly as its neighbours hold one another; what
    is held less than that, like a disc by its facets, is not held.
    """
    _, sizes, rows = np.linalg.svd(matrix)
    rank = int(np.count_nonzero(sizes > least))
    return np.asarray(rows[rank:].T)
