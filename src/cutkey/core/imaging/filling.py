"""Places that are not known, filled in from those that are."""

from __future__ import annotations

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, Bool


def fill_in(image: F32, known: Bool) -> F32:
    """Return an image with what is between its known pixels filled in softly.

    Parameters
    ----------
    image : ndarray, (H, W, 3), float32
    known : ndarray, (H, W), bool

    Returns
    -------
    ndarray, (H, W, 3), float32

    References
    ----------
    S. J. Gortler et al.: The Lumigraph. SIGGRAPH (1996) 43-54: pull and push through a pyramid.
    """
    weight = known.astype(np.float32)
    levels: list[tuple[F32, F32]] = [(image * weight[..., None], weight)]
    while min(levels[-1][1].shape) > 1 and not (levels[-1][1] > 0.05).all():
        levels.append(tuple(np.asarray(cv2.pyrDown(a), np.float32) for a in levels[-1]))  # type: ignore[arg-type]  # two of them
    colour, weight = levels[-1]
    out = colour / np.maximum(weight, 1e-4)[..., None]
    for colour, weight in reversed(levels[:-1]):
        out = np.asarray(cv2.resize(out, weight.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)
        share = np.minimum(weight, 1.0)[..., None]
        out = colour / np.maximum(weight, 1e-4)[..., None] * share + out * (1 - share)
    return np.asarray(out, np.float32)


def nearest_known(image: F32, known: Bool) -> tuple[F32, F32]:
    """Return the colour of the nearest known pixel of each, and how far off that is.

    Parameters
    ----------
    image : ndarray, (H, W, 3), float32
    known : ndarray, (H, W), bool
        At least one is.

    Returns
    -------
    colours : ndarray, (H, W, 3), float32
    far : ndarray, (H, W), float32
        px.
    """
    far, number = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    place = np.zeros(int(number.max()) + 1, np.int64)
    place[number[known]] = np.flatnonzero(known)
    colours = image.reshape(-1, 3)[place[number.ravel()]].reshape(image.shape)
    return np.asarray(colours, np.float32), np.asarray(far, np.float32)
