"""Carrying out the preparation steps of a picture."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import ciede2000, lab_of, rgb_of
from cutkey.core.picture.prepare import even_light, smooth
from cutkey.core.picture.read import Picture
from cutkey.core.picture.rectangle import true_proportion
from cutkey.core.picture.steps import Crop, Denoise, EvenLight, Invert, Paint, Point, Square, Step, TakeAway, Tone, Turn

U8 = NDArray[np.uint8]
Float = NDArray[np.float64]
#: Nothing smaller, px, is left by a crop.
_LEAST = 4


class Prepared(NamedTuple):
    """A prepared picture."""

    rgb: U8  # (H, W, 3)
    alpha: U8 | None  # (H, W); None when nothing is transparent or erased
    away: NDArray[np.bool_] | None  # pixels removed by their colour; their edges are in the picture itself
    to_pixels: Float  # (3, 3) from fractions of the opened picture to pixels of this one


def prepare(picture: Picture, steps: Sequence[Step]) -> Prepared:
    """Carry out the steps that are on, in their order.

    Parameters
    ----------
    picture : Picture
        Never changed.
    steps : sequence of Step
    """
    h, w = picture.rgb.shape[:2]
    work = _Work(picture.rgb, picture.rgb, picture.alpha, np.zeros((h, w), bool), np.diag([w, h, 1.0]))
    for step in steps:
        if step.on:
            work.do(step)
    return Prepared(work.rgb, work.alpha, work.away if work.away.any() else None, work.matrix)


class _Work:
    """The picture between two steps."""

    def __init__(self, rgb: U8, plain: U8, alpha: U8 | None, away: NDArray[np.bool_], matrix: Float) -> None:
        self.rgb, self.plain, self.alpha, self.away, self.matrix = rgb, plain, alpha, away, matrix
        self.opened = (rgb.shape[1], rgb.shape[0])

    def do(self, step: Step) -> None:
        """Carry out one step."""
        if isinstance(step, Crop):
            self._crop(step)
        elif isinstance(step, Turn):
            self._turn(step.degrees)
        elif isinstance(step, Square):
            self._square(step)
        elif isinstance(step, TakeAway):
            self._take_away(step)
        elif isinstance(step, Paint):
            self._paint(step)
        else:
            self.rgb = _toned(self.rgb, step)
            self.plain = _toned(self.plain, step)

    def places(self, points: Sequence[Point]) -> Float:
        """Pixels of fractional places, (N, 2)."""
        p = np.c_[np.array(points, float).reshape(-1, 2), np.ones(len(points))] @ self.matrix.T
        return p[:, :2] / p[:, 2:]

    # -- geometry
    def _crop(self, step: Crop) -> None:
        h, w = self.rgb.shape[:2]
        p = self.places([step.first, step.second])
        x0, y0 = np.clip(np.floor(p.min(0) + 1e-6).astype(int), 0, [w - _LEAST, h - _LEAST])
        x1, y1 = np.clip(np.ceil(p.max(0) - 1e-6).astype(int), [x0 + _LEAST, y0 + _LEAST], [w, h])
        cut = np.s_[y0:y1, x0:x1]
        self.rgb, self.plain = np.ascontiguousarray(self.rgb[cut]), np.ascontiguousarray(self.plain[cut])
        self.away = self.away[cut]
        self.alpha = None if self.alpha is None else np.ascontiguousarray(self.alpha[cut])
        self.matrix = np.array([[1, 0, -x0], [0, 1, -y0], [0, 0, 1.0]]) @ self.matrix

    def _turn(self, degrees: float) -> None:
        h, w = self.rgb.shape[:2]
        a = math.radians(degrees)
        c, s = math.cos(a), math.sin(a)
        W, H = round(abs(w * c) + abs(h * s)), round(abs(w * s) + abs(h * c))
        self._warp(np.array([[c, -s, W / 2 - c * w / 2 + s * h / 2], [s, c, H / 2 - s * w / 2 - c * h / 2], [0, 0, 1.0]]), (W, H))

    def _square(self, step: Square) -> None:
        p = self.places(step.corners)
        side = np.hypot(*(np.roll(p, -1, 0) - p).T)
        w, h = max(_LEAST, (side[0] + side[2]) / 2), max(_LEAST, (side[1] + side[3]) / 2)
        known = step.proportion or true_proportion(step.corners, self.opened)
        if known:
            w, h = math.sqrt(w * h * known), math.sqrt(w * h / known)
        W, H = round(w), round(h)
        target = np.array([[0, 0], [W, 0], [W, H], [0, H]], np.float32)
        self._warp(cv2.getPerspectiveTransform(p.astype(np.float32), target), (W, H))

    def _warp(self, move: Float, size: tuple[int, int]) -> None:
        """Move the picture; what comes in at the corners continues its border's colour."""
        # Places count from pixel corners, OpenCV from pixel centres.
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        m = np.linalg.inv(half) @ move @ half
        edge = np.concatenate([self.rgb[0], self.rgb[-1], self.rgb[:, 0], self.rgb[:, -1]])
        fill = tuple(float(v) for v in np.median(edge, axis=0))

        def moved(image: U8) -> U8:
            return np.asarray(cv2.warpPerspective(image, m, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=fill))

        self.rgb, self.plain = moved(self.rgb), moved(self.plain)
        if self.alpha is not None:
            self.alpha = np.asarray(cv2.warpPerspective(self.alpha, m, size, flags=cv2.INTER_LINEAR))
        self.away = cv2.warpPerspective(self.away.astype(np.uint8), m, size, flags=cv2.INTER_NEAREST) > 0
        self.matrix = move @ self.matrix

    # -- colours taken away and painted
    def _pixel(self, point: Point) -> tuple[int, int]:
        x, y = self.places([point])[0]
        h, w = self.rgb.shape[:2]
        return int(np.clip(x, 0, w - 1)), int(np.clip(y, 0, h - 1))

    def _take_away(self, step: TakeAway) -> None:
        x, y = self._pixel(step.at)
        mask = area_like(self.rgb, x, y, step.tolerance, step.touching)
        # One even colour, so that its edges are read as blends of that one.
        self.rgb = self.rgb.copy()
        self.rgb[mask] = np.median(self.rgb[mask], axis=0).astype(np.uint8)
        self.away = self.away | mask

    def _paint(self, step: Paint) -> None:
        if step.tool == "area":
            x, y = self._pixel(step.points[0])
            cover = area_like(self.rgb, x, y, step.tolerance, True).astype(np.uint8) * 255
        else:
            cover = self._drawn(step)
        share = (cover.astype(np.float32) / 255)[..., None]
        alpha = np.full(cover.shape, 255, np.uint8) if self.alpha is None else self.alpha
        if step.ink == "erase":
            self.alpha = np.minimum(alpha, 255 - cover)
            return
        ink = self.plain if step.ink == "restore" else np.array(rgb_of(step.ink), np.float32)
        self.rgb = np.round(self.rgb * (1 - share) + ink * share).astype(np.uint8)
        self.away = self.away & (cover < 128)
        if self.alpha is not None:
            self.alpha = np.maximum(alpha, cover)

    def _drawn(self, step: Paint) -> U8:
        """How much of each pixel a brush stroke or a lasso covers."""
        cover = np.zeros(self.rgb.shape[:2], np.uint8)
        # Four fractional bits of OpenCV's drawing; its coordinates count from pixel centres.
        p = np.round((self.places(step.points) - 0.5) * 16).astype(np.int32)
        if step.tool == "lasso":
            if len(p) >= 3:
                cv2.fillPoly(cover, [p], 255, cv2.LINE_AA, 4)
            return cover
        # The brush grows and shrinks with the picture: its width is measured where it starts.
        x, y = step.points[0]
        ends = self.places([(x - step.width / 2, y), (x + step.width / 2, y)])
        radius = max(0.5, math.dist(*ends) / 2)
        if len(p) > 1:
            cv2.polylines(cover, [p], False, 255, max(1, round(2 * radius)), cv2.LINE_AA, 4)
        for x, y in (p[0], p[-1]):
            cv2.circle(cover, (int(x), int(y)), round(radius * 16), 255, -1, cv2.LINE_AA, 4)
        return cover


