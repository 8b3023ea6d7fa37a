"""Soft gradients in a label map, whose steps are areas of their own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import difference
from cutkey.core.geometry.arrays import F32, U8, Bool
from cutkey.core.picture.specks import Labels, components

#: Two pieces meet softly where the picture changes from one pixel to the next by less than this share of the
#: step between their colours, or by no more levels than rounding makes,
_NEXT, _ROUNDED = 0.2, 2.0
#: and, smoothed by so much, from so many px before their boundary to as many behind it by less than a share.
_CALM, _NEAR, _SOFT = 1.2, 3, 0.7
#: From further off it changes by so many times that; where it does not, and changes by more than this share
#: of the step, it is a drawn edge out of focus.
_FAR, _GOES_ON, _HARDLY = 8, 1.7, 0.3
#: They are of one gradient when they meet softly along so much of their boundary, and so much of it, and so
#: many px, can be seen from further off.
_MOSTLY, _SEEN, _ENOUGH = 0.5, 0.2, 12
#: A colour of lines may be a narrow step when so much of its boundary is seen.
_SEEN_OF_LINES = 0.6
#: Crumbs and slivers have no more px than so many times the length of their boundary.
_NARROW = 2.0
#: A gradient covers such a share of the picture.
_LEAST = 0.002
#: A gradient this near to a colour (CIEDE2000) has that; two that have steps in common, this near to each
#: other, are one.
_ONE, _LIKE = 3.0, 12.0
#: A piece is not flat when its colours vary by so much (standard deviation, levels) inside of so many px.
_TONED, _ACROSS = 0.6, 7


class Joined(NamedTuple):
    """Labels in which every soft gradient is one area."""

    labels: Labels
    palette: U8  # as it was, then the colours of gradients that are not in it
    steps: int  # how many colours were steps of gradients
    gradients: int


def join_gradients(
    rgb: U8, labels: Labels, palette: U8, never: Sequence[int] = (), lines: Sequence[int] = ()
) -> Joined | None:
    """Return the label map with one colour for each soft gradient, its mean; None where there is none.

    Two pieces are of one gradient when the picture changes only gently from one to the other, along most of
    their boundary. A drawn edge has both colours within a few pixels.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    labels : ndarray, (H, W), int32
    palette : ndarray, (K, 3), uint8
    never : sequence of int
        Labels that are of no gradient: the background's.
    lines : sequence of int
        Labels of lines, which are of one only where they are wide enough for it to be seen.

    Returns
    -------
    Joined or None
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    piece, area, owner = components(labels)
    pairs, long, seen, soft, even = _boundaries(rgb, labels, piece, palette.astype(np.float32))
    narrow = area[pairs].min(1) <= _NARROW * long
    allowed, line = ~np.isin(owner, never), np.isin(owner, lines)
    figure = allowed[pairs].all(1) & (~line[pairs].any(1) | (seen >= _SEEN_OF_LINES * long))
    colours_of = np.sort(owner[pairs], 1) @ [len(palette), 1]
    # Crumbs between two steps are of their gradient; between other colours they are of a drawn edge.
    joins = pairs[figure & (soft | (even & narrow & np.isin(colours_of, colours_of[soft & figure])))]
    if not len(joins):
        return None
    n = len(area)
    _, group = connected_components(
        coo_matrix((np.ones(len(joins)), (joins[:, 0], joins[:, 1])), shape=(n, n)), directed=False
    )
    size = np.bincount(group, area)
    # A group of one piece, or of pieces of one colour, is none.
    kinds = np.unique(np.stack([group, owner], 1), axis=0)[:, 0]
    large = (np.bincount(kinds, minlength=len(size)) > 1) & (size >= _LEAST * labels.size)
    if not large.any():
        return None
    steps = np.unique(owner[large[group]])
    # A line across a gradient may leave a piece that is of one step only, and still no flat one.
    rest = np.flatnonzero(~large[group] & np.isin(owner, steps) & allowed & ~line)
    alone = np.zeros(len(size), bool)
    alone[group[rest[_is_toned(rgb, piece, rest)]]] = True
    of = group[piece].ravel()
    means = np.stack([np.bincount(of, rgb[..., c].ravel()) for c in range(3)], 1) / size[:, None]
    to, colours = owner.copy(), palette
    told: list[tuple[int, set[int]]] = []  # colour and steps of each gradient
    for g in sorted(np.flatnonzero(large | alone).tolist(), key=lambda g: (not large[g], -size[g])):
        own, mean = set(owner[group == g].tolist()), means[g]
        near = (k for k, of_it in told if own & of_it and difference(mean, colours[k].astype(float)) < _LIKE)
        colour = next(near, None)
        if colour is None and large[g]:
            off = difference(mean, colours.astype(float)).ravel()
            colour = int(off.argmin())
            if off[colour] > _ONE:
                colours, colour = np.concatenate([colours, mean.round().astype(np.uint8)[None]]), len(colours)
        if colour is not None:
            told.append((colour, own))
            to[group == g] = colour
    return Joined(to[piece], colours, len(steps), len({k for k, _ in told}))


