"""Colours that are nowhere flat.

Lines of a few pixels, tips and small signs, where no blend of what is known will do.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import ciede2000, lab_of
from cutkey.core.picture.extremes import BEYOND, extremes
from cutkey.core.picture.plateaus import plateaus

#: The two colours of a blend, and the sides of a line, are looked for so far off, px,
_AROUND = 3
#: and one more for so many pixels of the picture.
_LARGER = 600
#: A colour is about within this distance, px.
ABOUT = 6
#: A blend explains a pixel that is no further off than this (RGB distance).
EXPLAINED = 16.0
#: Pixels this near (CIEDE2000) to a found colour are of it.
_ALIKE = 6.0
#: Overshoot goes past a colour by these shares of its step to another, and is so near to that (RGB distance).
_PAST, _BESIDE = np.linspace(0.1, 0.5, 5), 25.0
#: A colour that looks like a blend is one of its own when strokes keep it along so many pixels, and along so
#: much of all that is thin.
_PLATEAU, _PLATEAUS = 60, 0.02
#: So often a colour moves to where most are.
_SHIFTS = 4
#: At most so many extremes are looked at.
MOST = 60_000


class _Extremes:
    """Pixels in the middle of lines and at tips, and what explains their colours.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    yy, xx : ndarray, (N,), int64
        Where they are.
    palette : ndarray, (K, 3), float64
        Colours of flat places.
    slack : float
        How far off a blend may lie, levels.
    """

    def __init__(
        self,
        rgb: NDArray[np.uint8],
        yy: NDArray[np.int64],
        xx: NDArray[np.int64],
        palette: NDArray[np.float64],
        slack: float,
    ) -> None:
        self.values = rgb[yy, xx].astype(float)
        self._rgb, self._places, self._slack, self._flat = rgb, (yy, xx), slack, len(palette)
        self._kept: dict[bytes, NDArray[np.bool_]] = {}
        self._about = [self._near(colour, ABOUT) for colour in palette]

    def _near(self, colour: NDArray[np.float64], far: int) -> NDArray[np.bool_]:
        """At which of them a colour occurs, nearly pure, so many pixels off."""
        low, high = (np.clip(colour + d, 0, 255) for d in (-self._slack, self._slack))
        own = cv2.inRange(self._rgb, np.ceil(low), np.floor(high))
        return np.asarray(cv2.dilate(own, np.ones((2 * far + 1, 2 * far + 1), np.uint8))[self._places] > 0)

    def _beside(self, colour: NDArray[np.float64]) -> NDArray[np.bool_]:
        key = colour.tobytes()
        if key not in self._kept:
            self._kept[key] = self._near(colour, _sides(self._rgb)[0])
        return self._kept[key]

    def explained(self, i: NDArray[np.int64], known: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which of some pixels are a blend of a known colour that occurs beside them and any other.

        A line may be nowhere pure; where the other is not about, less far off is allowed.
        """
        out = np.zeros(len(i), bool)
        for a in range(len(known)):
            here = np.flatnonzero(self._beside(known[a])[i] & ~out)
            away = self.values[i[here]] - known[a]
            for b in range(len(known)):
                d = known[b] - known[a]
                t = np.clip(away @ d / max(float(d @ d), 1e-9), 0, 1)
                about = self._about[b][i[here]] if b < self._flat else True
                most = np.where(about, self._slack, min(self._slack, EXPLAINED))
                out[here] |= ((away - t[:, None] * d) ** 2).sum(1) <= most**2
        return out

    def of_three(
        self, i: NDArray[np.int64], known: NDArray[np.float64], pure: int | None = None
    ) -> NDArray[np.bool_]:
        """Which of some pixels are a blend of three known colours that all occur beside them.

        Those from `pure` on, which are of lines, need not.
        """
        out = np.zeros(len(i), bool)
        here = np.stack([self._beside(c)[i] for c in known], 1)
        here[:, len(known) if pure is None else pure :] = True
        for a, b, c in combinations(np.flatnonzero(here.any(0)).tolist(), 3):
            k = np.flatnonzero(here[:, a] & here[:, b] & here[:, c] & ~out)
            if len(k):
                off = _off_three(self.values[i[k]], known[[a, b, c]])
                out[k] = off <= self._slack**2
        return out

    def unexplained(self, i: NDArray[np.int64], others: NDArray[np.float64]) -> int:
        """How many pixels of a colour the others, found later, explain as no blend."""
        left = i[~self.explained(i, others)]
        # A line may be nowhere pure.
        return int(np.count_nonzero(~self.of_three(left, others, self._flat)))


