"""Sharp corners: two straight runs that meet are extended to their intersection."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.trace.runs import Runs


class Scale(NamedTuple):
    """How far a corner's arms are read: offsets of their points, least turn, most rms of a straight arm."""

    near: int
    far: int
    turn: float
    rms: float


#: From long arms to short ones; a short arm must turn more to be believed.
SCALES = (
    Scale(2, 6, math.radians(30), 0.07),
    Scale(2, 4, math.radians(42), 0.05),
    Scale(1, 3, math.radians(55), 0.05),
)
#: A corner lies at most this far, px, from the boundary point it replaces.
REACH = 2.5
#: Area, px2, that may lack at a sharp corner; a rounding of 1 px takes 0.2 px2 away.
ROUNDED = 0.15
#: An acute tip may lack more, or reach further than its arms' lines, as these curve.
ACUTE, ACUTE_ROUNDED = math.radians(115), 0.2
#: The two straight arms must explain the points better than a circle by this factor.
BETTER_THAN_CIRCLE = 0.6


class Lines(NamedTuple):
    """Lines fitted by total least squares."""

    centre: Float  # (N, 2)
    direction: Float  # (N, 2)
    rms: Float  # (N,)


class Ground(NamedTuple):
    """The picture under the runs."""

    pixels: NDArray[np.uint8]  # (H, W, 3)
    left: NDArray[np.float32]  # (K, 3) colour on the left of each run
    right: NDArray[np.float32]  # (K, 3)


class Corners(NamedTuple):
    """Corners of runs."""

    at: Int  # (C,) index of the run point each replaces
    place: Float  # (C, 2)


def fit_lines(points: Float) -> Lines:
    """Total-least-squares lines through (N, P, 2) points, directed from the first to the last point.

    Parameters
    ----------
    points : ndarray, (N, P, 2), float64
        px.
    """
    centre = points.mean(1)
    d = points - centre[:, None]
    a, b, c = (d[..., 0] ** 2).sum(1), (d[..., 0] * d[..., 1]).sum(1), (d[..., 1] ** 2).sum(1)
    angle = 0.5 * np.arctan2(2 * b, a - c)
    direction = np.stack([np.cos(angle), np.sin(angle)], 1)
    along = ((points[:, -1] - points[:, 0]) * direction).sum(1)
    least = 0.5 * (a + c) - np.hypot(0.5 * (a - c), b)
    return Lines(
        centre,
        direction * np.where(along < 0, -1, 1)[:, None],
        np.sqrt(np.maximum(least, 0) / points.shape[1]),
    )


def intersections(one: Lines, other: Lines) -> Float:
    """Where pairs of lines meet, NaN where they are nearly parallel, (N, 2).

    Parameters
    ----------
    one, other : Lines
        N of each.

    Returns
    -------
    ndarray, (N, 2), float64
    """
    d0, d1 = one.direction, other.direction
    det = d0[:, 1] * d1[:, 0] - d0[:, 0] * d1[:, 1]
    r = other.centre - one.centre
    with np.errstate(divide="ignore", invalid="ignore"):
        s = np.where(np.abs(det) < 0.2, np.nan, (d1[:, 0] * r[:, 1] - d1[:, 1] * r[:, 0]) / det)
    return one.centre + d0 * s[:, None]


def turns(before: Float, after: Float) -> Float:
    """Angle between pairs of directions, 0 to pi.

    Parameters
    ----------
    before, after : ndarray, (N, 2), float64
        Unit length.

    Returns
    -------
    ndarray, (N,), float64
        Radians.
    """
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    return np.asarray(np.abs(np.arctan2(cross, (before * after).sum(1))))


def find_corners(runs: Runs, ground: Ground) -> Corners:
    """Corners that pixels have rounded off, of all runs at once."""
    run = runs.run
    at, place = _stroke_ends(runs, run, ground)
    for scale in SCALES:
        found = _candidates(runs, run, ground, scale)
        if len(found.at) == 0:
            continue
        # A corner seen at a larger scale wins over what its own rounding looks like at a smaller one.
        if len(at):
            gap = _gap(runs, found.at, at)
            fresh = gap > scale.far - 1 if scale.near > 1 else gap > 2
            found = Corners(found.at[fresh], found.place[fresh])
        at, place = np.concatenate([at, found.at]), np.concatenate([place, found.place])
    order = np.argsort(at)
    return Corners(at[order], place[order])


def _bent(runs: Runs, offsets: Int, turn: float) -> Int:
    """Points whose two arms differ by at least a turn.

    From the first to the second and the third to the fourth offset.

    The fits need then run only where something bends.
    """
    index, inside = runs.window(np.arange(len(runs.points)), offsets)
    q = runs.points.take(index.T.copy(), 0)
    before, after = q[1] - q[0], q[3] - q[2]
    lengths = np.einsum("ij,ij->i", before, before) * np.einsum("ij,ij->i", after, after)
    chords = np.einsum("ij,ij->i", before, after) < math.cos(turn) * np.sqrt(lengths)
    return np.nonzero(inside.all(1) & chords)[0]