def _is_toned(rgb: U8, piece: NDArray[np.int32], asked: NDArray[np.int64]) -> Bool:
    """Which of some pieces are not flat inside."""
    edges = np.zeros(piece.shape, np.uint8)
    edges[:, 1:] |= piece[:, 1:] != piece[:, :-1]
    edges[1:] |= piece[1:] != piece[:-1]
    inside = cv2.dilate(edges, np.ones((_ACROSS, _ACROSS), np.uint8)) == 0
    number = np.full(int(piece.max()) + 1, -1)
    number[asked] = np.arange(len(asked))
    of = np.where(inside, number[piece], -1)
    calm = cv2.GaussianBlur(rgb.astype(np.float32), (0, 0), _CALM)[of >= 0].astype(float)
    of = of[of >= 0]
    count = np.maximum(np.bincount(of, minlength=len(asked)), 1)
    spread = np.zeros(len(asked))
    for channel in calm.T:
        mean = np.bincount(of, channel, len(asked)) / count
        spread = np.maximum(spread, np.bincount(of, (channel - mean[of]) ** 2, len(asked)) / count)
    return np.asarray(np.sqrt(spread) > _TONED)


def _boundaries(
    rgb: U8, labels: Labels, piece: NDArray[np.int32], palette: F32
) -> tuple[NDArray[np.int64], NDArray[np.intp], NDArray[np.float64], Bool, Bool]:
    """Pairs of pieces that meet, (N, 2), how long, px, and how much of that can be seen from further off.

    Then whether they meet softly, and whether from pixel to pixel.
    """
    calm = cv2.GaussianBlur(rgb.astype(np.float32), (0, 0), _CALM)
    keys, seen, soft, next_one = [], [], [], []
    count = int(piece.max()) + 1
    for image, smooth, label, of in (
        (rgb, calm, labels, piece),
        (rgb.swapaxes(0, 1), calm.swapaxes(0, 1), labels.T, piece.T),
    ):
        row, x = np.nonzero(of[:, 1:] != of[:, :-1])
        a, b = of[row, x].astype(np.int64), of[row, x + 1].astype(np.int64)
        keys.append(np.minimum(a, b) * count + np.maximum(a, b))
        here, there = label[row, x], label[row, x + 1]
        step = palette[here] - palette[there]
        change, told = [], []
        for off in (_NEAR, _FAR):
            left, right = np.maximum(x - off, 0), np.minimum(x + 1 + off, of.shape[1] - 1)
            told.append((label[row, left] == here) & (label[row, right] == there))
            change.append(_size(smooth[row, left] - smooth[row, right]))
        length = _size(step)
        goes_on = (change[1] >= _GOES_ON * change[0]) | (change[0] < _HARDLY * length)
        seen.append(told[0])
        soft.append(told[0] & (change[0] < _SOFT * length) & (~told[1] | goes_on))
        one = _size(image[row, x].astype(np.float32) - image[row, x + 1])
        next_one.append(one < np.maximum(_NEXT * length, _ROUNDED))
    kinds, group = np.unique(np.concatenate(keys), return_inverse=True)
    whole = np.bincount(group, minlength=len(kinds))
    shown, gently, next_to = (
        np.bincount(group, np.concatenate(n), len(kinds)) for n in (seen, soft, next_one)
    )
    even = next_to >= _MOSTLY * whole
    seen_well = shown >= np.maximum(_SEEN * whole, _ENOUGH)
    pairs = np.stack(np.divmod(kinds, count), 1)
    return pairs, whole, np.asarray(shown), even & seen_well & (gently >= _MOSTLY * shown), even


def _size(change: F32) -> F32:
    return np.asarray(np.sqrt((change**2).sum(1)), np.float32)
