"""Steps between the picture as opened and its label map: matte, even light, smoothing."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.imaging.sharpen import sample, sharpened

#: Noise, in grey levels, above which smoothing helps more than it costs.
NOISE_TO_SMOOTH = 2.5
#: Mean level from which a figure is nearly white.
_NEARLY_WHITE = 225.0
#: Colours a transparent background may be shown as while tracing; the one farthest from the picture's own is
#: taken.
_MATTES = np.array(
    [[255, 255, 255], [255, 0, 255], [0, 255, 0], [0, 255, 255], [0, 0, 0], [255, 255, 0]], float
)


def over_matte(
    rgb: NDArray[np.uint8], alpha: NDArray[np.uint8]
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Picture over a plain colour that it does not contain.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3) uint8
    alpha : ndarray, (H, W) uint8

    Returns
    -------
    rgb : ndarray, (H, W, 3) uint8
        The composite.
    matte : ndarray, (3,) uint8
        The colour that stands for "nothing here".
    """
    opaque = rgb[alpha > 128].reshape(-1, 3).astype(float)
    sample = opaque[:: max(1, len(opaque) // 5000)]
    if len(sample):
        nearest = [np.percentile(np.abs(sample - m).sum(1), 1) for m in _MATTES]
        matte = _MATTES[int(np.argmax(nearest))]
    else:
        matte = _MATTES[0]
    a = (alpha.astype(np.float32) / 255)[..., None]
    return np.round(rgb * a + matte.astype(np.float32) * (1 - a)).astype(np.uint8), matte.astype(np.uint8)


def put_on_paper(rgb: NDArray[np.uint8], alpha: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a transparent picture as it is looked at: on white, or on grey where it is nearly white itself.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    alpha : ndarray, (H, W), uint8

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    opaque = rgb[alpha > 128]
    paper = 170.0 if len(opaque) and float(opaque.mean()) > _NEARLY_WHITE else 255.0
    a = (alpha.astype(np.float32) / 255)[..., None]
    return np.asarray(np.round(rgb * a + paper * (1 - a)).astype(np.uint8))


def even_light(rgb: NDArray[np.uint8], blocks: int = 16) -> NDArray[np.uint8]:
    """Take a slow change of brightness out of a photograph on a light ground.

    The ground is sampled as a bright percentile of each block of the picture; a quadratic surface is fitted
    to the samples with those that lie well under it (blocks without ground) left out, and each channel is
    divided by it.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    blocks : int
        The ground is looked for in this many blocks along the longer side.

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    h, w = rgb.shape[:2]
    ys = np.linspace(0, h, blocks + 1).astype(int)
    xs = np.linspace(0, w, blocks + 1).astype(int)
    out = np.empty_like(rgb)
    x, y = np.linspace(-1, 1, w), np.linspace(-1, 1, h)[:, None]
    samples = np.array(
        [
            [
                (x0 + x1) / w - 1,
                (y0 + y1) / h - 1,
                *np.percentile(rgb[y0:y1, x0:x1].reshape(-1, 3), 90, axis=0),
            ]
            for y0, y1 in pairwise(ys)
            for x0, x1 in pairwise(xs)
            if y1 > y0 and x1 > x0
        ]
    )
    for channel in range(3):
        bright = samples[:, 2 + channel]
        keep = np.ones(len(samples), bool)
        coefficients = np.zeros(6)
        for _ in range(6):
            coefficients = np.linalg.lstsq(
                _quadratic(samples[keep, 0], samples[keep, 1]), bright[keep], rcond=None
            )[0]
            off = bright - _quadratic(samples[:, 0], samples[:, 1]) @ coefficients
            keep = off > -max(6.0, float(np.std(off[keep])))
        along = coefficients[0] + coefficients[1] * x + coefficients[3] * x * x
        surface = along + (coefficients[4] * y) * x + (coefficients[2] * y + coefficients[5] * y * y)
        level = float(np.median(bright[keep]))
        out[..., channel] = np.clip(rgb[..., channel] * (level / np.maximum(surface, 16)), 0, 255)
    return out


def _quadratic(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], -1)


def noise_level(rgb: NDArray[np.uint8]) -> float:
    """Standard deviation of the noise in grey levels; 0 of a picture too small to tell.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    References
    ----------
    J. Immerkaer: Fast noise variance estimation. Computer Vision and Image Understanding 64 (1996) 300-302;
    the median replaces the mean so that drawn edges do not count.
    """
    grey = cv2.cvtColor(sample(rgb), cv2.COLOR_RGB2GRAY).astype(np.float32)
    if min(grey.shape) < 3:
        return 0.0
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    return float(np.median(np.abs(cv2.filter2D(grey, -1, kernel)[1:-1, 1:-1]))) / (6 * 0.6745)


def calm(rgb: NDArray[np.uint8], noise: float) -> NDArray[np.uint8]:
    """The picture smoothed when its noise asks for it, sharpened when its edges are soft.

    Else the picture itself.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    noise : float
        Standard deviation, grey levels.

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    return smooth(rgb, noise) if noise > NOISE_TO_SMOOTH else sharpened(rgb, noise)


def smooth(rgb: NDArray[np.uint8], noise: float) -> NDArray[np.uint8]:
    """Smooth areas and keep edges, as strongly as the measured noise asks for.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    noise : float
        Standard deviation, grey levels.

    Returns
    -------
    ndarray, (H, W, 3), uint8
    """
    out = rgb
    for _ in range(2 if noise > 6 else 1):
        out = np.asarray(cv2.bilateralFilter(out, 7, max(20.0, 4 * noise), 3), np.uint8)
        if noise > 4:
            out = np.asarray(cv2.medianBlur(out, 5), np.uint8)
    return np.asarray(out, np.uint8)
