"""From pixels to a label map: each pixel belongs to one colour of the palette."""

from __future__ import annotations

from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.picture.extremes import extremes, ridges
from cutkey.core.picture.specks import Labels, components

#: Sets of colours, one bit a colour.
Bits = NDArray[np.unsignedinteger]
#: A pixel this near (RGB distance) to a palette colour is pure; any other may be a blend along an edge.
PURE = 10.0
#: A pixel nearer than this is the colour itself, not a blend that happens to look like it.
EXACT = 2.5
#: Levels a channel may differ by within 3 x 3 in a flat place.
FLAT = 3
#: Pieces of at least so many pixels are never taken for fringes of an edge.
SLIVER = 1500
#: In the middle of a line, where nothing beside it is so dark, so much of a pixel makes it the line's.
_FAINT = 0.35
#: Less than this share of a colour of lines is wider than a line.
_WIDE = 0.1
#: Sides of the windows, px, in which the two colours of a blend are looked for.
REACHES = (5, 9, 13)
#: Share of mixed pixels with no two pure colours next to them above which the picture's edges are soft.
SOFT = 0.02


def spread(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Largest difference of any channel within 3 x 3 of each pixel, (H, W).

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W), uint8
    """
    kernel = np.ones((3, 3), np.uint8)
    red, green, blue = cv2.split(cv2.subtract(cv2.dilate(rgb, kernel), cv2.erode(rgb, kernel)))
    return np.asarray(cv2.max(cv2.max(red, green), blue))


def places_of(mask: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows and columns where a mask is set; sooner than by `numpy.nonzero` of two dimensions.

    Parameters
    ----------
    mask : ndarray, (H, W), bool

    Returns
    -------
    tuple of ndarray, (N,), int64
    """
    rows, columns = np.divmod(np.flatnonzero(mask), mask.shape[1])
    return rows, columns


