"""Overshoot beside edges measured and undone.

Filters that sharpen, and those that reduce pictures on the web, make both sides of an edge go beyond their
colour.
"""

from __future__ import annotations

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Float
from cutkey.core.imaging.sharpen import sample

#: An edge is steeper than this, levels a px; so many of them are looked at.
_STEEP, _LOOKS = 12.0, 3000
#: Beside an edge a side is looked at for so many px; its last three must be as even as this, levels.
_REACH, _EVEN = 7, 4.0
#: Levels beyond which a side is at the end of the scale, where overshoot is cut off.
_LOW, _HIGH = 12.0, 243.0
#: A picture overshoots when most of its sides go beyond their colour by this share of the step.
OVERSHOOTS = 0.006
_SHARE, _MOST = 0.3, 0.4
#: Levels that the two sides of an edge must differ by.
_STEP = 40.0
#: At least so many sides must be seen, and such a share of those that are not at the end of the scale: in a
#: photograph hardly any is even.
_LEAST, _SEEN = 40, 0.1
#: Widths, px, and strengths of the sharpening that is undone, in so many rounds.
_WIDTHS, _PARTS, _ROUNDS = (0.6, 0.9, 1.4, 2.2), (0.15, 0.3, 0.5, 0.8, 1.2, 1.8), 6
#: An area is so wide, px.
_AREA = 9
#: They do as well as the best one up to this factor and so much noise.
_AS_WELL, _NOISE = 1.2, 0.001


def measure_overshoot(rgb: U8) -> float:
    """Return how far the sides of edges go beyond their colour, as a share of the step between them.

    Seven of ten sides of many edges go beyond by so much: an outline round an area looks like overshoot on
    one side, never on both. A side counts where it is even a few pixels further out, and where its colour is
    not at the end of the scale.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    float
        0 where too few sides can be seen.
    """
    grey = np.asarray(cv2.cvtColor(sample(rgb), cv2.COLOR_RGB2GRAY), np.float32)
    found = _sides(grey)
    return 0.0 if found is None else _beyond(*_shares(_profiles(grey, *found)))


def undo_overshoot(rgb: U8) -> U8:
    """Return the picture with its overshoot taken out, or the picture itself where there is none.

    Sharpening adds a picture's difference from its blurred self; several widths and strengths of that are
    undone, and the gentlest is taken of those that leave sides most even. Edges stay where they are.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W, 3), uint8

    References
    ----------
    P. H. van Cittert: Zum Einfluss der Spaltbreite auf die Intensitaetsverteilung in Spektrallinien II.
    Zeitschrift fuer Physik 69 (1931) 298-308: a convolution undone by going back and forth.
    """
    grey = np.asarray(cv2.cvtColor(sample(rgb), cv2.COLOR_RGB2GRAY), np.float32)
    found = _sides(grey)
    if found is None or _beyond(*_shares(_profiles(grey, *found))) < OVERSHOOTS:
        return rgb
    tried: list[tuple[float, float, float]] = []
    for width in _WIDTHS:
        for part in _PARTS:
            share, looks = _shares(_profiles(_undone(grey, width, part), *found))
            tried.append((_unevenness(share), width, part))
            if _beyond(share, looks) < 0:
                break
    least = min(tried)[0]
    # Of several that do as well the gentlest: compression leaves noise that none of them takes away.
    as_well = [t[1:] for t in tried if t[0] <= _AS_WELL * least + _NOISE]
    best = min(as_well, key=lambda t: t[0] ** 2 * t[1])
    return np.clip(np.round(_undone(rgb.astype(np.float32), *best)), 0, 255).astype(np.uint8)


def _undone(image: F32, width: float, part: float) -> F32:
    """Return the picture that was sharpened by a part of its difference from its blurred self.

    What was cut off at the end of the scale may have been anything between there and what is not cut off;
    where there are areas of that end, as on white paper, half of the way to it is taken.
    """
    end = np.where(image > 128, np.float32(255), np.float32(0))
    areas = cv2.erode((image == end).astype(np.uint8), np.ones((_AREA, _AREA), np.uint8)) > 0
    cut = np.zeros(image.shape, bool)
    for of in (0, 255):
        cut |= (image == of) & (areas & (end == of)).any((0, 1))
    out = image
    for _ in range(_ROUNDS):
        soft = cv2.GaussianBlur(out, (0, 0), width, borderType=cv2.BORDER_REPLICATE)
        out = np.asarray((image + part * soft) / (1 + part), np.float32)
        out[cut] = (out[cut] + end[cut]) / 2
    return out


def _sides(grey: F32) -> tuple[Float, Float] | None:
    """Return places on edges, (N, 2), and the directions from them that are looked along, (N, 2)."""
    smooth = np.asarray(cv2.GaussianBlur(grey, (0, 0), 0.8), np.float32)
    x, y = (cv2.Sobel(smooth, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=1 / 8) for dx in (1, 0))
    steep = np.asarray(cv2.magnitude(x, y))
    ridge = (steep >= _STEEP) & (steep >= 0.999 * cv2.dilate(steep, np.ones((3, 3), np.uint8)))
    places = np.flatnonzero(ridge)
    if len(places) < _LEAST:
        return None
    places = places[:: max(1, len(places) // _LOOKS)]
    across = np.stack([x.ravel()[places], y.ravel()[places]], 1).astype(float) / steep.ravel()[places, None]
    at = np.stack(np.divmod(places, grey.shape[1])[::-1], 1).astype(float)
    return np.concatenate([at, at]), np.concatenate([across, -across]).astype(float)


def _profiles(grey: F32, at: Float, way: Float) -> F32:
    """Return the brightness along each way, from three px behind the edge to `_REACH` before it, (N, K)."""
    steps = np.arange(-3, _REACH + 1, 0.5)
    x = (at[:, :1] + way[:, :1] * steps).astype(np.float32)
    y = (at[:, 1:] + way[:, 1:] * steps).astype(np.float32)
    return np.asarray(cv2.remap(grey, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _beyond(share: F32, looks: int) -> float:
    """Return by how much most sides go beyond their colour; 0 where too few of the looks show one."""
    most = share.max(1)
    most = most[most < _MOST]
    return float(np.quantile(most, _SHARE)) if len(most) >= max(_LEAST, _SEEN * looks) else 0.0


def _unevenness(share: F32) -> float:
    """Return how far sides are off their colour from a pixel beside the edge on."""
    share = share[share.max(1) < _MOST]
    return float(np.abs(np.median(share[:, 1:], axis=0)).mean()) if len(share) >= _LEAST else np.inf


def _shares(profile: F32) -> tuple[F32, int]:
    """Return how far sides go beyond their colour at places before the edge, (N, K), in steps.

    And of how many sides it was asked: at the end of the scale none can be seen.
    """
    far, near, behind = profile[:, -7:], profile[:, 7:15], profile[:, :6]
    level = far.mean(1)
    up = level > behind.mean(1)
    step = np.where(up, level - behind.min(1), behind.max(1) - level)
    even, within = np.ptp(far, axis=1) <= _EVEN, (level > _LOW) & (level < _HIGH)
    good = even & within & (step > _STEP)
    past = (near - level[:, None]) * np.where(up, 1, -1)[:, None]
    return np.asarray(past[good] / step[good, None], np.float32), int(np.count_nonzero(within | ~even))