def _candidates(runs: Runs, run: Int, ground: Ground, scale: Scale) -> Corners:
    near, far = scale.near, scale.far
    p = runs.points
    arm = far - near + 1
    i = _bent(runs, np.array([-far, -near, near, far]), 0.7 * scale.turn)
    if len(i) == 0:
        return Corners(i, np.empty((0, 2)))
    w = p[runs.window(i, np.r_[-far : -near + 1, near : far + 1])[0]]
    one, other = fit_lines(w[:, :arm]), fit_lines(w[:, arm:])
    place = intersections(one, other)
    off = np.hypot(*(place - p[i]).T)
    # The corner lies ahead of the first arm and behind the second.
    ahead = ((place - one.centre) * one.direction).sum(1) > 0
    behind = ((other.centre - place) * other.direction).sum(1) > 0
    rms = np.maximum(one.rms, other.rms)
    good = (
        (turns(one.direction, other.direction) > scale.turn)
        & (rms < scale.rms)
        & (off < REACH)
        & ahead
        & behind
    )
    good &= rms < BETTER_THAN_CIRCLE * _circle_rms(w)
    score = one.rms + other.rms + 0.05 * off
    # The nearer to an acute tip, the more its points are spoilt: arms that skip them show it best, so each is
    # looked at.
    acute = turns(one.direction, other.direction) > ACUTE
    first = np.flatnonzero(good)
    good[first] = acute[first] | _best_around(runs, i[first], score[first], max(2, far - 2))
    i, place, score, acute = i[good], place[good], score[good], acute[good]
    one, other = (Lines(*(f[good] for f in lines)) for lines in (one, other))
    lacking = np.abs(_lacking(ground, run[i], place, one, other))
    best = _best_around(runs, i, score + 0.3 * lacking, max(2, far - 2))
    best &= lacking < np.where(acute, ACUTE_ROUNDED, ROUNDED)
    return Corners(i[best], place[best])


#: Sample places in a pixel, 32 points of J. M. Hammersley's set (1960): no edge direction meets many of them
#: at once.
_SAMPLES = np.stack(
    [(np.arange(32) + 0.5) / 32, (np.array([int(f"{k:05b}"[::-1], 2) for k in range(32)]) + 0.5) / 32], 1
)


def _pixels_around(centre: Float, reach: int) -> tuple[Int, Int]:
    """Rows and columns of the pixels round each place, (N, P) each."""
    gy, gx = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = np.hypot(gx, gy) < reach + 0.2
    return np.floor(centre[:, 1:]).astype(np.int64) + gy[disc], np.floor(centre[:, :1]).astype(np.int64) + gx[
        disc
    ]


def _along(direction: Float, origin: Float, y: Int, x: Int) -> Float:
    """How far the sample places of pixels lie along a direction from an origin, (N, P, 32)."""
    u, v = direction[:, :1], direction[:, 1:]
    return ((x - origin[:, :1]) * u + (y - origin[:, 1:]) * v)[:, :, None] + (direction @ _SAMPLES.T)[:, None]


def _share(ground: Ground, run: Int, y: Int, x: Int) -> Float:
    """Share of the colour on a run's left in each pixel, (N, P)."""
    h, w = ground.pixels.shape[:2]
    p = ground.pixels[np.clip(y, 0, h - 1), np.clip(x, 0, w - 1)].astype(np.float32)
    d = (ground.left - ground.right)[run]
    return np.asarray(
        np.clip(
            ((p - ground.right[run][:, None]) * d[:, None]).sum(-1) / np.maximum((d * d).sum(-1), 1)[:, None],
            0,
            1,
        )
    )


def _left_of(lines: Lines, y: Int, x: Int) -> Bool:
    """Whether the sample places of pixels lie on the left of a line, (N, P, 32); y points down."""
    return _along(np.stack([lines.direction[:, 1], -lines.direction[:, 0]], 1), lines.centre, y, x) > 0


def _lacking(ground: Ground, run: Int, place: Float, one: Lines, other: Lines) -> Float:
    """Area, px2, by which the picture falls short of a sharp corner; what a rounding took away."""
    y, x = _pixels_around(place, 3)
    a, b = _left_of(one, y, x), _left_of(other, y, x)
    left_turn = (
        one.direction[:, 0] * other.direction[:, 1] - one.direction[:, 1] * other.direction[:, 0] < 0
    )[:, None, None]
    wedge = np.where(left_turn, a & b, a | b).mean(-1)
    near = np.hypot(x + 0.5 - place[:, :1], y + 0.5 - place[:, 1:]) < 2.2
    return np.asarray(
        (np.where(left_turn[..., 0], 1, -1) * (wedge - _share(ground, run, y, x)) * near).sum(1)
    )


