"""From pixels to a label map: each pixel belongs to one colour of the palette."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Labels = NDArray[np.int32]
#: A pixel this near (RGB distance) to a palette colour is pure; any other may be a blend along an edge.
PURE = 10.0
#: A pixel nearer than this is the colour itself, not a blend that happens to look like it.
EXACT = 2.5
#: Levels a channel may differ by within 3 x 3 in a flat place.
FLAT = 3
#: Sides of the windows, px, in which the two colours of a blend are looked for.
REACHES = (5, 9, 13)
#: Share of mixed pixels with no two pure colours next to them above which the picture's edges are soft.
SOFT = 0.02


def spread(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Largest difference of any channel within 3 x 3 of each pixel, (H, W)."""
    kernel = np.ones((3, 3), np.uint8)
    return np.asarray((cv2.dilate(rgb, kernel) - cv2.erode(rgb, kernel)).max(-1))


def nearest_colour(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> Labels:
    """Index of the nearest palette colour of every pixel (RGB distance), (H, W)."""
    flat = rgb.reshape(-1, 3).astype(np.float32)
    p = palette.astype(np.float32)
    out = np.empty(len(flat), np.int32)
    for i in range(0, len(flat), 1 << 18):
        part = flat[i : i + (1 << 18)]
        out[i : i + len(part)] = ((p * p).sum(1) - 2 * part @ p.T).argmin(1)
    return out.reshape(rgb.shape[:2])


def label_pixels(rgb: NDArray[np.uint8], palette: NDArray[np.uint8]) -> Labels:
    """Label map that gives anti-aliased edge pixels to a neighbour, never to a third colour.

    A pixel that is not pure is read as a blend ``(1 - t) a + t b`` of two colours that occur pure nearby; the pair with the
    smallest residual is taken and the pixel goes to `b` when t > 1/2. Where no pair within 5 x 5 explains the pixel, as along
    the soft edges of a photograph, the search goes further out.

    Returns
    -------
    ndarray, (H, W) int32
        Indices into `palette`.
    """
    near = nearest_colour(rgb, palette)
    colours = palette.astype(np.float32)
    pixels = rgb.astype(np.float32)
    off = ((pixels - colours[near]) ** 2).sum(-1)
    # A flat place belongs to its nearest colour even where the palette has none like it.
    flat = spread(rgb) <= FLAT
    pure = (off < PURE * PURE) | flat
    pure &= ~_lookalikes(pixels, near, pure & ~flat & (off > EXACT * EXACT), flat, colours)
    yy, xx = np.nonzero(~pure)
    if len(yy) == 0:
        return near
    only_pure = np.where(pure, near, -1)
    pick = near[yy, xx]
    todo = np.arange(len(yy))
    for reach in REACHES:
        pick[todo], residual = _blends(pixels[yy[todo], xx[todo]], pick[todo], yy[todo], xx[todo], only_pure, colours, reach)
        lost = np.isinf(residual)
        if reach == REACHES[0]:
            soft = lost.mean() > SOFT
        # On crisp edges a pixel that no pair explains is a junction of three colours, and looking further out would only mislead.
        todo = todo[lost | ((residual > (2 * PURE) ** 2) & soft)]
        if len(todo) == 0:
            break
    labels = near.copy()
    labels[yy, xx] = pick
    return labels


def _lookalikes(
    pixels: NDArray[np.float32], near: Labels, asked: NDArray[np.bool_], flat: NDArray[np.bool_], colours: NDArray[np.float32]
) -> NDArray[np.bool_]:
    """Pixels that merely look like a colour: it is flat nowhere near, while a blend of two colours that are explains them."""
    kernel = np.ones((REACHES[0], REACHES[0]), np.uint8)
    core = np.where(flat, near, -1)
    supported = np.zeros(near.shape, bool)
    for k in range(len(colours)):
        supported |= (near == k) & (cv2.dilate((core == k).astype(np.uint8), kernel) > 0)
    asked = asked & ~supported
    out = np.zeros(near.shape, bool)
    yy, xx = np.nonzero(asked)
    if len(yy):
        _, residual = _blends(pixels[yy, xx], near[yy, xx], yy, xx, core, colours, REACHES[0])
        out[yy, xx] = residual < PURE * PURE
    return out


def _blends(
    mixed: NDArray[np.float32],
    pick: Labels,
    yy: NDArray[np.int64],
    xx: NDArray[np.int64],
    only_pure: Labels,
    colours: NDArray[np.float32],
    reach: int,
) -> tuple[Labels, NDArray[np.float32]]:
    """Label of each mixed pixel by the best pair of colours within reach, and the pair's squared residual."""
    kernel = np.ones((reach, reach), np.uint8)
    seen = np.stack([cv2.dilate((only_pure == k).astype(np.uint8), kernel)[yy, xx] > 0 for k in range(len(colours))])
    together = seen.astype(np.float32) @ seen.T.astype(np.float32)
    best = np.full(len(yy), np.inf, np.float32)
    pick = pick.copy()
    for a in range(len(colours)):
        for b in range(a + 1, len(colours)):
            if not together[a, b]:
                continue
            i = np.nonzero(seen[a] & seen[b])[0]
            d = colours[b] - colours[a]
            t = np.clip(((mixed[i] - colours[a]) @ d) / max(float(d @ d), 1e-6), 0, 1)
            residual = ((mixed[i] - colours[a] - t[:, None] * d) ** 2).sum(-1)
            better = residual < best[i] - 1e-6
            best[i[better]] = residual[better]
            pick[i[better]] = np.where(t[better] > 0.5, b, a)
    return pick, best


def components(labels: Labels) -> tuple[NDArray[np.int32], NDArray[np.int64], NDArray[np.int32]]:
    """4-connected pieces of a label map.

    Returns
    -------
    piece : ndarray, (H, W) int32
        Number of the piece of each pixel, from 0.
    area : ndarray, (P,) int64
        Pixels in each piece.
    label : ndarray, (P,) int32
        Label of each piece.
    """
    piece = np.zeros(labels.shape, np.int32)
    owners: list[int] = []
    for value in np.unique(labels):
        mask = (labels == value).astype(np.uint8)
        n, found = cv2.connectedComponents(mask, connectivity=4, ltype=cv2.CV_32S)
        inside = mask > 0
        piece[inside] = found[inside] - 1 + len(owners)
        owners.extend([int(value)] * (n - 1))
    return piece, np.bincount(piece.ravel(), minlength=len(owners)), np.array(owners, np.int32)


def despeckle(labels: Labels, min_area: float) -> tuple[Labels, int]:
    """Give pieces smaller than `min_area` (px) the colour around them.

    Returns
    -------
    labels : ndarray, (H, W) int32
        A speck takes the label of the nearest larger piece: it never becomes a hole.
    count : int
        How many specks there were.
    """
    from scipy.ndimage import distance_transform_edt

    piece, area, _ = components(labels)
    small = area < min_area
    if not small.any() or small.all():
        return labels, 0
    where = distance_transform_edt(small[piece], return_distances=False, return_indices=True)
    return labels[tuple(where)], int(small.sum())
