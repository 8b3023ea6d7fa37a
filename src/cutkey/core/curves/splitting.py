"""Parts of cubic Béziers, by de Casteljau's construction."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Float


def split_cubic(control: Float, t: float) -> tuple[Float, Float]:
    """A cubic cut in two at a parameter.

    Parameters
    ----------
    control : ndarray, (4, 2), float64
    t : float
        0 to 1.

    Returns
    -------
    before, after : ndarray, (4, 2), float64
    """
    c, first, last = control, [control[0]], [control[-1]]
    while len(c) > 1:
        c = c[:-1] + t * (c[1:] - c[:-1])
        first.append(c[0])
        last.append(c[-1])
    return np.array(first), np.array(last[::-1])


def part_of(control: Float, a: float, b: float) -> Float:
    """The stretch of a cubic between two parameters.

    Parameters
    ----------
    control : ndarray, (4, 2), float64
    a, b : float
        0 to 1.

    Returns
    -------
    ndarray, (4, 2), float64
    """
    out = control
    if b < 1:
        out = split_cubic(out, b)[0]
    return split_cubic(out, a / b)[1] if a > 0 else out.copy()
