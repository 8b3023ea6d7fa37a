"""Transparency told apart: the edge of a figure, a soft shadow or glow behind it, and what is like glass."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Bool, Float
from cutkey.core.imaging.filling import filled_in

#: Alpha below and above which a pixel is clear and opaque.
_CLEAR, _OPAQUE = 0.02, 0.98
#: Alpha changes by less than this over 5 px where it is no edge.
_SLOW = 0.4
#: So much of the picture must be soft for it to be told; below this deviation of alpha it is glass.
_SHARE, _EVEN = 0.003, 0.02
#: A soft part that is kept goes as far as alpha is this, of its strongest.
_KEPT = 0.25


class Soft(NamedTuple):
    """A soft shadow or glow behind a figure."""

    colour: U8  # (3,)
    share: float  # of the picture


def told_apart(rgb: U8, alpha: U8, keep: bool = False) -> tuple[U8, U8, Soft | None]:
    """Return a picture whose transparency is that of the figure's edge alone.

    A pixel of the edge shows the figure over the shadow: the shadow is looked up beside it and taken out of
    both alpha and colour. What is evenly transparent, like glass, becomes opaque in its own colour.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
        Colours, not multiplied by alpha.
    alpha : ndarray, (H, W), uint8
    keep : bool
        A soft shadow or glow becomes part of the figure.

    Returns
    -------
    rgb : ndarray, (H, W, 3), uint8
    alpha : ndarray, (H, W), uint8
    soft : Soft or None
        What was taken away, or kept; None where nothing is soft.
    """
    a = alpha.astype(np.float32) / 255
    wide = np.ones((5, 5), np.uint8)
    slow = np.asarray(cv2.dilate(a, wide) - cv2.erode(a, wide)) < _SLOW
    soft = slow & (a > _CLEAR) & (a < _OPAQUE)
    share = float(soft.mean())
    if share < _SHARE:
        return rgb, alpha, None
    if float(np.std(a[soft])) < _EVEN:
        whole = np.maximum(cv2.dilate(a, wide), 1e-3)
        return rgb, _levels(np.where(soft, 1.0, a / whole)), None
    colour = np.average(rgb[soft], axis=0, weights=a[soft])
    found = Soft(np.round(colour).astype(np.uint8), share)
    if keep:
        strong = np.percentile(a[soft], 95)
        return rgb, _levels(np.where(a >= _OPAQUE, 1.0, (a / (2 * _KEPT * strong)).clip(0, 1))), found
    return *_without(rgb, np.asarray(a, np.float32), soft, np.asarray(colour, np.float32)), found


def _without(rgb: U8, a: F32, soft: Bool, colour: F32) -> tuple[U8, U8]:
    """The picture without what is soft."""
    behind = filled_in(np.dstack([a, a, a]), soft | (a <= _CLEAR))[..., 0].clip(0, _OPAQUE)
    own = np.where(soft | (a <= _CLEAR), 0.0, ((a - behind) / (1 - behind)).clip(0, 1))
    own[a >= _OPAQUE] = 1.0
    rest = (behind * (1 - own))[..., None]
    figure = (rgb * a[..., None] - colour * rest) / np.maximum(own, 0.05)[..., None]
    edge = (own > 0) & (own < 1)
    out = np.where(edge[..., None], figure.clip(0, 255), rgb)
    return np.round(out).astype(np.uint8), _levels(own)


def _levels(a: Float) -> U8:
    return np.asarray(np.round(255 * a).clip(0, 255).astype(np.uint8))
