"""Colours in which brightness counts for more than hue, for pictures whose hue is blurred.

JPEG, WebP and video halve the resolution of hue: along a thin line the hue is that of its surroundings, and
only its brightness is sharp.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import F32, U8
from cutkey.core.imaging.sharpen import sample

#: Weight of hue against brightness where labels are given, and where colours of lines are looked for.
LABELS, LINES = 0.4, 0.6
#: Hue is blurred when its finest detail, against what is twice as coarse, is less than this share of that of
#: brightness. Halved chroma gives 0.1 to 0.55, full chroma 0.85 and more (measured on a gallery of 28 kinds).
_BLURRED = 0.7
#: Levels by which hue must change somewhere to be judged, and places where it must.
_CHANGES, _LEAST = 12.0, 60


def is_hue_blurred(rgb: U8) -> bool:
    """Return whether a picture's hue has about half the resolution of its brightness.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    parts = np.asarray(cv2.cvtColor(sample(rgb), cv2.COLOR_RGB2YCrCb), np.float32)
    bright, hues = _fineness(parts[..., 0]), [_fineness(parts[..., k]) for k in (1, 2)]
    known = [h for h in hues if h > 0]
    return bool(bright > 0 and known and np.mean(known) < _BLURRED * bright)


def _fineness(channel: F32) -> float:
    """Change from pixel to pixel against change over two pixels; 0 where nothing changes."""
    fine, coarse = 0.0, 0.0
    for c in (channel, channel.T):
        over_two = np.abs(c[:, 3:] - c[:, :-3])
        bend = np.abs(c[:, :-3] - c[:, 1:-2] - c[:, 2:-1] + c[:, 3:])
        seen = over_two > _CHANGES
        if np.count_nonzero(seen) >= _LEAST:
            fine, coarse = fine + float(bend[seen].sum()), coarse + float(over_two[seen].sum())
    return fine / coarse if coarse else 0.0


def weigh_hue(rgb: U8, weight: float) -> U8:
    """Return colours as brightness and drawn-together hue, so that distances are mostly those of brightness.

    Parameters
    ----------
    rgb : ndarray, (..., 3), uint8
    weight : float
        Of hue.

    Returns
    -------
    ndarray, (..., 3), uint8
        Y, Cr and Cb (ITU-R BT.601), Cr and Cb drawn together about their middle.
    """
    out = np.asarray(cv2.cvtColor(_rows(rgb), cv2.COLOR_RGB2YCrCb), np.float32)
    out[..., 1:] = 128 + (out[..., 1:] - 128) * weight
    return np.asarray(np.round(out).astype(np.uint8).reshape(rgb.shape))


def restore_hue(colours: NDArray[np.float64], weight: float) -> NDArray[np.float64]:
    """Return RGB colours of what `weigh_hue` made.

    Parameters
    ----------
    colours : ndarray, (N, 3), float64
    weight : float
        That of `weigh_hue`.

    Returns
    -------
    ndarray, (N, 3), float64
    """
    if not len(colours):
        return np.zeros((0, 3))
    out = np.asarray(colours, np.float32).reshape(-1, 1, 3).copy()
    out[..., 1:] = 128 + (out[..., 1:] - 128) / weight
    levels = np.clip(np.round(out), 0, 255).astype(np.uint8)
    return np.asarray(cv2.cvtColor(levels, cv2.COLOR_YCrCb2RGB), np.float64).reshape(-1, 3)


def _rows(rgb: U8) -> U8:
    return np.ascontiguousarray(rgb if rgb.ndim == 3 else rgb.reshape(-1, 1, 3))
