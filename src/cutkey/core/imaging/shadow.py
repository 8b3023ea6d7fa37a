"""A hard shadow across a picture in flat colours, found and divided out."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Bool, Float
from cutkey.core.imaging.filling import fill_in
from cutkey.core.imaging.prepare import NOISE_TO_SMOOTH, noise_level, smooth
from cutkey.core.imaging.size import at_most

#: Longest side, px, of the picture in which it is looked for.
_SIDE = 1000
#: A place is flat where its channels differ by at most this within 3 x 3, levels.
_FLAT = 8
#: Colours that occur: nearer than this (RGB distance) they are one; each takes at least such a share.
_ONE, _SHARE = 16.0, 0.0006
#: So dark is the shadow, as a share of the light; its channels differ by at most this.
_DARK, _TINT = (0.3, 0.93), 0.12
#: Lit and shaded ground each take at least so much of the picture's border.
_BORDER = 0.04
#: Between the two lies no more of the border than this, as a share of the rarer one.
_BETWEEN = 0.3
#: A pixel this near (RGB distance) to a colour has it.
_NEAR = 14.0
#: A colour is a lit one in shadow when it is so near to it.
_PAIR = 7.0
#: Along the shadow's edge so much has the same colour on both sides, and a second colour takes at least so
#: much.
_SAME, _SECOND = 0.75, 0.012
#: The half light beside its edge is at most so wide, as a share of the picture, and at least so many px.
_HALF_LIGHT, _LEAST = 0.012, 4
#: What gets a share of the light between these is in half light; it is at least so wide, px.
_HALF, _HALF_WIDE = (0.15, 0.85), 1.5
#: How far either side of the edge the colours are compared, px beyond the half light.
_BESIDE = 3


class Shadow(NamedTuple):
    """A shadow in a picture."""

    light: F32  # (H, W, 3) what every colour is multiplied by, 1 where there is no shadow
    share: float  # of the picture that lies in it


def find_shadow(rgb: U8) -> Shadow | None:
    """Return the hard shadow that lies across a picture in flat colours, or None where none can be told.

    In a shadow every colour is the lit one times the same factor. The factor is that of two colours of the
    ground, both on the picture's border. Pixels that only one of light and shadow explains are known, the
    rest is filled in from them. It is a shadow, and no area of the drawing, when at least two colours go
    through its edge.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    h, w = rgb.shape[:2]
    small = at_most(rgb, _SIDE)
    noise = noise_level(small)
    if noise > NOISE_TO_SMOOTH:
        small = smooth(small, noise)
    flat = _flat(small)
    colours, on_border = _colours(small, flat)
    best: tuple[float, Shadow] | None = None
    lit = int(np.argmax(np.where(on_border > _BORDER, colours.sum(1), -1)))
    if on_border[lit] <= _BORDER:
        return None
    for dark in np.flatnonzero(on_border > _BORDER).tolist():
        factor = colours[dark] / np.maximum(colours[lit], 1.0)
        if dark == lit or np.ptp(factor) > _TINT or not _DARK[0] < factor.mean() < _DARK[1]:
            continue
        if _goes_over(small, colours[lit], colours[dark]):
            continue
        found = _with_factor(small, flat, colours, factor)
        if found is not None and (best is None or found[0] > best[0]):
            best = found
    if best is None:
        return None
    light = best[1].light
    if small.shape != rgb.shape:
        light = np.asarray(cv2.resize(light, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
    return Shadow(light, best[1].share)


def without_shadow(rgb: U8) -> U8:
    """Return a picture with the hard shadow that lies across it divided out, itself where there is none.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    found = find_shadow(rgb)
    if found is None:
        return rgb
    return np.asarray(np.clip(np.round(rgb / found.light), 0, 255), np.uint8)


def _flat(rgb: U8) -> Bool:
    kernel = np.ones((3, 3), np.uint8)
    return np.asarray(cv2.subtract(cv2.dilate(rgb, kernel), cv2.erode(rgb, kernel)).max(2) <= _FLAT)


def _colours(rgb: U8, flat: Bool) -> tuple[Float, Float]:
    """Colours of flat places and the darkest one, and the share of the border that has each."""
    votes = rgb[flat]
    key = (votes >> 3).astype(np.int64) @ np.array([1 << 10, 1 << 5, 1])
    count = np.bincount(key, minlength=1 << 15)
    sums = np.stack([np.bincount(key, votes[:, c], minlength=1 << 15) for c in range(3)], 1)
    out: list[Float] = []
    weight: list[float] = []
    for k in np.argsort(-count)[:400].tolist():
        if not count[k]:
            break
        mean = sums[k] / count[k]
        off = [float(np.linalg.norm(mean - c)) for c in out]
        if out and min(off) < _ONE:
            weight[int(np.argmin(off))] += count[k]
        else:
            out.append(mean)
            weight.append(float(count[k]))
    kept = [c for c, n in zip(out, weight, strict=True) if n >= _SHARE * rgb.shape[0] * rgb.shape[1]]
    darkest = np.percentile(rgb.reshape(-1, 3), 0.5, axis=0)
    if not kept or min(float(np.linalg.norm(darkest - c)) for c in kept) > 2 * _ONE:
        kept.append(darkest)
    colours = np.array(kept, float)
    edge = np.concatenate([rgb[0], rgb[-1], rgb[:, 0], rgb[:, -1]]).astype(float)
    off = np.linalg.norm(edge[:, None] - colours[None], axis=2)
    own = np.where(off.min(1) < _ONE, off.argmin(1), -1)
    return colours, np.array([(own == k).mean() for k in range(len(colours))])


def _goes_over(rgb: U8, lit: Float, dark: Float) -> bool:
    """Whether the border goes from one colour to the other slowly: then its light is uneven."""
    edge = np.concatenate([rgb[0], rgb[-1], rgb[:, 0], rgb[:, -1]]).astype(float)
    way = dark - lit
    t = (edge - lit) @ way / float(way @ way)
    near = np.linalg.norm(edge - lit - t[:, None] * way, axis=1) < _NEAR
    ends = min(int((near & (np.abs(t - k) < 0.25)).sum()) for k in (0.0, 1.0))
    return bool((near & (np.abs(t - 0.5) <= 0.25)).sum() > _BETWEEN * ends)


def _with_factor(rgb: U8, flat: Bool, colours: Float, factor: Float) -> tuple[float, Shadow] | None:
    """How well a shadow of a factor explains the picture, and the shadow; None when it is none."""
    off = np.linalg.norm(colours[:, None] * factor - colours[None], axis=2)
    off[np.arange(len(colours)), np.arange(len(colours))] = np.inf
    pairs = off < _PAIR
    lit = pairs.any(1) & ~pairs.any(0)
    shaded = pairs.any(0)
    if not lit.any():
        return None
    # A colour that occurs once may be lit or shaded.
    alone = ~lit & ~shaded
    image = rgb.astype(np.float32)
    near_lit = _distance(image, colours[lit | alone])
    near_shaded = _distance(image, np.concatenate([colours[lit | alone] * factor, colours[alone]]))
    known = flat & (np.minimum(near_lit, near_shaded) < _NEAR) & (np.abs(near_lit - near_shaded) > _NEAR / 2)
    if known.mean() < 0.05:
        return None
    side = np.where(near_lit < near_shaded, 1.0, -1.0).astype(np.float32)
    dark = fill_in(np.repeat(side[..., None], 3, 2), known)[..., 0] < 0
    dark = cv2.medianBlur(dark.astype(np.uint8) * 255, 5) > 0
    if not 0.02 < dark.mean() < 0.9:
        return None
    bases = np.concatenate([colours[lit], colours[alone]])
    more = colours[alone] / factor
    bases = np.concatenate([bases, more[(more <= 255).all(1)]])
    agree = _goes_through(image, dark, bases, factor)
    if agree is None:
        return None
    light = _light(image, dark, bases, factor)
    return None if light is None else (agree, Shadow(light, float(dark.mean())))


def _distance(image: F32, colours: Float) -> F32:
    """RGB distance to the nearest of some colours."""
    out = np.full(image.shape[:2], np.inf, np.float32)
    for c in colours.astype(np.float32):
        out = np.minimum(out, np.sqrt(((image - c) ** 2).sum(2)))
    return out


def _signed(dark: Bool) -> F32:
    """Distance to the shadow's edge, px, positive in the light."""
    inside = cv2.distanceTransform(dark.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    outside = cv2.distanceTransform((~dark).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(outside - inside, np.float32)


def _reach(shape: tuple[int, ...]) -> int:
    return max(_LEAST, round(_HALF_LIGHT * max(shape[:2])))


def _goes_through(image: F32, dark: Bool, bases: Float, factor: Float) -> float | None:
    """Share of the shadow's edge with one colour on both sides; None when it is an edge of the drawing."""
    away = _signed(dark)
    gy, gx = np.gradient(cv2.GaussianBlur(away, (0, 0), 3.0))
    yy, xx = np.nonzero(dark & (away > -1.5))
    n = np.hypot(gy[yy, xx], gx[yy, xx]) + 1e-9
    ny, nx = gy[yy, xx] / n, gx[yy, xx] / n
    h, w = dark.shape
    # Which colours are met on the way out of the edge on either side: an edge of the figure may be near.
    met = np.zeros((2, len(yy), len(bases)), bool)
    seen_as: list[list[list[Float]]] = [[[] for _ in bases] for _ in range(2)]
    for n, (way, f) in enumerate(((1, np.ones(3)), (-1, factor))):
        for far in range(2, _reach(dark.shape) + _BESIDE + 1):
            y, x = np.round(yy + way * far * ny).astype(int), np.round(xx + way * far * nx).astype(int)
            inside = (y >= 0) & (y < h) & (x >= 0) & (x < w)
            off = np.linalg.norm(image[y.clip(0, h - 1), x.clip(0, w - 1)][:, None] - bases * f, axis=2)
            k = off.argmin(1)
            ok = inside & (off.min(1) < _NEAR)
            met[n, np.flatnonzero(ok), k[ok]] = True
            bright = image[y.clip(0, h - 1), x.clip(0, w - 1)].mean(1)
            for base in np.unique(k[ok]).tolist():
                seen_as[n][base].append(bright[ok & (k == base)])
    seen = met.any(2).all(0)
    if seen.sum() < 20:
        return None
    both = (met[0] & met[1])[seen]
    same = both.any(1)
    # A colour that is as dark on both sides, black above all, tells nothing.
    lit, shaded = ([np.concatenate([*some, np.zeros(0)]) for some in side] for side in seen_as)
    darker = np.array([_is_darker(*pair, factor) for pair in zip(lit, shaded, strict=True)])
    share = both.mean(0) * darker
    if same.mean() < _SAME or np.sort(share)[-2:].min() < _SECOND:
        return None
    return float(same.mean())


def _is_darker(lit: Float, shaded: Float, factor: Float) -> bool:
    """Whether a colour is darker in the shadow, by at least half of what the shadow makes of it."""
    if not len(lit) or not len(shaded):
        return False
    return float(np.median(shaded)) < (1 + float(factor.mean())) / 2 * float(np.median(lit))


def _light(image: F32, dark: Bool, bases: Float, factor: Float) -> F32 | None:
    """The light at each pixel, (H, W, 3).

    The half light beside the shadow's edge is measured where a colour is known. None where there is next to
    no half light: an edge that sharp was drawn.
    """
    f = factor.astype(np.float32)
    away = _signed(dark)
    reach = _reach(image.shape)
    band = np.abs(away) <= reach
    p = image[band]
    best = np.full(len(p), np.inf)
    second = best.copy()
    at = np.zeros(len(p), np.float32)
    for c in bases.astype(np.float32):
        way = c * (1 - f)
        t = np.clip(((p - c * f) @ way) / float(way @ way), 0, 1)
        off = np.sqrt(((p - c * f - t[:, None] * way) ** 2).sum(1))
        second = np.where(off < best, best, np.minimum(second, off))
        at, best = np.where(off < best, t, at), np.minimum(off, best)
    sure = (best < _NEAR / 2) & (second > _NEAR)
    half = sure & (at > _HALF[0]) & (at < _HALF[1])
    if 2 * half.sum() < _HALF_WIDE * (sure & (np.abs(away[band]) <= 1)).sum():
        return None
    part = (away > 0).astype(np.float32)
    known = ~band
    part[band] = np.where(sure, at, part[band])
    known[band] = sure
    part = fill_in(np.repeat(part[..., None], 3, 2), known)[..., 0]
    part = np.where(band, part, away > 0)[..., None].astype(np.float32)
    return np.asarray(f + (1 - f) * part, np.float32)
