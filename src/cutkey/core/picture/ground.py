"""A ground made plain before colours are looked for.

It shades softly, is grained, or has the figure's shadow on it.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.colour.difference import difference, hex_of
from cutkey.core.geometry.arrays import F32, U8, Bool
from cutkey.core.imaging.filling import fill_in, nearest_known
from cutkey.core.picture.labels import FLAT, spread

#: Longest side, px, of the reduced picture in which the ground is looked for.
_SIDE = 1000
#: The ground changes by less than so many levels a px there, beside the noise; an edge by more.
_STEEP = 4.0
#: A soft slope is about as steep 7 px further on, to this share; what is steeper than this is an edge, levels
#: a px.
_LASTING, _SURELY_STEEP = 0.4, 15.0
#: A piece of the ground that the figure encloses has so many px, and is as light as the ground to this,
#: levels; so many are looked at.
_LEAST_PIECE, _LIKE, _PIECES = 60, 4.0, 40
#: So much of the border must be one piece of ground, and so much of the ground another colour (CIEDE2000)
#: than most of it, to be worth it.
_BORDER, _OFF, _APART = 0.75, 0.01, 4.0
#: What differs by no more levels than this from a colour is not `_APART` from it.
_SAME = 1.0
#: An edge that has ground on both sides within so many px, by so many levels other, lies within the ground;
#: no more than this share of its edges do.
_BOTH_SIDES, _OTHER_SIDE, _WITHIN = 9, 40.0, 0.1
#: Share of these other places where the colour goes on changing: a pale field is flat, a shadow is not.
_SLOPED = 0.5
#: So much of a pale field is within so many levels of one colour; less is enough where its channels differ
#: from the ground's by other shares than each other. Its soft edge is so wide, px.
_FIELD, _EVEN, _TINTED_FIELD, _TINT, _RIM = 0.6, 3.0, 0.35, 0.12, 11
#: A figure meets its shadow within so many px of the ground; there it is darker by up to these factors. What
#: is made up of two parts is no further off (RGB distance).
_FOOT, _DARKER, _MADE_UP = 10.0, (1.0, 0.95, 0.9, 0.85, 0.8, 0.75, 0.7, 0.65, 0.6, 0.55), 10.0
#: In a shadow the ground is darker than within so many px round it, by this factor.
_ROUND, _SHADED = 32.0, 0.97
#: It is told from a smoothed picture (standard deviation in px), where it changes by this many levels a px or
#: more.
_WIDE, _GENTLE = 6.0, 0.03
#: Where colours are so many levels from the ground they are surely not ground.
_SURE = 30.0


class Ground(NamedTuple):
    """A picture with its ground made plain."""

    rgb: U8  # (H, W, 3)
    colour: str  # that the ground has now
    ends: tuple[str, str]  # its darkest and its lightest


def plain_ground(rgb: U8, noise: float) -> Ground | None:
    """The picture on a ground of one colour.

    None where the ground is plain already or cannot be told from the figure.

    The ground is what hangs together with the picture's border without an edge. In the edges of the figure
    pixels are part ground: what is added to the ground is added to them by that part, so that edges stay
    where they are.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    noise : float
        Standard deviation in grey levels.
    """
    h, w = rgb.shape[:2]
    scale = min(1.0, _SIDE / max(h, w))
    size = max(8, round(w * scale)), max(8, round(h * scale))
    small = rgb if scale == 1 else np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), np.uint8)
    smooth = np.asarray(cv2.GaussianBlur(small, (0, 0), 1.0), np.float32)
    ground = _from_border(~_edges(smooth, _STEEP + noise), smooth)
    if ground is None or _has_edges_within(smooth, ground):
        return None
    ground &= ~_pale_fields(smooth, ground)
    if not _shades(smooth, ground):
        return None
    # Well inside it, so that no edge of the figure counts.
    sure = cv2.erode(ground.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if sure.mean() < 0.02:
        return None
    field = fill_in(small.astype(np.float32), sure)
    sure |= _grain(np.abs(small - field).max(2), ground, _SURE + 4 * noise)
    colour = np.median(small[sure], axis=0)
    if scale < 1:
        field = np.asarray(cv2.resize(field, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
        sure = cv2.resize(sure.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0
    off = np.abs(rgb.astype(np.float32) - field).max(2)
    reach = 2 * round(2 / scale) + 3
    most = np.maximum(cv2.dilate(off, np.ones((reach, reach), np.uint8)), _SURE + 4 * noise)
    part = 1 - np.clip(off / most, 0, 1)
    out = rgb + part[..., None] * (colour.astype(np.float32) - field)
    out[sure] = colour
    _mend_feet(out, rgb.astype(np.float32), field, sure, colour.astype(np.float32), noise, 1 / scale)
    grey = field[sure].sum(1)
    ends = (field[sure][int(np.argmin(grey))], field[sure][int(np.argmax(grey))])
    return Ground(
        np.clip(np.round(out), 0, 255).astype(np.uint8), hex_of(colour), (hex_of(ends[0]), hex_of(ends[1]))
    )


def _slope(smooth: F32) -> F32:
    """Steepest change of any channel, levels a px."""
    x, y = (cv2.Sobel(smooth, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=1 / 8) for dx in (1, 0))
    return np.asarray(np.sqrt(x * x + y * y).max(2), np.float32)


def _edges(smooth: F32, steep: float) -> Bool:
    """Where colours change within a few pixels; a shadow goes on changing further out."""
    slope = _slope(smooth)
    lasting = cv2.morphologyEx(slope, cv2.MORPH_OPEN, np.ones((7, 7), np.uint8))
    # The foot of a blurred edge is as soft as a shadow.
    sharp = cv2.dilate((slope >= _SURELY_STEEP).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    return np.asarray((slope >= steep) & ((lasting < _LASTING * slope) | sharp))


def _from_border(flat: Bool, smooth: F32) -> Bool | None:
    """What hangs together with the border, and what the figure encloses that is as light.

    None where the figure reaches the border, or nothing else is there.
    """
    _, piece = cv2.connectedComponents(flat.astype(np.uint8), connectivity=4)
    edge = np.concatenate([piece[0], piece[-1], piece[:, 0], piece[:, -1]])
    count = np.bincount(edge, minlength=2)
    count[0] = 0
    if count.max() < _BORDER * len(edge):
        return None
    first = int(count.argmax())
    out = piece == first
    grey = smooth.mean(2)
    light = float(np.percentile(grey[out], 90))
    area = np.bincount(piece.ravel())
    area[[0, first]] = 0
    # The largest tell: in a photograph there are thousands.
    for n in np.argsort(-area)[:_PIECES].tolist():
        own = piece == n
        if area[n] > _LEAST_PIECE and abs(float(np.percentile(grey[own], 95)) - light) < _LIKE:
            out |= own
    return np.asarray(out) if 0.05 < out.mean() < 0.97 else None


def _has_edges_within(smooth: F32, ground: Bool) -> bool:
    """Whether much of the ground's edge has ground of other colours on its two sides.

    That is a figure that fades into it somewhere.
    """
    window, grey = np.ones((_BOTH_SIDES, _BOTH_SIDES), np.uint8), smooth.mean(2)
    lightest = cv2.dilate(np.where(ground, grey, -1e3).astype(np.float32), window)
    darkest = cv2.erode(np.where(ground, grey, 1e3).astype(np.float32), window)
    edge = ~ground & (lightest >= 0)
    within = np.count_nonzero(edge & (lightest - darkest > _OTHER_SIDE))
    return bool(within > max(_BOTH_SIDES**2, _WITHIN * np.count_nonzero(edge)))


def _mend_feet(out: F32, image: F32, field: F32, sure: Bool, colour: F32, noise: float, px: float) -> None:
    """Pixels where a figure meets its shadow, put right in place.

    There the ground is darker than anywhere it can be seen, and the pixel is part figure. It is taken for the
    part of the nearest flat colour of the figure that, with a ground somewhat darker than the field, makes it
    up best.
    """
    reach = 2 * round(_FOOT * px) + 1
    zone = ~sure & (cv2.dilate(sure.astype(np.uint8), np.ones((reach, reach), np.uint8)) > 0)
    flat = ~sure & (spread(np.clip(image, 0, 255).astype(np.uint8)) <= FLAT + 2 * noise)
    flat &= np.abs(image - field).max(2) > _SURE
    # What has the ground's own colour, darker, and lies beside it is shadow too.
    as_ground = image / np.maximum(field, 1.0)
    flat &= ~(zone & (np.ptp(as_ground, axis=2) < _TINT) & (as_ground.mean(2) > _DARKER[-1]))
    at = np.flatnonzero(zone)
    if not len(at) or not flat.any():
        return
    own = nearest_known(image, flat)[0].reshape(-1, 3)[at]
    p, ground = image.reshape(-1, 3)[at], field.reshape(-1, 3)[at]
    best = np.full(len(at), np.inf, np.float32)
    part = np.zeros(len(at), np.float32)
    for dark in _DARKER:
        way = own - dark * ground
        t = np.clip(((p - dark * ground) * way).sum(1) / np.maximum((way**2).sum(1), 1.0), 0, 1)
        off = np.sqrt(((p - dark * ground - t[:, None] * way) ** 2).sum(1)) + (1 - dark)
        part = np.where(off < best, t, part)
        best = np.minimum(off, best)
    # Where the ground is hardly darker than further off there is no shadow; thin tips keep their strength.
    coarse = cv2.resize(field.mean(2), None, fx=1 / 8, fy=1 / 8, interpolation=cv2.INTER_AREA)
    wide = 2 * max(1, round(_ROUND * px / 8)) + 1
    lightest = cv2.resize(cv2.dilate(coarse, np.ones((wide, wide), np.uint8)), field.shape[1::-1])
    told = (best < _MADE_UP + 2 * noise) & (ground.mean(1) < _SHADED * lightest.ravel()[at])
    # What becomes ground hangs together with it.
    bare = sure.copy()
    bare.ravel()[at[told & (part < 0.5)]] = True
    _, piece = cv2.connectedComponents(bare.astype(np.uint8), connectivity=4)
    whole = np.zeros(int(piece.max()) + 1, bool)
    whole[piece[sure]] = True
    told &= (part >= 0.5) | whole[piece.ravel()[at]]
    t = part[told, None]
    out.reshape(-1, 3)[at[told]] = t * own[told] + (1 - t) * colour


def _pale_fields(smooth: F32, ground: Bool) -> Bool:
    """Areas of one colour that run into the ground because their edges are as soft as a shadow."""
    middle = np.median(smooth[ground], axis=0)
    out = np.zeros(ground.shape, bool)
    other = ground & (np.abs(smooth - middle).max(2) > _SAME)
    other[other] = difference(middle[None], smooth[other]).ravel() > _APART
    beside = cv2.dilate((ground & ~other).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    _, piece, stats, _ = cv2.connectedComponentsWithStats(other.astype(np.uint8), connectivity=4)
    area = stats[:, cv2.CC_STAT_AREA].copy()
    area[0] = 0
    for n in np.argsort(-area)[:_PIECES].tolist():
        if area[n] < _LEAST_PIECE:
            break
        own = piece == n
        colours = smooth[own]
        usual = np.median(colours, axis=0)
        # Where the ground goes over into it slowly, much of it is hardly off the ground's colour.
        if not beside[own].any() or float(difference(usual[None], middle[None]).min()) < 2 * _APART:
            continue
        even = float((np.abs(colours - usual).max(1) <= _EVEN).mean())
        # A shadow darkens all channels alike.
        tint = float(np.ptp(usual / np.maximum(middle, 1.0)))
        if even >= _FIELD or (even >= _TINTED_FIELD and tint > _TINT):
            out |= own
    reach = np.ones((_RIM, _RIM), np.uint8)
    return np.asarray(cv2.dilate(out.astype(np.uint8), reach) > 0)


def _grain(off: F32, ground: Bool, least: float) -> Bool:
    """Spots in the ground that are nowhere far from it in colour."""
    count, found = cv2.connectedComponents((~ground).astype(np.uint8), connectivity=8)
    spot = np.asarray(found, np.int64)
    most = np.zeros(count)
    np.maximum.at(most, spot.ravel(), off.ravel())
    most[0] = np.inf
    return np.asarray((most < least)[spot])


def _shades(smooth: F32, ground: Bool) -> bool:
    """Whether the ground has more than one colour, and goes from one to another softly."""
    colours = smooth[ground]
    step = max(1, len(colours) // 50_000)
    middle = np.median(colours[::step], axis=0)
    off = difference(middle[None], colours[::step]).ravel() > _APART
    if off.mean() < _OFF:
        return False
    slope = _slope(np.asarray(cv2.GaussianBlur(smooth, (0, 0), _WIDE), np.float32))
    return bool((slope[ground][::step][off] >= _GENTLE).mean() >= _SLOPED)
