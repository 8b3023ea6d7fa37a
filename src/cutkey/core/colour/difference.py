"""Colour spaces and the perceptual colour difference."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

_RGB_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_WHITE_D65 = np.array([0.95047, 1.0, 1.08883])


def hex_of(rgb: ArrayLike) -> str:
    """``#rrggbb`` of one colour given as three values 0-255."""
    r, g, b = (int(v) for v in np.clip(np.round(np.asarray(rgb, float)), 0, 255))
    return f"#{r:02x}{g:02x}{b:02x}"


def rgb_of(hex_colour: str) -> tuple[int, int, int]:
    """Three values 0-255 of ``#rrggbb``."""
    h = hex_colour.lstrip("#")
    return int(h[0:2], 16), int(h[2:4], 16), int(h[4:6], 16)


def lab_of(rgb: ArrayLike) -> NDArray[np.float64]:
    """CIELAB (D65, 2 degrees) of sRGB colours.

    Parameters
    ----------
    rgb : array_like, (..., 3)
        sRGB, 0-255.

    Returns
    -------
    ndarray, (..., 3)
        L*, a*, b*.

    References
    ----------
    IEC 61966-2-1 (sRGB) and CIE 15:2004 (CIELAB).
    """
    c = np.asarray(rgb, float) / 255
    linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    t = linear @ _RGB_TO_XYZ.T / _WHITE_D65
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def ciede2000(lab1: ArrayLike, lab2: ArrayLike) -> NDArray[np.float64]:
    """CIEDE2000 colour difference, broadcast over arrays of CIELAB colours.

    Parameters
    ----------
    lab1, lab2 : array_like, (..., 3)
        L*, a* and b*.

    Returns
    -------
    ndarray, (...), float64

    References
    ----------
    Sharma, Wu and Dalal, The CIEDE2000 color-difference formula (2005).

    References
    ----------
    G. Sharma, W. Wu, E. N. Dalal: The CIEDE2000 color-difference formula. Color Research and Application 30
    (2005) 21-30.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, float), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, float), -1, 0)
    c_mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(c_mean7 / (c_mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0, (h2 - h1 + 180) % 360 - 180)
    d_l, d_c, d_h = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    l_m, c_m = (l1 + l2) / 2, (c1 + c2) / 2
    h_sum = h1 + h2
    far = np.abs(h1 - h2) > 180
    h_m = np.where(grey, h_sum, np.where(far, np.where(h_sum < 360, h_sum + 360, h_sum - 360), h_sum) / 2)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_m - 30))
        + 0.24 * np.cos(np.radians(2 * h_m))
        + 0.32 * np.cos(np.radians(3 * h_m + 6))
        - 0.20 * np.cos(np.radians(4 * h_m - 63))
    )
    s_l = 1 + 0.015 * (l_m - 50) ** 2 / np.sqrt(20 + (l_m - 50) ** 2)
    s_c, s_h = 1 + 0.045 * c_m, 1 + 0.015 * c_m * t
    r_c = 2 * np.sqrt(c_m**7 / (c_m**7 + 25.0**7))
    r_t = -np.sin(np.radians(60 * np.exp(-(((h_m - 275) / 25) ** 2)))) * r_c
    x, y, z = d_l / s_l, d_c / s_c, d_h / s_h
    return np.asarray(np.sqrt(np.maximum(x * x + y * y + z * z + r_t * y * z, 0)))


def difference(rgb1: ArrayLike, rgb2: ArrayLike) -> NDArray[np.float64]:
    """CIEDE2000 difference of sRGB colours (0-255), broadcast.

    Parameters
    ----------
    rgb1, rgb2 : array_like, (..., 3)
        0 to 255.

    Returns
    -------
    ndarray, (...), float64
    """
    return ciede2000(lab_of(rgb1), lab_of(rgb2))
