"""Colours that occur in pixels, and how often."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_PARTS = np.array([1 << 16, 1 << 8, 1])


def counted(pixels: NDArray[np.uint8]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Colours that occur, the most frequent first.

    Parameters
    ----------
    pixels : ndarray, (N, 3), uint8

    Returns
    -------
    colours : ndarray, (K, 3), int64
    counts : ndarray, (K,), int64
    """
    kinds, counts = np.unique(pixels.astype(np.int64) @ _PARTS, return_counts=True)
    order = np.argsort(-counts, kind="stable")
    kinds = kinds[order]
    return np.stack([kinds >> 16, kinds >> 8 & 255, kinds & 255], 1), counts[order]