def _off_three(values: NDArray[np.float64], three: NDArray[np.float64]) -> NDArray[np.float64]:
    """Squared distance of values from the blends of three colours."""
    first, ways = three[0], three[1:] - three[0]
    share = np.clip(np.linalg.lstsq(ways.T, (values - first).T, rcond=None)[0], 0, 1)
    share /= np.maximum(share.sum(0), 1.0)
    return np.asarray(((first + share.T @ ways - values) ** 2).sum(1))


def thin_colours(
    rgb: NDArray[np.uint8],
    rough: NDArray[np.uint8],
    palette: NDArray[np.float64],
    apart: float,
    least: float,
    most: int,
    beyond: float = BEYOND,
    slack: float = EXPLAINED,
    lab: Callable[[NDArray[np.float64]], NDArray[np.float64]] = lab_of,
    scattered: bool = False,
    soft: bool = False,
) -> NDArray[np.float64]:
    """Colours of lines and tips that no blend of two colours around them explains.

    The one furthest off first.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    rough : ndarray, (H, W), uint8
        Largest difference within 3 x 3.
    palette : ndarray, (K, 3), float64
        What is known already.
    apart : float
        CIEDE2000 below which two colours are one.
    least : float
        Pixels that a colour must explain.
    most : int
        At most so many colours.
    beyond : float
        Levels by which an extreme stands out.
    slack : float
        How far off a blend may lie, levels.
    lab : callable
        Gives CIELAB of colours, where they are not RGB.
    scattered : bool
        Sharpening or blurred hue scatter the colours of lines: each is told from all its pixels together.
    soft : bool
        Lines have soft rims, as in a photograph: the colour is that of their middle.

    Returns
    -------
    ndarray, (N, 3), float64
    """
    found: list[NDArray[np.float64]] = []
    places = extremes(rgb, rough, beyond, _sides(rgb))
    extreme = np.zeros(rough.shape, bool)
    extreme.ravel()[places] = True
    places = places[:: max(1, len(places) // MOST)]
    if len(places) < least:
        return np.zeros((0, 3))
    yy, xx = np.divmod(places, rgb.shape[1])
    at = _Extremes(rgb, yy, xx, palette, slack)
    values = at.values
    labs = lab(values)
    known = np.asarray(palette, float)
    open_ = np.ones(len(places), bool)
    while len(found) < most:
        open_ &= _nearest(labs, lab(known)) > apart
        i = np.flatnonzero(open_)
        if len(i) < least:
            break
        explained = at.explained(i, known)
        open_[i[explained]] = False
        i = i[~explained]
        if len(i) < least:
            break
        centre = _furthest(values[i], labs[i], lab(known), apart)
        near = ciede2000(labs[i], lab(centre[None])[0]) <= max(apart, 6.0)
        if np.count_nonzero(near) >= least:
            # Where three colours meet a pixel has something of each.
            near[near] = ~at.of_three(i[near], known)
        if np.count_nonzero(near) < least:
            near = ciede2000(labs[i], lab(centre[None])[0]) <= max(apart, 6.0)
            open_[i[near]] = False
            if not near.any():
                break
            continue
        if scattered:
            # The furthest pixels are those that overshoot most; the stroke's colour is that of its middle.
            centre = _middle_of(values[i], labs[i], near, apart, lab, soft)
            if _overshoots(centre, known):
                open_[i[near]] = False
                continue
        found.append(centre)
        known = np.concatenate([known, centre[None]])
    kept = list(found)
    for c in found:
        others = np.array([*palette, *(k for k in kept if k is not c)])
        mine = np.flatnonzero(ciede2000(labs, lab(c[None])[0]) <= (2 if scattered else 1) * _ALIKE)
        if at.unexplained(mine, others) < least:
            kept = [k for k in kept if k is not c]
    kept += _kept_along(rgb, extreme, palette, kept, apart, lab, scattered)[: most - len(kept)]
    return np.array(kept).reshape(-1, 3)


def _sides(rgb: NDArray[np.uint8]) -> tuple[int, ...]:
    """How far off a line's sides are looked for, px, the furthest first: a larger picture has wider lines."""
    return tuple(range(_AROUND + max(rgb.shape[:2]) // _LARGER, 0, -1))


def _kept_along(
    rgb: NDArray[np.uint8],
    extreme: NDArray[np.bool_],
    palette: NDArray[np.float64],
    found: list[NDArray[np.float64]],
    apart: float,
    lab: Callable[[NDArray[np.float64]], NDArray[np.float64]],
    scattered: bool,
) -> list[NDArray[np.float64]]:
    """Colours that look like a blend, and that strokes keep all along."""
    out: list[NDArray[np.float64]] = []
    known = np.array([*palette, *found])
    enough = max(_PLATEAU, _PLATEAUS * np.count_nonzero(extreme))
    for colour, pixels in plateaus(rgb, extreme, palette, known, scattered):
        if pixels < enough or (scattered and _overshoots(colour, known)):
            continue
        if _nearest(lab(colour[None]), lab(known))[0] > apart:
            out.append(colour)
            known = np.concatenate([known, colour[None]])
    return out


def _middle_of(
    values: NDArray[np.float64],
    labs: NDArray[np.float64],
    near: NDArray[np.bool_],
    apart: float,
    lab: Callable[[NDArray[np.float64]], NDArray[np.float64]],
    soft: bool,
) -> NDArray[np.float64]:
    """The colour of some values' middle; where rims are soft, the one that most of those about it have."""
    centre = np.median(values[near], axis=0)
    for _ in range(_SHIFTS if soft else 0):
        near = ciede2000(labs, lab(centre[None])[0]) <= apart
        if not near.any():
            break
        centre = np.median(values[near], axis=0)
    return np.asarray(centre)


def _overshoots(colour: NDArray[np.float64], known: NDArray[np.float64]) -> bool:
    """Return whether a colour is a known one that goes on a little beyond another."""
    for k in known:
        past = k + _PAST[:, None, None] * (k - known)
        if np.sqrt(((np.clip(past, 0, 255) - colour) ** 2).sum(-1)).min() < _BESIDE:
            return True
    return False


def _nearest(labs: NDArray[np.float64], known: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far each is from the nearest of some colours (CIEDE2000)."""
    return np.asarray(np.min([ciede2000(labs, c) for c in known], axis=0))


def _furthest(
    values: NDArray[np.float64], labs: NDArray[np.float64], known: NDArray[np.float64], apart: float
) -> NDArray[np.float64]:
    """The colour most often met among the values that lie furthest from what is known."""
    off = _nearest(labs, known)
    far = off >= min(np.quantile(off, 0.95), np.sort(off)[-min(4, len(off))])
    key = (values[far].astype(np.int64) >> 3) @ np.array([1 << 10, 1 << 5, 1])
    kinds, count = np.unique(key, return_counts=True)
    most = key == kinds[np.argmax(count)]
    seed = values[far][most].mean(0)
    like = ciede2000(labs[far], labs[far][most].mean(0)) <= max(2.0, 0.5 * apart)
    return np.asarray(values[far][like].mean(0)) if like.any() else np.asarray(seed)
