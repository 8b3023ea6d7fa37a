"""Transparency told apart: the edge of a figure, a soft shadow or glow behind it, and what is like glass."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Bool, Float
from cutkey.core.imaging.filling import fill_in, nearest_known

#: Alpha below and above which a pixel is clear and opaque.
_CLEAR, _OPAQUE = 0.02, 0.98
#: Alpha changes by less than this over 5 px where it is no edge.
_SLOW = 0.4
#: The figure's edge lies within so many px of what is opaque; its colour must differ from what is soft by so
#: much (RGB distance) to tell the two.
_EDGE, _TELLS = 5.0, 60.0
#: So much of the picture must be soft for it to be told; below this deviation of alpha it is glass.
_SHARE, _EVEN = 0.003, 0.02
#: A soft part that is kept goes as far as alpha is this, of its strongest.
_KEPT = 0.25


class Soft(NamedTuple):
    """A soft shadow or glow behind a figure."""

    colour: U8  # (3,)
    share: float  # of the picture


def separate_soft(rgb: U8, alpha: U8, keep: bool = False) -> tuple[U8, U8, Soft | None]:
    """Return a picture whose transparency is that of the figure's edge alone.

    A pixel of the edge shows the figure over the shadow: the shadow is looked up beside it and taken out of
    both alpha and colour. What is evenly transparent, like glass, becomes opaque in its own colour, and so
    does what is strong in a picture that is opaque nowhere.

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
    a: F32 = np.asarray(alpha / 255, np.float32)
    wide = np.ones((5, 5), np.uint8)
    slow = np.asarray(cv2.dilate(a, wide) - cv2.erode(a, wide)) < _SLOW
    soft = slow & (a > _CLEAR) & (a < _OPAQUE)
    share = float(soft.mean())
    if share < _SHARE:
        return rgb, alpha, None
    if not (a >= _OPAQUE).any():
        peak = float(np.percentile(a[soft], 95))
        return rgb, _levels(np.where(soft, 1.0 * (a >= peak / 2), a / peak)), None
    glass = _even_pieces(a, soft)
    if glass.any():
        # Its own edge is as strong as it is: alpha is counted from the strongest beside it.
        beside = cv2.dilate(glass.astype(np.uint8), wide) > 0
        strong = np.maximum(cv2.dilate(a, wide), 1e-3)
        a = np.asarray(np.where(glass, 1.0, np.where(beside & (a < _OPAQUE), a / strong, a)), np.float32)
        alpha, soft = _levels(a), soft & ~glass & ~beside
        share = float(soft.mean())
        if share < _SHARE:
            return rgb, alpha, None
    colour = np.average(rgb[soft], axis=0, weights=a[soft])
    found = Soft(np.round(colour).astype(np.uint8), share)
    if keep:
        top = float(np.percentile(a[soft], 95))
        return rgb, _levels(np.where(a >= _OPAQUE, 1.0, (a / (2 * _KEPT * top)).clip(0, 1))), found
    return *_without(rgb, a, soft, np.asarray(colour, np.float32)), found


def _even_pieces(a: F32, soft: Bool) -> Bool:
    """Return the pieces of what is soft whose alpha is one and the same."""
    count, found = cv2.connectedComponents(soft.astype(np.uint8), connectivity=4)
    piece = np.asarray(found, np.int64).ravel()
    size = np.maximum(np.bincount(piece, minlength=count), 1)
    mean = np.bincount(piece, a.ravel(), count) / size
    deviation = np.sqrt(np.maximum(np.bincount(piece, a.ravel() ** 2, count) / size - mean**2, 0))
    # A few pixels are always alike.
    even = (deviation < _EVEN) & (size >= _SHARE * a.size)
    even[0] = False
    return np.asarray(even[piece].reshape(a.shape))


def _without(rgb: U8, a: F32, soft: Bool, colour: F32) -> tuple[U8, U8]:
    """Return the picture without what is soft."""
    behind = fill_in(np.dstack([a, a, a]), soft | (a <= _CLEAR))[..., 0].clip(0, _OPAQUE)
    own = np.where(soft | (a <= _CLEAR), 0.0, ((a - behind) / (1 - behind)).clip(0, 1))
    own[a >= _OPAQUE] = 1.0
    nearest, far = nearest_known(rgb.astype(np.float32), a >= _OPAQUE)
    way = nearest - colour
    told = (a < _OPAQUE) & (a > _CLEAR) & (far <= _EDGE) & ((way**2).sum(2) > _TELLS**2)
    # What shows is a part of the figure's colour and a part of what is soft; both are known.
    part = a * ((rgb - colour) * way).sum(2) / np.maximum((way**2).sum(2), 1.0)
    own = np.where(told, part.clip(0, 1), own)
    rest = (behind * (1 - own))[..., None]
    figure = (rgb * a[..., None] - colour * rest) / np.maximum(own, 0.05)[..., None]
    edge = (own > 0) & (own < 1)
    out = np.where(edge[..., None], np.where(told[..., None], nearest, figure.clip(0, 255)), rgb)
    return np.round(out).astype(np.uint8), _levels(own)


def _levels(a: Float | F32 | Bool) -> U8:
    return np.asarray((255 * a).round().clip(0, 255).astype(np.uint8))
