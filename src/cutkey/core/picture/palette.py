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
    """The colours a person would name in a picture; see `explained_palette`.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    count : int
        0 to find out how many.

    Returns
    -------
    ndarray, (K, 3), uint8
    """
    return explained_palette(rgb, count)[0]


def explained_palette(rgb: NDArray[np.uint8], count: int = 0) -> tuple[NDArray[np.uint8], str]:
    """The colours a person would name in a picture, most frequent first, and why there are so many.

    Only pixels whose 3 x 3 neighbourhood is flat vote, so that the blends along anti-aliased edges never become colours.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3) uint8
    count : int
        How many colours; 0 finds the number from the picture.

    Returns
    -------
    palette : ndarray, (N, 3) uint8
        At least one colour, at most `count` (or `MAX_AUTOMATIC`).
    why : str
        One sentence for the maker.
    """
    votes = _flat_pixels(rgb)
    # Bins of 4 levels: near-equal values of a photograph vote together.
    key = (votes >> 2).astype(np.int32)
    key = (key[:, 0] << 12) | (key[:, 1] << 6) | key[:, 2]
    counts = np.bincount(key, minlength=1 << 18)
    used = np.flatnonzero(counts)
    order = used[np.argsort(-counts[used], kind="stable")[:3000]]
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
    why = _why(share[ranked] / len(votes), len(chosen), count, labs[centres][ranked])
    return np.clip(np.round(np.array(colours)), 0, 255).astype(np.uint8), why


def _percent(share: float) -> str:
    return f"{100 * share:.4g} %" if share < 0.9995 else "all"


def _why(share: NDArray[np.float64], taken: int, count: int, labs: NDArray[np.float64]) -> str:
    """Why the palette ends where it does."""
    text = f"{taken} colours cover {_percent(share[:taken].sum())} of the flat areas"
    if taken == 1:
        text = text.replace("colours cover", "colour covers")
    if count:
        return text if taken == count else f"{text}; more than these are not there"
    if taken < len(share):
        return f"{text}; the next would add {share[taken]:.2%}"
    if taken > 1:
        apart = min(float(ciede2000(labs[k], labs[:k]).min()) for k in range(1, taken))
        return f"{text}; any two of them differ by {apart:.0f} or more (CIEDE2000)"
    return text


def _flat_pixels(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pixels in flat surroundings, (N, 3); tolerance is loosened until enough of them are found."""
    rough = spread(rgb)
    for tolerance in (FLAT, 8, 16, 32):
        flat = rough <= tolerance
        if np.count_nonzero(flat) > 0.25 * flat.size:
            break
    else:
        flat = np.ones(rough.shape, bool)
    found = np.nonzero(flat.ravel())[0]
    # A hundred thousand tell as much as millions.
    return rgb.reshape(-1, 3).take(found[:: max(1, len(found) // 100_000)], 0)
