"""What hands do with the curves of a boundary.

Nodes and handles moved, made smooth or sharp, put in and taken out.

Curves are cubics, (S, 4, 2), as they walk along their boundary. Every function gives back what is changed as
stretches, none of the curves themselves: a stretch is one curve, or two that follow one another, and the
cubics that come in their place.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.curves.splitting import split_cubic
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.pieces import CUBIC, LINE, bezier, line_controls

Kinds = NDArray[np.int8]
#: Two curves go on smoothly when their directions differ by less than this.
_SMOOTH = math.radians(3)


class Node(NamedTuple):
    """A place where curves end."""

    place: tuple[float, float]
    ends: tuple[tuple[int, int], ...]  # number of the curve, and 0 for its beginning or 3 for its end


class Stretch(NamedTuple):
    """Curves that are replaced, and what comes in their place."""

    pieces: tuple[int, ...]
    curve: Float  # (3 n + 1, 2)


def nodes_of(control: Float) -> list[Node]:
    """All nodes of some curves.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    """
    found: dict[tuple[float, float], list[tuple[int, int]]] = {}
    for end in (0, 3):
        for k, (x, y) in enumerate(control[:, end].tolist()):
            found.setdefault((x, y), []).append((k, end))
    return [Node(place, tuple(ends)) for place, ends in found.items()]


def is_smooth(control: Float, node: Node) -> bool:
    """Whether the boundary goes through a node without a corner.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    node : Node
    """
    if len(node.ends) != 2:
        return False
    a, b = (_leaving(control, *end) for end in node.ends)
    size = abs(a) * abs(b)
    return size > 0 and abs(abs(_angle(a, b)) - math.pi) < _SMOOTH


def with_node_at(control: Float, kind: Kinds, node: Node, to: tuple[float, float]) -> list[Stretch]:
    """A node moved, its handles with it; straight sides stay straight.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    node : Node
    to : (float, float)
        mm.
    """
    way = np.array(to) - node.place
    changed: dict[int, Float] = {}
    for piece, end in node.ends:
        c = changed.get(piece, control[piece]).copy()
        c[end] += way
        if kind[piece] == LINE:
            c = line_controls(c[None, 0], c[None, 3])[0]
        else:
            c[_beside(end)] += way
        changed[piece] = c
    return _each(changed)


def with_handle_at(
    control: Float, kind: Kinds, node: Node, end: tuple[int, int], to: tuple[float, float], alone: bool
) -> list[Stretch]:
    """A handle moved; unless `alone`, the one across a smooth node turns along.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    node : Node
    end : (int, int)
        Whose handle it is: number of the curve, and which of its ends.
    to : (float, float)
        mm.
    alone : bool
        Nothing else moves, so a corner may come of it.
    """
    piece, at = end
    changed = {piece: control[piece].copy()}
    changed[piece][_beside(at)] = to
    others = [e for e in node.ends if e != end]
    if not alone and len(others) == 1 and is_smooth(control, node):
        other, side = others[0]
        way = complex(*(np.array(to) - node.place))
        if kind[other] == LINE and abs(way) > 0:
            # Along a straight side there is one direction only.
            u = _leaving(control, other, side)
            u /= abs(u)
            along = -u * max(0.0, (way * (-u).conjugate()).real)
            changed[piece][_beside(at)] = _from(node, along)
        elif abs(way) > 0:
            c = changed.get(other, control[other]).copy()
            turned = -way / abs(way) * abs(_leaving(control, other, side))
            c[_beside(side)] = _from(node, turned)
            changed[other] = c
    return _each(changed)


def made_smooth(control: Float, kind: Kinds, node: Node) -> list[Stretch]:
    """Both handles of a node in one line; beside a straight side, in its direction.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    node : Node
    """
    if len(node.ends) != 2:
        return []
    ways = [_leaving(control, *end) for end in node.ends]
    chords = [_chord(control, *end) for end in node.ends]
    straight = [kind[piece] == LINE for piece, _ in node.ends]
    if all(straight):
        # The direction of a circle through the node and both ends.
        way = chords[0] / abs(chords[0]) ** 2 - chords[1] / abs(chords[1]) ** 2
        ways = [abs(chords[0]) / 3 + 0j, abs(chords[1]) / 3 + 0j]
    elif any(straight):
        way = chords[0] if straight[0] else -chords[1]
    else:
        way = ways[0] / max(abs(ways[0]), 1e-12) - ways[1] / max(abs(ways[1]), 1e-12)
    if abs(way) < 1e-9:
        way = ways[0] * 1j
    way /= abs(way)
    changed: dict[int, Float] = {}
    for (piece, end), own, sign, fixed in zip(node.ends, ways, (1, -1), straight, strict=True):
        if fixed and not all(straight):
            continue
        c = changed.get(piece, control[piece]).copy()
        c[_beside(end)] = _from(node, sign * way * abs(own))
        changed[piece] = c
    return _each(changed)


def made_sharp(control: Float, kind: Kinds, node: Node) -> list[Stretch]:
    """Each curve leaves a node straight for its other end.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    node : Node
    """
    changed: dict[int, Float] = {}
    for piece, end in node.ends:
        if kind[piece] != LINE:
            c = changed.get(piece, control[piece]).copy()
            c[_beside(end)] = c[end] + (c[3 - end] - c[end]) / 3
            changed[piece] = c
    return _each(changed)


def made_straight(control: Float, piece: int) -> list[Stretch]:
    """A straight side in the place of a curve.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    piece : int
    """
    return [Stretch((piece,), line_controls(control[piece, None, 0], control[piece, None, 3])[0])]


def pulled(control: Float, piece: int, t: float, to: tuple[float, float]) -> list[Stretch]:
    """A curve bent so that its place at a parameter lies elsewhere; its ends stay.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    piece : int
    t : float
        0 to 1.
    to : (float, float)
        mm.
    """
    c = control[piece].copy()
    way = np.array(to) - bezier(c[None], np.array([t]))[0]
    # The least move of both handles that does it.
    w1, w2 = 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2
    share = 1 / max(w1 * w1 + w2 * w2, 1e-6)
    c[1] += way * w1 * share
    c[2] += way * w2 * share
    return [Stretch((piece,), c)]


def with_node_in(control: Float, piece: int, t: float) -> list[Stretch]:
    """A curve in two, its shape unchanged.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    piece : int
    t : float
        0 to 1.
    """
    a, b = split_cubic(control[piece], t)
    return [Stretch((piece,), np.concatenate([a, b[1:]]))]


def without_node(control: Float, kind: Kinds, node: Node) -> list[Stretch]:
    """One curve in the place of the two that meet in a node; straight when both are.

    The handles at the far ends grow as the curves do that they replace.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    node : Node
    """
    if len(node.ends) != 2 or node.ends[0][0] == node.ends[1][0]:
        return []
    # Curves of one boundary walk one way: one ends here, the other begins.
    (p, _), (q, _) = sorted(node.ends, key=lambda e: -e[1])
    a, b = control[p], control[q]
    if kind[p] == kind[q] == LINE:
        return [Stretch((p, q), line_controls(a[None, 0], b[None, 3])[0])]
    lengths = [
        float(np.hypot(*np.diff(bezier(np.repeat(c[None], 9, 0), np.linspace(0, 1, 9)), axis=0).T).sum())
        for c in (a, b)
    ]
    whole = sum(lengths)
    grow = [whole / max(n, 1e-9) for n in lengths]
    first, last = a[0] + (a[1] - a[0]) * grow[0], b[3] + (b[2] - b[3]) * grow[1]
    return [Stretch((p, q), np.stack([a[0], first, last, b[3]]))]


def applied(control: Float, kind: Kinds, stretches: list[Stretch]) -> tuple[Float, Kinds]:
    """The curves with stretches in their places, to be shown while the job is computed anew.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    kind : ndarray, (S,), int8
    stretches : list of Stretch
    """
    gone = {p for s in stretches for p in s.pieces}
    keep = np.array([k not in gone for k in range(len(control))], bool)
    new = [s.curve[k : k + 4] for s in stretches for k in range(0, len(s.curve) - 1, 3)]
    kinds = [LINE if _is_line(c) else CUBIC for c in new]
    return np.concatenate([control[keep], np.reshape(new, (-1, 4, 2))]), np.r_[
        kind[keep], np.array(kinds, np.int8)
    ]


def nearest_on(control: Float, place: tuple[float, float]) -> tuple[int, float, float]:
    """The curve nearest to a place, the parameter there, and the distance.

    Parameters
    ----------
    control : ndarray, (S, 4, 2), float64
    place : (float, float)
        mm.
    """
    low, high = control.min(1), control.max(1)
    away = np.hypot(*np.maximum(np.maximum(low - place, place - high), 0).T)
    best = (0, 0.5, math.inf)
    t = np.linspace(0, 1, 25)
    for k in np.argsort(away, kind="stable").tolist():
        if away[k] >= best[2]:
            break
        d = np.hypot(*(bezier(np.repeat(control[k][None], len(t), 0), t) - place).T)
        i = int(np.argmin(d))
        if d[i] < best[2]:
            best = (k, float(t[i]), float(d[i]))
    return best


def _is_line(c: Float) -> bool:
    return bool(np.allclose(c, line_controls(c[None, 0], c[None, 3])[0], atol=1e-9))


def _each(changed: dict[int, Float]) -> list[Stretch]:
    return [Stretch((piece,), c) for piece, c in changed.items()]


def _from(node: Node, way: complex) -> tuple[float, float]:
    """Where a way leads from a node."""
    return node.place[0] + way.real, node.place[1] + way.imag


def _beside(end: int) -> int:
    """Index of the handle at an end."""
    return 1 if end == 0 else 2


def _leaving(control: Float, piece: int, end: int) -> complex:
    """The way from a node to a curve's handle there.

    Where it lies in the node, to the next point that does not.
    """
    c = control[piece] if end == 0 else control[piece][::-1]
    for p in c[1:]:
        way = complex(*(p - c[0]))
        if abs(way) > 1e-9:
            return way
    return 0j


def _chord(control: Float, piece: int, end: int) -> complex:
    return complex(*(control[piece, 3 - end] - control[piece, end])) or 1e-9 + 0j


def _angle(a: complex, b: complex) -> float:
    return math.atan2((b * a.conjugate()).imag, (b * a.conjugate()).real)
