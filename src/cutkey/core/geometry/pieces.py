"""Pieces: the straight lines, circular arcs and cubic Bézier curves that arcs of the network are made of."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Float, Int

LINE, ARC, CUBIC = 0, 1, 2
#: Most straight pieces one curve is flattened to.
_MOST = 64


class Pieces(NamedTuple):
    """Curves in cubic Bézier form, in walking order along their chains; an arc spans at most 60 degrees."""

    control: Float  # (S, 4, 2)
    kind: NDArray[np.int8]  # (S,) LINE, ARC or CUBIC
    chain: Int  # (S,)

    def __len__(self) -> int:
        return len(self.kind)


def line_controls(a: Float, b: Float) -> Float:
    """Control points (N, 4, 2) of straight lines.

    Parameters
    ----------
    a, b : ndarray, (N, 2), float64

    Returns
    -------
    ndarray, (N, 4, 2), float64
    """
    return np.stack([a, a + (b - a) / 3, a + (b - a) * (2 / 3), b], 1)


def flatten(pieces: Pieces, tolerance: float) -> tuple[Float, Int]:
    """Points along pieces, no further from the curve than a tolerance.

    Returns
    -------
    points : (P, 2)
        Start of each piece and the points inside it; the end of a piece is the start of the next.
    piece : (P,)
        Number of the piece of each point.
    """
    c = pieces.control
    d = np.maximum(
        np.hypot(*(c[:, 0] - 2 * c[:, 1] + c[:, 2]).T), np.hypot(*(c[:, 1] - 2 * c[:, 2] + c[:, 3]).T)
    )
    # Distance of a chord from a curve is at most |second derivative| / 8 of the squared step, with B'' <= 6
    # d.
    n = np.clip(np.ceil(np.sqrt(6 * d / (8 * tolerance))), 1, _MOST).astype(np.int64)
    n[pieces.kind == LINE] = 1
    piece = np.repeat(np.arange(len(c)), n)
    t = (np.arange(len(piece)) - np.repeat(np.cumsum(n) - n, n)) / n[piece]
    return bezier(c[piece], t), piece


class Flattened(NamedTuple):
    """Curves and the points that stand for them."""

    control: Float  # (S, 4, 2)
    kind: NDArray[np.int8]  # (S,)
    points: Float  # (P, 2) of each curve in turn, its end left out
    piece: Int  # (P,) number of the curve

    def placed(self, place: Callable[[Float], Float]) -> Flattened:
        """The same somewhere else, at another size.

        Parameters
        ----------
        place : callable
            From points (N, 2) to points (N, 2).
        """
        return self._replace(
            control=place(self.control.reshape(-1, 2)).reshape(-1, 4, 2), points=place(self.points)
        )

    def beside(self, other: Flattened) -> Flattened:
        """These and others."""
        return Flattened(
            np.concatenate([self.control, other.control]),
            np.r_[self.kind, other.kind],
            np.concatenate([self.points, other.points]),
            np.r_[self.piece, other.piece + len(self.kind)],
        )


def flattened(pieces: Pieces, tolerance: float) -> Flattened:
    """Curves with the points that `flatten` makes of them.

    Parameters
    ----------
    pieces : Pieces
    tolerance : float
        Between curves and their chords, in the units of the pieces.
    """
    return Flattened(pieces.control, pieces.kind, *flatten(pieces, tolerance))


def points_of(pieces: Pieces, tolerance: float, chains: int) -> list[Float]:
    """Points along every chain, its ends included.

    Parameters
    ----------
    pieces : Pieces
    tolerance : float
        Between curves and their chords, px.
    chains : int
        How many there are.

    Returns
    -------
    list of ndarray, (N, 2), float64
    """
    points, piece = flatten(pieces, tolerance)
    chain = pieces.chain[piece]
    last = np.zeros((chains, 2))
    last[pieces.chain] = pieces.control[:, 3]
    parts = np.split(points, np.cumsum(np.bincount(chain, minlength=chains))[:-1])
    return [np.concatenate([p, e[None]]) for p, e in zip(parts, last, strict=True)]


def bezier(control: Float, t: Float) -> Float:
    """Points of cubic Béziers (N, 4, 2) at parameters (N,).

    Parameters
    ----------
    control : ndarray, (N, 4, 2), float64
    t : ndarray, (N,), float64
        0 to 1.

    Returns
    -------
    ndarray, (N, 2), float64
    """
    s = 1 - t
    weights = np.stack([s**3, 3 * s * s * t, 3 * s * t * t, t**3], 1)
    return np.asarray(np.einsum("nk,nkd->nd", weights, control))