def _stroke_ends(runs: Runs, run: Int, ground: Ground) -> tuple[Int, Float]:
    """The two corners at each square end of a thin stroke, whose own edge is too short to be seen as one.

    The stroke's sides are straight and run back against one another. Where it ends, and how slantwise,
    follows from the area and the first moment that the picture shows of it.
    """
    none = np.empty(0, np.int64), np.empty((0, 2))
    p = runs.points
    i = _bent(runs, np.array([-6, -2, 3, 7]), math.radians(150))
    if len(i) == 0:
        return none
    index = runs.window(i, np.r_[-6:-1, 3:8])[0]
    one, other = fit_lines(p[index[:, :5]]), fit_lines(p[index[:, 5:]])
    u = one.direction - other.direction
    u /= np.maximum(np.hypot(*u.T), 1e-9)[:, None]
    v = np.stack([-u[:, 1], u[:, 0]], 1)
    width = np.abs(((other.centre - one.centre) * v).sum(1))
    tip = p[np.c_[index[:, 4:6], runs.window(i, np.array([0, 1]))[0]]].mean(1)
    good = (turns(one.direction, -other.direction) < math.radians(12)) & (
        np.maximum(one.rms, other.rms) < 0.1
    )
    good &= (width > 0.8) & (width < 4.2)
    length = ((p[i] - tip) * u).sum(1)
    i, one, other, u, v, width, tip = (
        i[good],
        Lines(*(f[good] for f in one)),
        Lines(*(f[good] for f in other)),
        u[good],
        v[good],
        width[good],
        tip[good],
    )
    best = _best_around(runs, i, (one.rms + other.rms) + 0.02 * np.abs(length[good]), 5)
    i, one, other, u, v, width, tip = (
        i[best],
        Lines(*(f[best] for f in one)),
        Lines(*(f[best] for f in other)),
        u[best],
        v[best],
        width[best],
        tip[best],
    )
    if len(i) == 0:
        return none
    middle = (one.centre + other.centre) / 2
    tip = middle + u * ((tip - middle) * u).sum(1)[:, None]
    y, x = _pixels_around(tip, 5)
    left = (
        ((other.centre - one.centre) * np.stack([one.direction[:, 1], -one.direction[:, 0]], 1)).sum(1) > 0
    )[:, None]
    share = _share(ground, run[i], y, x)
    share = np.where(left, share, 1 - share)
    d = np.stack([x + 0.5, y + 0.5], -1) - tip[:, None]
    along, across = (d * u[:, None]).sum(-1), (d * v[:, None]).sum(-1)
    window = (np.abs(across) < width[:, None] / 2 + 1) & (along < 3.5) & (along > -3.5)
    ea, ec = _along(u, tip, y, x), _along(v, tip, y, x)
    strip = (_left_of(one, y, x) == left[..., None]) & (_left_of(other, y, x) == left[..., None]) & (ea < 0)
    area = (window * (share - strip.mean(-1))).sum(1)
    moment = (window * (share * across - (strip * ec).mean(-1))).sum(1)
    reach = area / width
    slant = np.clip(12 * moment / width**3, -1, 1) * np.clip((width - 1) / 1.5, 0, 1)
    sound = np.abs(reach) < 3
    corners = []
    for line in (one, other):
        c = ((line.centre - tip) * v).sum(1)
        # Along the side's own line to where the slanted end meets it.
        goal = reach + slant * c
        speed = (line.direction * u).sum(1)
        corners.append(
            line.centre + line.direction * ((goal - ((line.centre - tip) * u).sum(1)) / speed)[:, None]
        )
    i = i[sound]
    after = runs.window(i, np.array([1]))[0][:, 0]
    return np.r_[i, after], np.concatenate([corners[0][sound], corners[1][sound]])


def _circle_rms(points: Float) -> Float:
    """Rms distance of (N, P, 2) points from their least-squares circles.

    References
    ----------
    I. Kasa: A circle fitting procedure and its error analysis. IEEE Trans. Instrumentation and Measurement 25
    (1976) 8-14.
    """
    q = points - points.mean(1, keepdims=True)
    rows = np.concatenate([2 * q, np.ones((*q.shape[:2], 1))], 2)
    right = (q * q).sum(2)
    normal = np.einsum("npi,npj->nij", rows, rows) + 1e-9 * np.eye(3)
    x = np.linalg.solve(normal, np.einsum("npi,np->ni", rows, right)[..., None])[..., 0]
    radius = np.sqrt(np.maximum(x[:, 2] + (x[:, :2] ** 2).sum(1), 0))
    return np.asarray(
        np.sqrt(((np.hypot(*np.moveaxis(q - x[:, None, :2], 2, 0)) - radius[:, None]) ** 2).mean(1))
    )


def _best_around(runs: Runs, i: Int, score: Float, reach: int) -> Bool:
    """Candidates that no better one lies within `reach` points of."""
    full = np.full(len(runs.points), np.inf)
    full[i] = score
    index, inside = runs.window(i, np.arange(-reach, reach + 1))
    around = np.where(inside, full[index], np.inf)
    return np.asarray(around.argmin(1) == reach)


def _gap(runs: Runs, i: Int, taken: Int) -> Int:
    """Points between each of `i` and the nearest of `taken` on the same run."""
    mark = np.zeros(len(runs.points), bool)
    mark[taken] = True
    reach = 8
    index, inside = runs.window(i, np.arange(-reach, reach + 1))
    seen = mark[index] & inside
    return np.asarray(np.where(seen, np.abs(np.arange(-reach, reach + 1)), reach + 1).min(1))
