"""Glare over flat colours, found and taken out."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Bool, Float
from cutkey.core.imaging.filling import fill_in
from cutkey.core.imaging.size import at_most

#: Longest side, px, of the picture in which it is looked for: it changes slowly.
_SIDE = 480
#: Within an area neighbours differ by at most so many levels; an area has so many px to be looked at.
_FLAT, _LEAST = 8, 80
#: A picture of more areas is no drawing in flat colours.
_MOST_AREAS = 200
#: A colour so near to the light itself tells nothing of it (RGB distance).
_TELLS = 30.0
#: Areas whose colours come out nearer than this (RGB distance) are of one colour.
_ONE = 24.0
#: Rounds in which colours and glare are told from each other; the glare is smooth over so much of the
#: picture.
_ROUNDS, _SMOOTH = 12, 0.012
#: It is glare when at its strongest it is more than this, covers no more than so much of the picture, and
#: leaves no more than this of what the colours vary by within their areas.
_STRONG, _WIDE, _LEFT = 0.08, 0.9, 0.35
#: Colours that vary by less than this within their areas are even (RGB distance).
_VARIES = 3.0
#: It is taken out down to this share of the light.
_MOST = 0.9


class Glare(NamedTuple):
    """Glare in a picture."""

    share: F32  # (H, W) of each pixel that is light, 0 to 1
    light: Float  # (3,) its colour


def find_glare(rgb: U8) -> Glare | None:
    """Return the glare over a picture in flat colours, or None where none can be told.

    Glare mixes every colour with that of the light, by a share that changes slowly. Areas of one colour each
    are told by their edges. Their colours and the share are solved for in turn; areas whose colours come out
    alike are of one colour, which tells how much glare lies over one that it covers wholly.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    h, w = rgb.shape[:2]
    small = at_most(rgb, _SIDE)
    smooth = np.asarray(cv2.GaussianBlur(small, (0, 0), 1.0), np.uint8)
    area, count = _areas(smooth)
    if not 0 < count <= _MOST_AREAS:
        return None
    at = np.flatnonzero(area.ravel() >= 0)
    own, p = area.ravel()[at], smooth.reshape(-1, 3)[at].astype(float)
    light = np.percentile(smooth.reshape(-1, 3), 99.8, axis=0).astype(float)
    sizes = np.bincount(own, minlength=count).astype(float)
    colours = _darkest(p, own, count, light)
    tells = np.linalg.norm(light - colours, axis=1) > _TELLS
    before = _vary(p[tells[own]], own[tells[own]], count) if tells.any() else 0.0
    if before < _VARIES:
        return None
    share = np.zeros(len(p))
    field = np.zeros(small.shape[:2], np.float32)
    for _ in range(_ROUNDS):
        way = light - colours[own]
        share = np.clip(((p - colours[own]) * way).sum(1) / np.maximum((way**2).sum(1), 1.0), -0.2, _MOST)
        field = _field(share, tells[own], at, small.shape[:2])
        field = np.clip(field - np.percentile(field.ravel()[at][tells[own]], 5), 0, _MOST)
        a = field.ravel()[at][:, None]
        bare = (p - a * light) / (1 - a)
        colours = (
            np.stack([np.bincount(own, bare[:, c] * (1 - a[:, 0]), count) for c in range(3)], 1)
            / np.maximum(np.bincount(own, 1 - a[:, 0], count), 1e-9)[:, None]
        )
        colours = _joined(colours, sizes)
        tells = np.linalg.norm(light - colours, axis=1) > _TELLS
        if not tells.any():
            return None
    k = tells[own]
    after = _vary(bare[k], own[k], count)
    if field.max() < _STRONG or (a[k] > _STRONG / 2).mean() > _WIDE or after > _LEFT * before:
        return None
    if small is not rgb:
        field = np.asarray(cv2.resize(field, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
    return Glare(field, light)


def without_glare(rgb: U8) -> U8:
    """Return a picture with the glare over it taken out, itself where there is none.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    found = find_glare(rgb)
    if found is None:
        return rgb
    a = found.share[..., None]
    out = (rgb - a * found.light.astype(np.float32)) / (1 - a)
    return np.asarray(np.clip(np.round(out), 0, 255), np.uint8)


def _areas(smooth: U8) -> tuple[np.ndarray, int]:
    """Number of the area of each pixel, -1 for edges and what is too small, and how many there are."""
    kernel = np.ones((3, 3), np.uint8)
    rough = cv2.subtract(cv2.dilate(smooth, kernel), cv2.erode(smooth, kernel)).max(2)
    _, piece, stats, _ = cv2.connectedComponentsWithStats((rough <= _FLAT).astype(np.uint8), connectivity=4)
    large = stats[:, cv2.CC_STAT_AREA] >= _LEAST
    large[0] = False
    number = np.where(large, np.cumsum(large) - 1, -1)
    return number[piece], int(large.sum())


def _darkest(p: Float, own: np.ndarray, count: int, light: Float) -> Float:
    """Colour of each area where it is furthest from the light."""
    off = np.linalg.norm(light - p, axis=1)
    out = np.zeros((count, 3))
    order = np.argsort(own, kind="stable")
    for k, mine in enumerate(np.split(order, np.cumsum(np.bincount(own, minlength=count))[:-1])):
        far = off[mine] >= np.percentile(off[mine], 95)
        out[k] = p[mine][far].mean(0)
    return out


def _field(share: Float, tells: Bool, at: np.ndarray, shape: tuple[int, ...]) -> F32:
    """The share of light everywhere, smooth."""
    image = np.zeros(shape, np.float32)
    known = np.zeros(shape, bool)
    image.ravel()[at[tells]] = share[tells]
    known.ravel()[at[tells]] = True
    full = fill_in(np.repeat(image[..., None], 3, 2), known)[..., 0]
    return np.asarray(cv2.GaussianBlur(full, (0, 0), _SMOOTH * max(shape)), np.float32)


def _joined(colours: Float, sizes: Float) -> Float:
    """Colours of areas, those that came out alike made one."""
    out = colours.copy()
    left = np.argsort(-sizes)
    while len(left):
        near = left[np.linalg.norm(colours[left] - colours[left[0]], axis=1) < _ONE]
        out[near] = np.average(colours[near], axis=0, weights=sizes[near])
        left = left[~np.isin(left, near)]
    return out


def _vary(p: Float, own: np.ndarray, count: int) -> float:
    """What colours vary by within their areas (RGB distance, root of the mean square)."""
    n = np.maximum(np.bincount(own, minlength=count), 1)
    mean = np.stack([np.bincount(own, p[:, c], count) / n for c in range(3)], 1)
    return float(np.sqrt(((p - mean[own]) ** 2).sum(1).mean()))
