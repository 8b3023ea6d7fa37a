"""The hue of lines in pictures whose hue is blurred: what the picture lacks there is found beside them.

Half the resolution, and compression, spread the hue of a line over its surroundings. Nothing of it is lost:
what the hue of a window differs by from that of the surroundings is what the line has put there.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import F32, U8, Bool
from cutkey.core.imaging.chroma import LABELS, weigh_hue
from cutkey.core.imaging.filling import nearest_known
from cutkey.core.picture.labels import nearest_colour

#: Sides of the windows, px: that beside a line whose pixels are its own, and that over which hue is spread.
_BESIDE, _SPREAD = 5, 13
#: Levels of brightness by which a line differs at least from what is beside it, so that its width is told,
#: and by which a pixel is darker or lighter than all beside it, so that it is no blend of that.
_STEP, _BEYOND = 8.0, 14.0
#: Weight of hue, among lines, for such a pixel.
_WEAK = 0.15


class _Seen(NamedTuple):
    """A picture by brightness and hue (Y, Cr, Cb of ITU-R BT.601), and what is what in it."""

    picture: F32  # (H, W, 3)
    palette: F32  # (K, 3) flat colours, then those of lines
    flat: int  # how many of the palette are flat
    labels: NDArray[np.int32]  # (H, W) into the palette
    ground: F32  # (H, W, 3) the flat colour beside a line, elsewhere the pixel's own

    def near(self, line: int) -> Bool:
        """Where a line and its rims are, but for other lines."""
        own = self.labels == line
        return np.asarray(_wider(own) & (own | (self.labels < self.flat)))

    def share(self, colour: F32, near: Bool) -> F32:
        """How much of each pixel a line of a colour covers, told by brightness, (H, W, 1)."""
        step = colour[0] - self.ground[..., 0]
        out = (self.picture[..., 0] - self.ground[..., 0]) / np.where(np.abs(step) < _STEP, _STEP, step)
        return np.asarray(np.where(near, np.clip(out, 0, 1), 0)[..., None], np.float32)


def hue_of_lines(rgb: U8, flat: NDArray[np.float64], lines: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the colours of lines with the hue that explains that of their surroundings.

    The brightness of a pixel tells how much of it is line (it is sharp); by least squares over windows
    the hue of each line follows.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    flat : ndarray, (N, 3), float64
        Colours of flat places.
    lines : ndarray, (M, 3), float64
        Colours of lines; their brightness is right.

    Returns
    -------
    ndarray, (M, 3), float64
    """
    if not len(lines):
        return lines
    palette = np.clip(np.round(np.concatenate([flat, lines])), 0, 255).astype(np.uint8)
    seen = _look(rgb, palette, len(lines))
    out = seen.palette[len(flat) :].copy()
    for k in range(len(lines)):
        own, near = seen.labels == len(flat) + k, seen.near(len(flat) + k)
        share = seen.share(out[k], near)
        of_line = np.where(near[..., None], seen.picture - (1 - share) * seen.ground, 0)[..., 1:]
        wide, hue = _over(share)[own], _over(of_line)[own]
        if wide.any():
            out[k, 1:] = (hue * wide[:, None]).sum(0) / (wide**2).sum()
    return np.asarray(_rgb(out[None])[0], np.float64)


def restore_lines(rgb: U8, palette: U8, lines: tuple[int, ...]) -> U8:
    """Return a picture whose lines have their own hue.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    palette : ndarray, (K, 3), uint8
    lines : tuple of int
        Which of them are colours of lines; not all.

    Returns
    -------
    ndarray, (H, W, 3), uint8
        The brightness is left as it is.
    """
    flat = [k for k in range(len(palette)) if k not in lines]
    seen = _look(rgb, palette[[*flat, *lines]], len(lines))
    out = seen.picture.copy()
    for k in range(len(flat), len(palette)):
        near = seen.near(k)
        share = seen.share(seen.palette[k], near)
        blend = share * seen.palette[k] + (1 - share) * seen.ground
        out[..., 1:] = np.where(near[..., None], blend[..., 1:], out[..., 1:])
    return _rgb(out)


def _look(rgb: U8, palette: U8, lines: int) -> _Seen:
    """Tell lines, whose colours are the last of the palette, from what is beside them.

    What is darker than all beside it, or lighter, is no blend of that, whatever its hue has become.
    """
    flat = len(palette) - lines
    picture, known = _bright(rgb), _bright(palette[None])[0]
    labels = nearest_colour(weigh_hue(rgb, LABELS), weigh_hue(palette, LABELS))
    beside = _beside(labels, flat)
    bright = np.ascontiguousarray(known[beside, 0])
    window = np.ones((_BESIDE, _BESIDE), np.uint8)
    below = cv2.erode(bright, window) - picture[..., 0] > _BEYOND
    above = picture[..., 0] - cv2.dilate(bright, window) > _BEYOND
    among = nearest_colour(weigh_hue(rgb, _WEAK), weigh_hue(palette[flat:], _WEAK)) + flat
    lighter = known[among, 0] > bright
    labels = np.where((below & ~lighter) | (above & lighter), among, labels)
    return _Seen(picture, known, flat, labels, known[_beside(labels, flat)])


def _beside(labels: NDArray[np.int32], flat: int) -> NDArray[np.intp]:
    """Return the flat colour that lies beside a line, for each pixel of it and of its rims."""
    lines = _wider(labels >= flat)
    if lines.all():
        return np.zeros(labels.shape, np.intp)
    beside, _ = nearest_known(np.repeat(labels[..., None], 3, 2).astype(np.float32), ~lines)
    return np.asarray(beside[..., 0].astype(np.intp))


def _bright(rgb: U8) -> F32:
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2YCrCb), np.float32)


def _rgb(bright: F32) -> U8:
    levels = np.clip(np.round(bright), 0, 255).astype(np.uint8)
    return np.asarray(cv2.cvtColor(levels, cv2.COLOR_YCrCb2RGB), np.uint8)


def _wider(mask: Bool) -> Bool:
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((_BESIDE, _BESIDE), np.uint8)) > 0)


def _over(values: F32) -> F32:
    return np.asarray(cv2.boxFilter(np.asarray(values, np.float32), -1, (_SPREAD, _SPREAD)), np.float32)