def area_like(rgb: U8, x: int, y: int, tolerance: float, touching: bool) -> NDArray[np.bool_]:
    """Pixels whose colour differs from that at (x, y) by at most a CIEDE2000 tolerance.

    Colours are told apart in steps of 4 levels, so that the formula is computed once a step and not once a pixel.
    """
    seed = np.median(rgb[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2].reshape(-1, 3), axis=0)
    levels = np.arange(64) * 4 + 1.5
    key = (rgb >> 2).astype(np.int32)
    key = (key[..., 0] << 12) | (key[..., 1] << 6) | key[..., 2]
    used = np.nonzero(np.bincount(key.ravel(), minlength=1 << 18))[0]
    colours = levels[np.stack([used >> 12, used >> 6 & 63, used & 63], 1)]
    table = np.zeros(1 << 18, bool)
    table[used] = ciede2000(lab_of(colours), lab_of(seed)) <= tolerance
    table[key[y, x]] = True
    like = table[key]
    if not touching:
        return like
    _, piece = cv2.connectedComponents(like.astype(np.uint8), connectivity=4, ltype=cv2.CV_32S)
    return np.asarray(piece == piece[y, x])


def _toned(rgb: U8, step: Step) -> U8:
    if isinstance(step, EvenLight):
        return even_light(rgb)
    if isinstance(step, Denoise):
        return smooth(rgb, step.strength)
    if isinstance(step, Invert):
        return 255 - rgb
    assert isinstance(step, Tone)
    # Contrast turns the line about middle grey; at 1 it is four times as steep.
    slope = 4.0**step.contrast
    table = np.clip((np.arange(256) - 127.5) * slope + 127.5 + 255 * step.brightness, 0, 255)
    return np.asarray(cv2.LUT(rgb, np.round(table).astype(np.uint8)))
