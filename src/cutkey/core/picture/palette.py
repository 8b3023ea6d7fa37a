"""The colours of a picture: found in flat areas, told apart as the eye does."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import ciede2000, lab_of
from cutkey.core.picture.labels import FLAT, spread

MAX_AUTOMATIC = 16
#: Colours nearer than this (CIEDE2000) are one colour unless more are asked for.
SAME_COLOUR = 7.0


def find_palette(rgb: NDArray[np.uint8], count: int = 0) -> NDArray[np.uint8]:
    """The colours a person would name in a picture, most frequent first.

    Only pixels whose 3 x 3 neighbourhood is flat vote, so that the blends along anti-aliased edges never become colours.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3) uint8
    count : int
        How many colours; 0 finds the number from the picture.

    Returns
    -------
    ndarray, (N, 3) uint8
        At least one colour, at most `count` (or `MAX_AUTOMATIC`).
    """
    votes = _flat_pixels(rgb)
    # Bins of 4 levels: near-equal values of a photograph vote together.
    key = (votes >> 2).astype(np.int32)
    key = (key[:, 0] << 12) | (key[:, 1] << 6) | key[:, 2]
    counts = np.bincount(key, minlength=1 << 18)
    order = np.argsort(-counts, kind="stable")[:3000]
    order = order[counts[order] > 0]
    sums = np.stack([np.bincount(key, votes[:, c], minlength=1 << 18)[order] for c in range(3)], 1)
    means, weights = sums / counts[order, None], counts[order].astype(float)
    labs = lab_of(means)
    wanted = count or MAX_AUTOMATIC
    apart = 2.5 if count else SAME_COLOUR
    least = 0 if count else max(4.0, 0.0003 * len(votes))
    centres: list[int] = []
    for i in range(len(means)):
        if weights[i] < least * 0.25 and not count:
            break
        if not centres or ciede2000(labs[i], labs[centres]).min() > apart:
            centres.append(i)
    # Every bin joins its nearest centre; light centres are dropped from the end.
    owner = np.argmin(np.stack([ciede2000(labs, labs[c]) for c in centres], 1), 1)
    share = np.bincount(owner, weights, len(centres))
    ranked = np.argsort(-share, kind="stable")
    chosen = [k for k in ranked if share[k] >= least][:wanted] or [int(ranked[0])]
    colours = []
    for k in chosen:
        mine = (owner == k) & (ciede2000(labs, labs[centres[k]]) < apart)
        colours.append(np.average(means[mine], axis=0, weights=weights[mine]))
    return np.clip(np.round(np.array(colours)), 0, 255).astype(np.uint8)


def _flat_pixels(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pixels in flat surroundings, (N, 3); tolerance is loosened until enough of them are found."""
    rough = spread(rgb)
    for tolerance in (FLAT, 8, 16, 32):
        flat = rough <= tolerance
        if np.count_nonzero(flat) > 0.25 * flat.size:
            break
    else:
        flat = np.ones(rough.shape, bool)
    return np.asarray(rgb[flat])
