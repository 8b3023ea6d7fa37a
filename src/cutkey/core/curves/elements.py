"""The pieces of a ring as drawings write them: whole lines and arcs again, and Béziers."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.pieces import ARC, CUBIC, LINE

#: Arcs of one circle differ by no more than this in middle and radius, mm; points on one line are off it by
#: less.
_SAME = 2e-4
#: An arc is written in parts of less than this.
_MOST = math.radians(330)


class Element(NamedTuple):
    """One line, arc or Bézier."""

    kind: int  # LINE, ARC or CUBIC
    control: Float  # (4, 2); of a line and an arc only the ends count
    middle: complex = 0j  # of an arc
    radius: float = 0.0
    sweep: float = 0.0  # radians, counter-clockwise positive


def elements_of(control: Float, kind: NDArray[np.int8]) -> list[Element]:
    """The pieces of a ring, with arcs that belong together joined, and lines that go straight on.

    Parameters
    ----------
    control : ndarray, (N, 4, 2), float64
        In walking order.
    kind : ndarray, (N,), int8

    Returns
    -------
    list of Element
    """
    out: list[Element] = []
    for element in _single(control, kind):
        joined = _joined(out[-1], element) if out else None
        if joined is not None:
            out[-1] = joined
        else:
            out.append(element)
    return out


def _single(control: Float, kind: NDArray[np.int8]) -> Iterator[Element]:
    for c, k in zip(control, kind.tolist(), strict=True):
        if k != ARC:
            yield Element(k, c)
            continue
        p = c[:, 0] + 1j * c[:, 1]
        leave, arrive, chord = p[1] - p[0], p[3] - p[2], p[3] - p[0]
        sweep = float(np.angle(arrive / leave)) if abs(leave) > 0 and abs(arrive) > 0 else 0.0
        if abs(sweep) < 1e-6 or abs(chord) < 1e-12:
            yield Element(CUBIC, c)
            continue
        radius = abs(chord) / (2 * abs(math.sin(sweep / 2)))
        middle = complex((p[0] + p[3]) / 2 + 1j * chord / (2 * math.tan(sweep / 2)))
        yield Element(ARC, c, middle, radius, sweep)


def _joined(a: Element, b: Element) -> Element | None:
    """Two elements as one, when they are parts of one."""
    ends = np.stack([a.control[0], a.control[0], b.control[3], b.control[3]])
    if a.kind == b.kind == LINE:
        u, v = a.control[3] - a.control[0], b.control[3] - b.control[0]
        length = float(np.hypot(*u))
        on = length > 0 and float(u @ v) > 0 and abs(u[0] * v[1] - u[1] * v[0]) / length < _SAME / 100
        return Element(LINE, ends) if on else None
    if a.kind == b.kind == ARC and a.sweep * b.sweep > 0 and abs(a.sweep + b.sweep) < _MOST:
        off = abs(a.middle - b.middle) + abs(a.radius - b.radius)
        if off < _SAME * max(1.0, a.radius / 10):
            return Element(ARC, ends, a.middle, a.radius, a.sweep + b.sweep)
    return None
