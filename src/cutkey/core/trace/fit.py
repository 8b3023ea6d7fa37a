"""Curves through measured boundary points: the simplest of line, arc and cubic that stays within a tolerance.

All sections of all chains are fitted together, round by round: what no single piece explains is cut in two
and tried again.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import ARC, CUBIC, LINE, line_controls

#: An arc recognised as such may span this much; it is stored in parts of at most `_PART`.
_WIDEST = math.radians(300)
_PART = math.radians(60)
#: A piece that starts at a smooth joint leaves it within this angle of the joint's tangent.
_SMOOTH = math.radians(5)
_ROUNDS = 14
#: A bend that takes the points of a line no further off than this, rms px, is not worth an arc.
_UNSEEN = 0.015


class Sections(NamedTuple):
    """Stretches of nodes to fit, each from a corner or joint to the next."""

    begin: Int  # (S,) first node
    end: Int  # (S,) last node
    smooth_begin: Bool  # the joint at the first node must stay smooth
    smooth_end: Bool


class Fitted(NamedTuple):
    """Pieces in the order of their first node."""

    control: Float
    kind: NDArray[np.int8]
    node: Int  # first node of each


def fit_sections(xy: Float, sections: Sections, tangents: Float, tolerance: float) -> Fitted:
    """Fit every section.

    Parameters
    ----------
    xy : (M, 2)
        Nodes; those inside a section are measured points, its first and last are met exactly.
    sections : Sections
    tangents : (M, 2)
        Unit tangent at each node, used where a joint is smooth.
    tolerance : float
        Largest distance between a node and the piece that replaces it.
    """
    xy = xy.copy()
    done: list[tuple[Float, NDArray[np.int8], Int]] = []
    todo = _rings(xy, sections, tolerance, done)
    for last in [False] * (_ROUNDS - 1) + [True]:
        if len(todo.begin) == 0:
            break
        todo = _fit_round(xy, todo, tangents, tolerance, done, last)
    if not done:
        return Fitted(np.empty((0, 4, 2)), np.empty(0, np.int8), np.empty(0, np.int64))
    control, kind, node = _joined(
        xy, sections, tangents, tolerance, *(np.concatenate([d[k] for d in done]) for k in range(3))
    )
    order = np.argsort(node, kind="stable")
    control, kind, node = control[order], kind[order], node[order]
    # Pieces meet to the last bit, whatever an arc's cosine made of its ends.
    new = np.r_[True, node[1:] != node[:-1]]
    control[new, 0] = xy[node[new]]
    final = np.r_[new[1:], True]
    stop = sections.end[np.searchsorted(sections.begin, node, side="right") - 1]
    stop[:-1] = np.where(new[1:], np.minimum(stop[:-1], node[1:]), stop[:-1])
    control[final, 3] = xy[stop[final]]
    inner = np.nonzero(~final)[0]
    control[inner, 3] = control[inner + 1, 0]
    return Fitted(control, kind, node)


def _joined(
    xy: Float,
    sections: Sections,
    tangents: Float,
    tolerance: float,
    control: Float,
    kind: NDArray[np.int8],
    node: Int,
) -> tuple[Float, NDArray[np.int8], Int]:
    """Neighbouring pieces of a section that one piece can replace, joined pair by pair until none is left.

    Cutting in two where the fit is worst leaves more pieces than are needed.
    """
    smooth_begin, smooth_end = np.ones(len(xy), bool), np.ones(len(xy), bool)
    smooth_begin[sections.begin], smooth_end[sections.end] = sections.smooth_begin, sections.smooth_end
    tried = -1
    for turn in range(3):
        begin = np.unique(node)
        of = np.searchsorted(sections.begin, begin, side="right") - 1
        # Pairs of spans in one section, even ones in one round and odd ones in the next.
        first = np.arange(turn % 2, len(begin) - 1, 2)
        first = first[of[first] == of[first + 1]]
        final = np.r_[begin[1:], 0]
        end = np.where(np.r_[of[1:] == of[:-1], False], final, sections.end[of])
        a, b = begin[first], end[first + 1]
        found: list[tuple[Float, NDArray[np.int8], Int]] = []
        if len(a):
            _fit_round(
                xy, Sections(a, b, smooth_begin[a], smooth_end[b]), tangents, 0.7 * tolerance, found, False
            )
        new = np.concatenate([f[2] for f in found]) if found else np.empty(0, np.int64)
        if len(new) == 0:
            if tried == turn - 1:
                break
            tried = turn
            continue
        took = np.isin(a, new)
        gone = np.isin(node, np.r_[a[took], begin[first + 1][took]])
        control = np.concatenate([control[~gone], *(f[0] for f in found)])
        kind = np.concatenate([kind[~gone], *(f[1] for f in found)])
        node = np.concatenate([node[~gone], new])
    return control, kind, node


def _rings(xy: Float, s: Sections, tolerance: float, done: list[Any]) -> Sections:
    """Rings without a corner: whole circles are recognised, others cut into thirds that stay smooth."""
    whole = s.smooth_begin & s.smooth_end & (xy[s.begin] == xy[s.end]).all(1)
    keep = ~whole
    begin, end = [s.begin[keep]], [s.end[keep]]
    smooth = [s.smooth_begin[keep]], [s.smooth_end[keep]]
    for a, b in zip(s.begin[whole].tolist(), s.end[whole].tolist(), strict=True):
        p = xy[a:b]
        middle = p.mean(0)
        # A. Kasa's circle fit (1976).
        q = p - middle
        x = np.linalg.lstsq(np.c_[2 * q, np.ones(len(q))], (q * q).sum(1), rcond=None)[0]
        radius = math.sqrt(max(0.0, x[2] + x[0] ** 2 + x[1] ** 2))
        centre = middle + x[:2]
        turn = float(np.sign(np.sum(q[:, 0] * np.roll(q[:, 1], -1) - q[:, 1] * np.roll(q[:, 0], -1))))
        if radius > 0.5 and np.abs(np.hypot(*(p - centre).T) - radius).max() <= 1.5 * tolerance:
            xy[a] = xy[b] = start = centre + (p[0] - centre) * (radius / np.hypot(*(p[0] - centre)))
            done.append(_arcs(start[None], centre[None], np.array([turn * 2 * np.pi]), np.array([a])))
            continue
        n = b - a
        cuts = np.array([a, a + n // 3, a + 2 * n // 3, b])
        begin.append(cuts[:-1])
        end.append(cuts[1:])
        for side in smooth:
            side.append(np.ones(3, bool))
    return Sections(
        np.concatenate(begin), np.concatenate(end), np.concatenate(smooth[0]), np.concatenate(smooth[1])
    )


def _fit_round(
    xy: Float, s: Sections, tangents: Float, tolerance: float, done: list[Any], last: bool
) -> Sections:
    a, b = xy[s.begin], xy[s.end]
    count = s.end - s.begin - 1
    sure = s
    # Inner nodes of all sections, one after the other.
    owner = np.repeat(np.arange(len(count)), count)
    node = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count) + s.begin[owner] + 1
    p = xy[node]

    chord = b - a
    length = np.maximum(np.hypot(*chord.T), 1e-9)
    u, v = chord / length[:, None], np.stack([-chord[:, 1], chord[:, 0]], 1) / length[:, None]
    from_a = (p - a[owner]).T.copy()
    turned = np.ascontiguousarray(u.T).take(owner, 1)
    along, across = (from_a * turned).sum(0), from_a[1] * turned[0] - from_a[0] * turned[1]
    leave = np.where(s.smooth_begin, _angle(u, tangents[s.begin]), 0)
    arrive = np.where(s.smooth_end, _angle(u, tangents[s.end]), 0)
    off = _largest(np.where((along < -0.5) | (along > length[owner] + 0.5), np.inf, np.abs(across)), count)
    # A circle through both ends: in the chord's frame along^2 - along L + across^2 = c across.
    value = along * (along - length[owner]) + across**2
    top, bottom = (
        np.bincount(owner, value * across, len(count)),
        np.bincount(owner, across * across, len(count)),
    )
    c = top / np.maximum(bottom, 1e-12)
    radius = np.hypot(length, c) / 2
    miss = np.abs(np.hypot(along - length[owner] / 2, across - c[owner] / 2) - radius[owner])
    # Points that stray to one side of a chord are bent, not scattered: there an arc does much better than a
    # line.
    bent = np.bincount(owner, across**2, len(count)) > count * _UNSEEN**2 + (
        1 + 6 / np.maximum(count, 1)
    ) * np.bincount(owner, miss**2, len(count))
    bent &= count >= 5
    is_line = (
        (off <= tolerance) & ~bent & (length > 1e-6) & (np.maximum(np.abs(leave), np.abs(arrive)) < _SMOOTH)
    )
    done.append(
        (line_controls(a[is_line], b[is_line]), np.full(int(is_line.sum()), LINE, np.int8), s.begin[is_line])
    )

    side = np.sign(np.bincount(owner, across, len(count)))
    bend = 2 * np.arctan2(length, -c * side)  # angle spanned
    start = side * bend / 2
    fits = (
        (_largest(miss, count) <= tolerance)
        & (length > 1e-6)
        & (count >= 3)
        & (bend < _WIDEST)
        & (bend > 0.05)
        & ~is_line
    )
    fits &= np.where(s.smooth_begin, np.abs(_wrap(leave - start)) < _SMOOTH, True)
    fits &= np.where(s.smooth_end, np.abs(_wrap(arrive + start)) < _SMOOTH, True)
    i = np.nonzero(fits)[0]
    centre = (a + b) / 2 + v * (c / 2)[:, None]
    done.append(_arcs(a[i], centre[i], -side[i] * bend[i], s.begin[i]))

    i = np.nonzero(~is_line & ~fits)[0]
    if len(i) == 0:
        return _take(s, i)
    sure = _take(s, i)
    inside = (~is_line & ~fits)[owner]
    new = np.cumsum(~is_line & ~fits) - 1
    owner, p, node = new[owner[inside]], p[inside], node[inside]
    control, off, worst = _cubics(xy, sure, tangents, owner, p)
    count = sure.end - sure.begin - 1
    good = (off <= tolerance) | (count < 2) | last
    done.append((control[good], np.full(int(good.sum()), CUBIC, np.int8), sure.begin[good]))
    bad = np.nonzero(~good)[0]
    if len(bad) == 0:
        return _take(sure, bad)
    # Cut where it is furthest off, but never so near an end that nothing is left to fit.
    cut = np.clip(
        node[worst[bad]],
        sure.begin[bad] + np.minimum(3, (count[bad] + 1) // 2),
        sure.end[bad] - np.minimum(3, (count[bad] + 1) // 2),
    )
    yes = np.ones(len(bad), bool)
    return Sections(
        np.r_[sure.begin[bad], cut],
        np.r_[cut, sure.end[bad]],
        np.r_[sure.smooth_begin[bad], yes],
        np.r_[yes, sure.smooth_end[bad]],
    )


def _take(s: Sections, i: Int) -> Sections:
    return Sections(s.begin[i], s.end[i], s.smooth_begin[i], s.smooth_end[i])


def _angle(u: Float, t: Float) -> Float:
    """Signed angle from directions `u` to `t`."""
    return np.asarray(np.arctan2(u[:, 0] * t[:, 1] - u[:, 1] * t[:, 0], (u * t).sum(1)))


def _wrap(angle: Float) -> Float:
    return (angle + np.pi) % (2 * np.pi) - np.pi


def _largest(value: Float, count: Int) -> Float:
    """Largest value of each section, 0 where it has none."""
    out = np.zeros(len(count))
    has = count > 0
    if len(value):
        out[has] = np.maximum.reduceat(value, (np.cumsum(count) - count)[has])
    return out


def _arcs(a: Float, centre: Float, sweep: Float, begin: Int) -> tuple[Float, NDArray[np.int8], Int]:
    """Circular arcs as cubics of at most `_PART` each.

    The parts of one arc share its first node and keep their order.
    """
    parts = np.maximum(1, np.ceil(np.abs(sweep) / _PART)).astype(np.int64)
    k = np.repeat(np.arange(len(a)), parts)
    at = np.arange(len(k)) - np.repeat(np.cumsum(parts) - parts, parts)
    step = (sweep / parts)[k]
    r = a - centre
    p0, p3 = _turned(r[k], step * at), _turned(r[k], step * (at + 1))
    h = (4 / 3 * np.tan(step / 4))[:, None]
    p1 = p0 + h * np.stack([-p0[:, 1], p0[:, 0]], 1)
    p2 = p3 - h * np.stack([-p3[:, 1], p3[:, 0]], 1)
    return np.stack([p0, p1, p2, p3], 1) + centre[k][:, None], np.full(len(k), ARC, np.int8), begin[k]


def _turned(v: Float, angle: Float) -> Float:
    c, s = np.cos(angle), np.sin(angle)
    return np.stack([c * v[:, 0] - s * v[:, 1], s * v[:, 0] + c * v[:, 1]], 1)


def _cubics(xy: Float, s: Sections, tangents: Float, owner: Int, p: Float) -> tuple[Float, Float, Int]:
    """Least-squares cubics through fixed ends; a smooth end keeps its tangent, a free one finds its own.

    Returns
    -------
    control : (S, 4, 2)
    off : (S,)
        Largest distance of a point.
    worst : (S,)
        Index into `p` of that point.

    References
    ----------
    P. J. Schneider: An algorithm for automatically fitting digitized curves. Graphics Gems (1990) 612-626.
    """
    n = len(s.begin)
    a, b = xy[s.begin], xy[s.end]
    count = np.bincount(owner, minlength=n)
    first = np.cumsum(count) - count
    has = np.flatnonzero(count)
    # Points as seen from where their section begins, x and y a row each.
    from_a = (p - a[owner]).T.copy()
    chord = np.ascontiguousarray((b - a).T)
    chords = chord.take(owner, 1)
    back = np.roll(from_a, 1, 1)
    back[:, first[has]] = 0
    run = np.cumsum(np.hypot(*(from_a - back)))
    begun = np.r_[0, run][first]
    tail = np.zeros(n)
    last = (first + count - 1)[has]
    tail[has] = run[last] - begun[has] + np.hypot(*(chord[:, has] - from_a[:, last]))
    t = (run - begun[owner]) / np.maximum(tail[owner], 1e-9)

    # Unknowns: P1 - P0 = F1 x1 and P2 - P3 = F2 x2, F the identity at a free end and the tangent alone at a
    # smooth one.
    frame = np.zeros((n, 2, 2, 2))
    for k, (smooth, at, sign) in enumerate(((s.smooth_begin, s.begin, 1.0), (s.smooth_end, s.end, -1.0))):
        frame[:, k] = np.where(
            smooth[:, None, None], np.stack([sign * tangents[at], np.zeros((n, 2))], 2), np.eye(2)
        )
    f1, f2 = frame[:, 0], frame[:, 1]
    f11, f12, f22 = (np.swapaxes(f, 1, 2) @ g for f, g in ((f1, f1), (f1, f2), (f2, f2)))
    reach = np.maximum(np.hypot(*chord), tail * 0.5)
    third = chord.T / 3
    thirds = np.concatenate([np.einsum("nij,ni->nj", f1, third), np.einsum("nij,ni->nj", f2, -third)], 1)
    sums = np.zeros((7, n))
    for _ in range(3):
        w = 1 - t
        b1, b2 = 3 * w * w * t, 3 * w * t * t
        rest = from_a - (b2 + t * t * t) * chords
        for k, x in enumerate(
            (b1 * b1, b1 * b2, b2 * b2, b1 * rest[0], b1 * rest[1], b2 * rest[0], b2 * rest[1])
        ):
            sums[k, has] = np.add.reduceat(x, first[has]) if len(has) else 0
        s11, s12, s22 = sums[:3]
        m = np.empty((n, 4, 4))
        m[:, :2, :2], m[:, 2:, 2:] = s11[:, None, None] * f11, s22[:, None, None] * f22
        m[:, :2, 2:] = s12[:, None, None] * f12
        m[:, 2:, :2] = np.swapaxes(m[:, :2, 2:], 1, 2)
        right = np.concatenate(
            [np.einsum("nij,in->nj", f1, sums[3:5]), np.einsum("nij,in->nj", f2, sums[5:])], 1
        )
        # A weak pull to the thirds of the chord decides what the points leave open.
        pull = 1e-3 * (1 + s11 + s22)
        right += pull[:, None] * thirds
        m += pull[:, None, None] * np.eye(4)
        x = np.linalg.solve(m, right[..., None])[..., 0]
        # Handles along a tangent must not run backwards, nor further than the section is long.
        for k, smooth in ((0, s.smooth_begin), (2, s.smooth_end)):
            x[:, k] = np.where(smooth, np.clip(x[:, k], 0.05 * reach, 1.5 * reach), x[:, k])
        h1, h2 = np.einsum("nij,nj->in", f1, x[:, :2]), chord + np.einsum("nij,nj->in", f2, x[:, 2:])
        curve = np.stack([3 * h1, 3 * (h2 - 2 * h1), chord - 3 * h2 + 3 * h1]).take(owner, 2)
        t = _nearest_parameter(curve, t, from_a)
    d = np.hypot(*_away(curve, t, from_a))
    off = _largest(d, count)
    worst = np.zeros(n, np.int64)
    hit = np.flatnonzero(d >= off[owner])
    worst[owner[hit]] = hit
    return np.stack([a, a + h1.T, a + h2.T, b], 1), off, worst


def _away(c: Float, t: Float, p: Float) -> Float:
    """From each point (2, P) to its curve at t; `c` holds the coefficients of t, t^2 and t^3, (3, 2, P)."""
    return np.asarray(((c[2] * t + c[1]) * t + c[0]) * t - p)


def _nearest_parameter(c: Float, t: Float, p: Float) -> Float:
    """One Newton step towards the nearest place on the curve."""
    d = _away(c, t, p)
    first = (3 * c[2] * t + 2 * c[1]) * t + c[0]
    slope = (first * first).sum(0) + (d * (6 * c[2] * t + 2 * c[1])).sum(0)
    sure = slope > 1e-9
    step = np.where(sure, (d * first).sum(0) / np.where(sure, slope, 1), 0)
    return np.asarray(np.clip(t - np.clip(step, -0.2, 0.2), 0, 1))
