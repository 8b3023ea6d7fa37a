"""A picture between two preparation steps."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from cutkey.core.colour.difference import ciede2000, lab_of
from cutkey.core.geometry.arrays import U8, Bool, Float

#: Nothing smaller, px, is left by a crop.
LEAST = 4


class Work:
    """The picture between two steps."""

    def __init__(self, rgb: U8, plain: U8, alpha: U8 | None, away: Bool, matrix: Float) -> None:
        self.rgb, self.plain, self.alpha, self.away, self.matrix = rgb, plain, alpha, away, matrix
        self.opened = (rgb.shape[1], rgb.shape[0])

    def each(self, change: Callable[[U8], U8]) -> None:
        """Change the picture, and alike what it shows where paint is taken off.

        Parameters
        ----------
        change : callable
            From (H, W, 3) uint8 to as much, of this size or another.
        """
        same = self.plain is self.rgb
        self.rgb = change(self.rgb)
        self.plain = self.rgb if same else change(self.plain)

    def places(self, points: Sequence[tuple[float, float]]) -> Float:
        """Pixels of fractional places, (N, 2).

        Parameters
        ----------
        points : sequence of (float, float)
            0 to 1 from the upper left corner.

        Returns
        -------
        ndarray, (N, 2), float64
        """
        p = np.c_[np.array(points, float).reshape(-1, 2), np.ones(len(points))] @ self.matrix.T
        return np.asarray(p[:, :2] / p[:, 2:])

    def warp(self, move: Float, size: tuple[int, int]) -> None:
        """Move the picture; what comes in at the corners continues its border's colour.

        Parameters
        ----------
        move : ndarray, (3, 3), float64
            From pixels before to pixels after.
        size : (int, int)
            Width and height after, px.
        """
        # Places count from pixel corners, OpenCV from pixel centres.
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
        m = np.linalg.inv(half) @ move @ half
        edge = np.concatenate([self.rgb[0], self.rgb[-1], self.rgb[:, 0], self.rgb[:, -1]])
        fill = tuple(float(v) for v in np.median(edge, axis=0))

        def moved(image: U8) -> U8:
            return np.asarray(
                cv2.warpPerspective(
                    image, m, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=fill
                )
            )

        self.each(moved)
        if self.alpha is not None:
            self.alpha = np.asarray(cv2.warpPerspective(self.alpha, m, size, flags=cv2.INTER_LINEAR))
        self.away = cv2.warpPerspective(self.away.astype(np.uint8), m, size, flags=cv2.INTER_NEAREST) > 0
        self.matrix = move @ self.matrix

    def pixel(self, point: tuple[float, float]) -> tuple[int, int]:
        """The pixel at a fractional place."""
        x, y = self.places([point])[0]
        h, w = self.rgb.shape[:2]
        return int(np.clip(x, 0, w - 1)), int(np.clip(y, 0, h - 1))


def area_like(rgb: U8, x: int, y: int, tolerance: float, touching: bool) -> Bool:
    """Pixels whose colour differs from that at (x, y) by at most a CIEDE2000 tolerance.

    Colours are told apart in steps of 4 levels, so that the formula is computed once a step and not once a
    pixel.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    x, y : int
        px.
    tolerance : float
        CIEDE2000.
    touching : bool
        Only what hangs together with the pixel.

    Returns
    -------
    ndarray, (H, W), bool
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
