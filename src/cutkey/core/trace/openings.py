"""Where a boundary that lies beside its picture may have a corner that was missed."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import CUBIC, Pieces, bezier, line_controls

Kind = NDArray[np.int8]

_FINE = 16  # places looked at along a piece
_ARM = 1.5  # from a tip to where the boundary's direction is read, px


def opened(
    pieces: Pieces, bad: Bool, places: Float, offs: Float, owner: Int, least: float, tips: bool
) -> tuple[Pieces, Bool]:
    """Pieces cut where they are furthest off, so that corners can form there.

    And which pieces begin at such a place.

    Where a boundary turns sharply its tip is what the lines on either side of it point to.

    Parameters
    ----------
    pieces : Pieces
    bad : ndarray, (chains,), bool
        Chains that lie too far off.
    places : ndarray, (M, 2), float64
        Measured points, px.
    offs : ndarray, (M,), float64
        How far each is off, px.
    owner : ndarray, (M,), int64
        The chain each belongs to.
    least : float
        No piece becomes shorter than this, px.
    tips : bool
        Whether tips may be opened too.
    """
    parts: list[tuple[Float, Kind, Bool]] = []
    for chain in np.unique(pieces.chain).tolist():
        own = pieces.chain == chain
        control, kind = pieces.control[own], pieces.kind[own]
        free = np.zeros(len(control), bool)
        if bad[chain]:
            at = owner == chain
            control, kind, free = _opened_chain(control, kind, places[at], offs[at], least, tips)
        parts.append((control, kind, free))
    control, kind, free = (np.concatenate(p) for p in zip(*parts, strict=True))
    return Pieces(control, kind, np.repeat(np.unique(pieces.chain), [len(p[0]) for p in parts])), free


def _opened_chain(
    control: Float, kind: Kind, places: Float, offs: Float, least: float, tips: bool
) -> tuple[Float, Kind, Bool]:
    n = len(control)
    t = (np.arange(_FINE) + 0.5) / _FINE
    there = bezier(np.repeat(control, _FINE, 0), np.tile(t, n))
    run = np.r_[0, np.cumsum(np.hypot(*np.diff(there, axis=0).T))]
    joints = np.interp(np.arange(n), (np.arange(len(run)) + 0.5) / _FINE, run)
    free = np.zeros(n, bool)
    # Each change takes a stretch of the chain: from, to, the tip if there is one.
    changes: list[tuple[float, float, Float | None]] = []
    for k in np.argsort(-offs).tolist():
        if offs[k] < least:
            break
        s = float(run[np.argmin(((there - places[k]) ** 2).sum(1))])
        if any(a - 1 < s < b + 1 for a, b, _ in changes):
            continue
        tip = _tip(there, run, s) if tips else None
        nearest = int(np.abs(joints - s).argmin())
        if tip is not None and not any(a - _ARM < s < b + _ARM for a, b, _ in changes):
            changes.append((s - _ARM, s + _ARM, tip))
        elif abs(joints[nearest] - s) < 0.7:
            free[nearest] = True
        else:
            changes.append((s, s, None))
    place = (np.arange(len(run)) + 0.5) / _FINE
    out: list[tuple[Float, int, bool]] = []

    def go_on(begin: float, stop: float, opening: bool) -> None:
        """The chain as it was between two places."""
        for k in range(int(begin), min(n, math.ceil(stop))):
            u, v = max(0.0, begin - k), min(1.0, stop - k)
            if v - u > 1e-9:
                out.append((_part(control[k], u, v), int(kind[k]), bool(free[k]) if u == 0 else opening))
                opening = False

    begin, opening = 0.0, False
    for a, b, tip in sorted(changes, key=lambda c: c[0]):
        go_on(begin, float(np.interp(a, run, place)), opening)
        begin, opening = float(np.interp(b, run, place)), tip is None
        if tip is not None:
            k = min(int(begin), n - 1)
            before, after = out[-1][0][3], _part(control[k], begin - k, 1.0)[0]
            out.append((line_controls(before[None], tip[None])[0], CUBIC, False))
            out.append((line_controls(tip[None], after[None])[0], CUBIC, True))
    go_on(begin, float(n), opening)
    return (
        np.stack([o[0] for o in out]),
        np.array([o[1] for o in out], np.int8),
        np.array([o[2] for o in out]),
    )


def _part(control: Float, u: float, v: float) -> Float:
    """The stretch of a cubic from one parameter to another."""
    for at, tail in ((v, False), (u / v, True)):
        ab, bc, cd = (control[k] * (1 - at) + control[k + 1] * at for k in range(3))
        abc, bcd = ab * (1 - at) + bc * at, bc * (1 - at) + cd * at
        middle = abc * (1 - at) + bcd * at
        control = np.stack([middle, bcd, cd, control[3]]) if tail else np.stack([control[0], ab, abc, middle])
    return control


def _tip(there: Float, run: Float, s: float) -> Float | None:
    """Where the directions on either side of a sharp turn meet."""
    if s - _ARM - 0.5 < 0 or s + _ARM + 0.5 > run[-1]:
        return None
    at = np.searchsorted(run, [s - _ARM - 0.5, s - _ARM, s + _ARM, s + _ARM + 0.5])
    a, b, c, d = there[at]
    u, v = b - a, d - c
    u, v = u / max(float(np.hypot(*u)), 1e-9), v / max(float(np.hypot(*v)), 1e-9)
    cross = u[0] * v[1] - u[1] * v[0]
    if u @ v > 0.5 or abs(cross) < 0.1:
        return None
    r = c - b
    ahead, behind = (r[0] * v[1] - r[1] * v[0]) / cross, (r[0] * u[1] - r[1] * u[0]) / cross
    return b + ahead * u if 0 < ahead < 4 and -4 < behind < 0 else None
