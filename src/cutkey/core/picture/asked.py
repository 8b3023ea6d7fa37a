"""As many colours as are asked for: the best ones, begun from those that were found."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import lab_of

#: Small and strong colours count for more than their area: shares are taken to this power where colours are
#: joined.
EYE = 0.75
_ROUNDS = 30


class Seen(NamedTuple):
    """Colours that occur, the most frequent first."""

    means: NDArray[np.float64]  # (N, 3)
    weights: NDArray[np.float64]  # (N,) how often
    labs: NDArray[np.float64]  # (N, 3)


def joined(palette: NDArray[np.float64], share: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """A palette of fewer colours.

    Again and again the two whose joining costs least become the larger of them.

    Parameters
    ----------
    palette : ndarray, (K, 3), float64
    share : ndarray, (K,), float64
        Of the picture.
    count : int
        How many are left.

    Returns
    -------
    ndarray, (count, 3), float64

    References
    ----------
    Ward, Hierarchical grouping to optimize an objective function (1963).
    """
    kept = list(range(len(palette)))
    labs, weight = lab_of(palette), np.maximum(share, 1e-6) ** EYE
    size = np.array(share, float)
    while len(kept) > max(1, count):
        at, w = labs[kept], weight[kept]
        cost = ((at[:, None] - at[None]) ** 2).sum(-1) * (w[:, None] * w[None]) / (w[:, None] + w[None])
        np.fill_diagonal(cost, np.inf)
        a, b = (kept[k] for k in np.unravel_index(int(np.argmin(cost)), cost.shape))
        large, small = (a, b) if size[a] >= size[b] else (b, a)
        labs[large] = (labs[a] * weight[a] + labs[b] * weight[b]) / (weight[a] + weight[b])
        weight[large], size[large] = weight[a] + weight[b], size[a] + size[b]
        kept.remove(small)
    return np.asarray(palette[kept])


def settled(seen: Seen, palette: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """The colours that stand best for a shaded picture.

    k-means in CIELAB, begun from a palette, the worst places added.

    Parameters
    ----------
    seen : Seen
        Of the whole picture.
    palette : ndarray, (K, 3), float64
        At most `count` colours to begin from.
    count : int

    Returns
    -------
    ndarray, (N, 3), float64
        `count` of them, or as many as differ.

    References
    ----------
    Lloyd, Least squares quantization in PCM (1982).
    """
    centres = lab_of(palette)
    while len(centres) < count:
        off = ((seen.labs[:, None] - centres[None]) ** 2).sum(-1).min(1)
        if off.max() <= 0:
            break
        centres = np.concatenate([centres, seen.labs[int(np.argmax(off * seen.weights**EYE))][None]])
        centres, _ = _lloyd(seen, centres, 3)
    _, owner = _lloyd(seen, centres, _ROUNDS)
    used = np.unique(owner)
    out = np.array(
        [np.average(seen.means[owner == k], axis=0, weights=seen.weights[owner == k]) for k in used]
    )
    order = np.argsort(-np.bincount(owner, seen.weights)[used], kind="stable")
    return np.asarray(out[order])


def _lloyd(
    seen: Seen, centres: NDArray[np.float64], rounds: int
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    owner = np.zeros(len(seen.labs), np.int64)
    for n in range(rounds):
        nearest = ((seen.labs[:, None] - centres[None]) ** 2).sum(-1).argmin(1)
        if n and (nearest == owner).all():
            break
        owner = nearest
        total = np.bincount(owner, seen.weights, len(centres))
        sums = np.stack(
            [np.bincount(owner, seen.weights * seen.labs[:, c], len(centres)) for c in range(3)], 1
        )
        centres = np.where(total[:, None] > 0, sums / np.maximum(total, 1e-9)[:, None], centres)
    return centres, owner