def nearest_colour(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> Labels:
    """Index of the nearest palette colour of every pixel (RGB distance), (H, W).

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    palette : ndarray, (K, 3), uint8

    Returns
    -------
    ndarray, (H, W), int32
    """
    flat = rgb.reshape(-1, 3)
    p = palette.astype(np.float32)
    out = np.zeros(len(flat), np.int32)
    for i in range(0, len(flat), 1 << 16):
        part = slice(i, i + (1 << 16))
        # |c - p|^2 less |c|^2, one colour at a time: faster than the smallest of many along an axis.
        away = (p * p).sum(1)[:, None] - 2 * p @ flat[part].T.astype(np.float32)
        least = away[0]
        for k in range(1, len(p)):
            nearer = away[k] < least
            np.copyto(out[part], k, where=nearer)
            np.minimum(least, away[k], out=least)
    return out.reshape(rgb.shape[:2])


def _exact(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> Labels:
    """Index of the palette colour that each pixel is to the last level, -1 where there is none.

    Of equal colours the first.
    """
    code = cv2.cvtColor(rgb, cv2.COLOR_RGB2RGBA).view(np.uint32)[..., 0]
    wanted = cv2.cvtColor(palette[None], cv2.COLOR_RGB2RGBA).view(np.uint32)[0, :, 0]
    # Multiplicative hashing; a factor that keeps the few colours apart is soon found.
    different, first = np.unique(wanted, return_index=True)
    factors = np.random.default_rng(0).integers(1 << 20, 1 << 32, 1000, dtype=np.uint32) | np.uint32(1)
    shift = np.uint32(32 - 14)
    factor = next(f for f in factors if len(np.unique(different * f >> shift)) == len(different))
    slot = np.full(1 << 14, len(wanted), np.int32)
    slot[different * factor >> shift] = first
    near = slot.take(code * factor >> shift)
    near[np.r_[wanted, np.uint32(0)].take(near) != code] = -1
    return np.asarray(near)


def _nearest(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> tuple[Labels, NDArray[np.float32], int]:
    """Nearest colour of every pixel and the squared distance to it.

    Also how many are no colour to the last level.
    """
    near = _exact(rgb, palette)
    off = np.zeros(near.shape, np.float32)
    i = np.flatnonzero(near < 0)
    rest = rgb.reshape(-1, 3).take(i, 0)
    best = nearest_colour(rest[None], palette)[0]
    near.ravel()[i] = best
    d = rest.astype(np.float32)
    d -= palette.astype(np.float32).take(best, 0)
    off.ravel()[i] = np.einsum("ij,ij->i", d, d)
    return near, off, len(i)


def label_pixels(
    rgb: NDArray[np.uint8],
    palette: NDArray[np.uint8],
    on_lines: float = PURE,
    lines: tuple[int, ...] = (),
) -> Labels:
    """Label map that gives anti-aliased edge pixels to a neighbour, never to a third colour.

    A pixel that is not pure is read as a blend ``(1 - t) a + t b`` of two colours that occur pure nearby; the
    pair with the smallest residual is taken and the pixel goes to `b` when t > 1/2. Where no pair within 5 x
    5 explains the pixel, as along the soft edges of a photograph, the search goes further out.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3) uint8
    palette : ndarray, (N, 3) uint8
    on_lines : float
        A pixel in the middle of a line is pure when it is this near to a colour: no blend of what lies on
        either side goes beyond both. Sharpening and compression change the colour of lines more than that of
        areas.
    lines : tuple of int
        Colours of lines, which may be nowhere pure: in the middle of one a pixel may be a blend with them.

    Returns
    -------
    ndarray, (H, W) int32
        Indices into `palette`.
    """
    near, off, inexact = _nearest(rgb, palette)
    colours = palette.astype(np.float32)
    pixels = rgb
    # A flat place belongs to its nearest colour even where the palette has none like it.
    flat = spread(rgb) <= FLAT
    pure = (off < PURE * PURE) | flat
    if on_lines > PURE:
        middle = extremes(rgb, spread(rgb))
        pure.ravel()[middle] |= off.ravel()[middle] < on_lines * on_lines
    asked = pure & ~flat
    lonely, exact = _lonely(near, asked), off <= EXACT * EXACT
    pure &= ~_lookalikes(pixels, near, asked & (lonely | ~exact), flat | (asked & exact & ~lonely), colours)
    yy, xx = places_of(~pure)
    if len(yy) == 0:
        return near
    only_pure = _bits(np.where(pure, near, -1), len(palette))
    faint = np.zeros(near.shape, bool)
    of_lines = np.isin(np.arange(len(palette)), lines)
    if lines and on_lines > PURE:
        row, column = np.divmod(middle[~pure.ravel()[middle]], near.shape[1])
        margin = REACHES[-1] // 2
        only_pure[row + margin, column + margin] = sum(1 << k for k in lines)
        faint.ravel()[ridges(rgb, middle)] = True
    pick = near[yy, xx]
    todo = np.arange(len(yy))
    for reach in REACHES:
        pick[todo], residual = _blends(
            pixels[yy[todo], xx[todo]].astype(np.float32),
            pick[todo],
            yy[todo],
            xx[todo],
            only_pure,
            colours,
            reach,
            faint[yy[todo], xx[todo], None] & of_lines,
        )
        lost = np.isinf(residual)
        if reach == REACHES[0]:
            soft = lost.mean() > SOFT
        # On crisp edges a pixel that no pair explains is a junction of three colours, and looking further out
        # would only mislead.
        todo = todo[lost | ((residual > (2 * PURE) ** 2) & soft)]
        if len(todo) == 0:
            break
    labels = near.copy()
    labels[yy, xx] = pick
    _rejoin_single(labels, rgb, colours, yy, xx)
    # In a drawing most pixels have a colour of the palette to the last level; in a photograph hardly any.
    if inexact > 0.5 * off.size:
        _absorb_fringes(labels, rgb, colours, flat & (near == labels))
    return labels


def thin_colours_of(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> tuple[int, ...]:
    """Return which colours of a palette are of lines only: hardly anything of them is wider than four pixels.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    palette : ndarray, (K, 3), uint8

    Returns
    -------
    tuple of int
    """
    near = nearest_colour(rgb, palette)
    out = []
    for k in range(len(palette)):
        own = (near == k).astype(np.uint8)
        wide = cv2.morphologyEx(own, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
        if own.any() and np.count_nonzero(wide) < _WIDE * np.count_nonzero(own):
            out.append(k)
    return tuple(out)


def _absorb_fringes(
    labels: Labels, rgb: NDArray[np.uint8], colours: NDArray[np.float32], core: NDArray[np.bool_]
) -> None:
    """Slivers along the soft edges of a photograph that look like a third colour go.

    To the two colours they are a blend of.

    They have no flat place of their own, and two colours beside them that have explain them.
    """
    piece, area, _ = components(labels)
    known = np.bincount(piece[core], minlength=len(area)) > 0
    doubtful = ~known & (area < SLIVER)
    yy, xx = np.nonzero(doubtful[piece])
    if len(yy) == 0:
        return
    around = _bits(np.where(known[piece], labels, -1), len(colours))
    pick, residual = _blends(
        rgb[yy, xx].astype(np.float32), labels[yy, xx], yy, xx, around, colours, REACHES[1]
    )
    number = piece[yy, xx]
    count = np.bincount(number, minlength=len(area))
    mean = np.bincount(number, np.minimum(residual, 1e6), minlength=len(area)) / np.maximum(count, 1)
    explained = mean[number] < (2 * PURE) ** 2
    labels[yy[explained], xx[explained]] = pick[explained]


def _rejoin_single(
    labels: Labels,
    rgb: NDArray[np.uint8],
    colours: NDArray[np.float32],
    yy: NDArray[np.int64],
    xx: NDArray[np.int64],
) -> None:
    """Mixed pixels that are alone in their label join the most alike of their neighbours.

    As where three colours meet.
    """
    h, w = labels.shape
    around = np.stack(
        [
            labels[np.clip(yy + dy, 0, h - 1), np.clip(xx + dx, 0, w - 1)]
            for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1))
        ]
    )
    inside = np.stack([yy > 0, yy < h - 1, xx > 0, xx < w - 1])
    alone = ~((around == labels[yy, xx]) & inside).any(0)
    yy, xx, around, inside = yy[alone], xx[alone], around[:, alone], inside[:, alone]
    if len(yy):
        off = ((colours[around] - rgb[yy, xx].astype(np.float32)) ** 2).sum(-1)
        labels[yy, xx] = np.take_along_axis(around, np.where(inside, off, np.inf).argmin(0)[None], 0)[0]


def _lonely(near: Labels, asked: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Those of some pixels that have at most one neighbour, of four, like them.

    Even of the exact colour they may be a blend.
    """
    h, w = near.shape
    yy, xx = places_of(asked)
    i = yy * w + xx
    flat = near.ravel()
    like = np.zeros(len(i), np.int8)
    for inside, step in ((yy > 0, -w), (yy < h - 1, w), (xx > 0, -1), (xx < w - 1, 1)):
        like += inside & (flat.take(i + step, mode="clip") == flat[i])
    out = np.zeros(near.size, bool)
    out[i] = like <= 1
    return out.reshape(h, w)


def _lookalikes(
    pixels: NDArray[np.uint8],
    near: Labels,
    asked: NDArray[np.bool_],
    sure: NDArray[np.bool_],
    colours: NDArray[np.float32],
) -> NDArray[np.bool_]:
    """Pixels that merely look like a colour.

    It is sure nowhere near, while a blend of two colours that are explains them.
    """
    core = _bits(np.where(sure, near, -1), len(colours))
    out = np.zeros(near.shape, bool)
    yy, xx = places_of(asked)
    lone = ~_has(_colours_around(core, yy, xx, REACHES[0]), near[yy, xx])
    yy, xx = yy[lone], xx[lone]
    if len(yy):
        _, residual = _blends(
            pixels[yy, xx].astype(np.float32), near[yy, xx], yy, xx, core, colours, REACHES[0]
        )
        out[yy, xx] = residual < PURE * PURE
    return out


def _bits(labels: Labels, colours: int) -> Bits:
    """One bit a colour, 0 where the label is -1, with a margin as wide as the largest window needs."""
    margin = REACHES[-1] // 2
    h, w = labels.shape
    kind = np.uint16 if colours <= 16 else np.uint32 if colours <= 32 else np.uint64
    out = np.zeros((h + 2 * margin, w + 2 * margin), kind)
    table = np.append(2 ** np.arange(colours, dtype=kind), kind(0))
    out[margin : margin + h, margin : margin + w] = table.take(labels, mode="wrap")
    return out


def _colours_around(bits: Bits, yy: NDArray[np.int64], xx: NDArray[np.int64], reach: int) -> Bits:
    """Which colours occur within a window round some pixels, one bit a colour."""
    row = bits.shape[1]
    first = REACHES[-1] // 2 - reach // 2
    if len(yy) * reach * 4 < bits.size:
        flat, base = bits.ravel(), (yy + first) * row + xx + first
        out = np.zeros(len(yy), bits.dtype)
        for dy in range(reach):
            for dx in range(reach):
                out |= flat.take(base + (dy * row + dx))
        return out
    h, w = bits.shape[0] - 2 * (REACHES[-1] // 2), row - 2 * (REACHES[-1] // 2)
    rows = bits[first : first + h].copy()
    for dy in range(1, reach):
        rows |= bits[first + dy : first + dy + h]
    both = rows[:, first : first + w].copy()
    for dx in range(1, reach):
        both |= rows[:, first + dx : first + dx + w]
    return both[yy, xx]


def _blends(
    mixed: NDArray[np.float32],
    pick: Labels,
    yy: NDArray[np.int64],
    xx: NDArray[np.int64],
    only_pure: Bits,
    colours: NDArray[np.float32],
    reach: int,
    in_middle: NDArray[np.bool_] | None = None,
) -> tuple[Labels, NDArray[np.float32]]:
    """Label of each mixed pixel by the best pair of colours within reach, and the pair's squared residual.

    `in_middle`, (N, K), tells in the middle of lines of which colours a pixel is: less than half of it makes
    it theirs.
    """
    around = _colours_around(only_pure, yy, xx, reach)
    best = np.full(len(yy), np.inf, np.float32)
    pick = pick.copy()

    def read_as(i: NDArray[np.int64], a: Labels, b: Labels) -> None:
        """Take a pair of colours for some pixels where it explains them better than what was tried before."""
        base, d = colours.take(a, 0), colours.take(b, 0) - colours.take(a, 0)
        away = mixed.take(i, 0) - base
        t = np.clip(np.einsum("ij,ij->i", away, d) / np.maximum(np.einsum("ij,ij->i", d, d), 1e-6), 0, 1)
        away -= t[:, None] * d
        residual = np.einsum("ij,ij->i", away, away)
        better = residual < best[i] - 1e-6
        best[i[better]] = residual[better]
        enough = np.full(len(i), 0.5)
        if in_middle is not None:
            enough -= (0.5 - _FAINT) * (in_middle[i, b].astype(int) - in_middle[i, a])
        pick[i[better]] = np.where(t > enough, b, a)[better]

    # Most pixels see two colours: one bit, and one more.
    lowest = around & (~around + around.dtype.type(1))
    other = around ^ lowest
    two = np.flatnonzero((other != 0) & (other & (other - around.dtype.type(1)) == 0))
    read_as(two, *(np.log2(bit[two].astype(float)).astype(np.int32) for bit in (lowest, other)))
    more = np.flatnonzero(other & (other - around.dtype.type(1)))
    seen = np.stack([_has(around[more], np.int32(k)) for k in range(len(colours))])
    for a, b in combinations(range(len(colours)), 2):
        i = more[seen[a] & seen[b]]
        if len(i):
            read_as(i, np.full(len(i), a, np.int32), np.full(len(i), b, np.int32))
    return pick, best


def _has(sets: Bits, colour: Labels | np.int32) -> NDArray[np.bool_]:
    return (sets >> np.asarray(colour).astype(sets.dtype) & sets.dtype.type(1)).astype(bool)


def surroundings(
    rgb: NDArray[np.uint8], labels: Labels, palette: NDArray[np.uint8], reach: int = 7
) -> NDArray[np.float32]:
    """Mean colour of each pixel's own region around it, blended edge pixels left out, (H, W, 3).

    In a shaded picture a region has no one colour; along an edge the colours either side of it, there, are
    what it blends.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    labels : ndarray, (H, W), int32
        Index into the palette, -1 for the background.
    palette : ndarray, (K, 3), uint8
    reach : int
        Side of the neighbourhood, px.
    """
    out = palette.astype(np.float32)[labels]
    for k in range(len(palette)):
        own = cv2.compare(labels, k, cv2.CMP_EQ)  # type: ignore[call-overload]  # plain numbers are taken
        inner = (cv2.erode(own, np.ones((3, 3), np.uint8), borderValue=255) > 0).astype(np.float32)
        weight = cv2.boxFilter(inner, -1, (reach, reach), normalize=False, borderType=cv2.BORDER_CONSTANT)
        mean = cv2.boxFilter(
            rgb * inner[..., None], -1, (reach, reach), normalize=False, borderType=cv2.BORDER_CONSTANT
        )
        known = (own > 0) & (weight > 0.5)
        out[known] = mean[known] / weight[known, None]
    return np.asarray(out)
