"""Pieces of a label map, and the removal of those that are too small."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

#: Number of the colour of each pixel, -1 for the background, (H, W).
Labels = NDArray[np.int32]


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
    piece = np.full(labels.shape, -1, np.int32)
    owners: list[int] = []
    for value in np.nonzero(np.bincount(labels.ravel()))[0]:
        mask = cv2.compare(labels, int(value), cv2.CMP_EQ)  # type: ignore[call-overload]  # plain numbers are taken
        n, found = cv2.connectedComponents(mask, connectivity=4, ltype=cv2.CV_32S)
        # Numbers start at 1 inside the mask and are 0 outside it.
        cv2.add(piece, found, piece, mask)
        if owners:
            cv2.add(piece, len(owners), piece, mask)  # type: ignore[call-overload]  # plain numbers are taken
        owners.extend([int(value)] * (n - 1))
    return piece, np.bincount(piece.ravel(), minlength=len(owners)), np.array(owners, np.int32)


def despeckle(labels: Labels, min_area: float, min_width: float = 0.0) -> tuple[Labels, NDArray[np.float32]]:
    """Give pieces smaller than an area, or nowhere as wide as a width, the colour around them.

    Parameters
    ----------
    labels : ndarray, (H, W) int32
    min_area : float
        px2.
    min_width : float
        px; the width of a piece is that of the largest disc in it.

    Returns
    -------
    labels : ndarray, (H, W) int32
        A speck takes the label of the nearest larger piece: it never becomes a hole.
    specks : ndarray, (S, 3) float32
        Middle and radius of each speck, px.
    """
    from scipy.ndimage import distance_transform_edt

    piece, area, owner = components(labels)
    small = area < min_area
    if min_width > 0:
        small |= widths(labels, piece, owner) < min_width
    if not small.any() or small.all():
        return labels, np.empty((0, 3), np.float32)
    mask = small[piece]
    yy, xx = np.nonzero(mask)
    number = (np.cumsum(small) - 1)[piece[yy, xx]]
    count = np.bincount(number)
    specks = np.stack(
        [
            np.bincount(number, xx) / count + 0.5,
            np.bincount(number, yy) / count + 0.5,
            np.sqrt(count / np.pi),
        ],
        1,
    )
    # Only the surroundings of specks need a nearest neighbour.
    rows, columns = slice(max(0, yy.min() - 1), yy.max() + 2), slice(max(0, xx.min() - 1), xx.max() + 2)
    part = labels[rows, columns]
    if mask[rows, columns].all():
        rows = columns = slice(None)
        part = labels
    where = distance_transform_edt(mask[rows, columns], return_distances=False, return_indices=True)
    out = labels.copy()
    out[rows, columns] = part[tuple(where)]
    return out, specks.astype(np.float32)


def widths(labels: Labels, piece: NDArray[np.int32], owner: NDArray[np.int32]) -> NDArray[np.float64]:
    """Diameter of the largest disc in each piece.

    Parameters
    ----------
    labels : ndarray, (H, W), int32
    piece, owner
        As `components` tells them.

    Returns
    -------
    ndarray, (P,), float64
        px.
    """
    out = np.zeros(len(owner))
    padded = np.pad(labels, 1, constant_values=-1)
    for value in np.unique(owner):
        same = cv2.compare(padded, int(value), cv2.CMP_EQ)  # type: ignore[call-overload]  # plain numbers are taken
        depth = cv2.distanceTransform(same, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
        inside = labels == value
        np.maximum.at(out, piece[inside], depth[inside])
    # The transform measures to the middle of the nearest pixel outside.
    return 2 * out - 1
