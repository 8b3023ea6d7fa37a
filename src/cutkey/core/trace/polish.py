"""Boundaries whose painting differs from the picture are bent until the two agree."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, diags
from scipy.sparse.linalg import spsolve

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import CUBIC, LINE, Pieces, bezier, line_controls, points_of
from cutkey.core.picture.labels import spread
from cutkey.core.trace.arcs import Network
from cutkey.core.trace.deviation import deviation
from cutkey.core.trace.faces import crossing_arcs
from cutkey.core.trace.openings import opened
from cutkey.core.trace.render import render_arcs

#: Distance, px, between trace and picture from which a boundary is bent.
OFF = 0.1
#: Grey levels that areas may differ from their colour by; in noise the last tenths of a pixel mean nothing.
NOISE = 3.0
#: Measured points above which a picture is so large that a pixel's part at a notch no longer shows.
MOST_POINTS = 1200
_ROUNDS = 12
_DONE = 0.99  # share of the misfit left after a round from which another is not worth while
_EXPLAINED = 0.7  # share of a chain's misfit that may be left when it is bent
_STEP = 0.5  # longest move in one round, px
_HOLD, _LEAST_HOLD = 0.02, 0.002  # against moves that the picture says nothing about
_SMOOTH = 5.0  # against turning the handles at smooth joints


class _Bent(NamedTuple):
    """The pieces to bend: piece ``k`` runs from knot ``begin[k]`` to ``end[k]``."""

    begin: Int
    end: Int
    straight: Bool
    knot: Float  # (N, 2)
    handle: Float  # (S, 2, 2) from its own knot
    fixed: Bool  # (N,) knots that other chains end at
    stiff: Bool  # (S, 2) handles that keep their direction
    chain: Int

    def controls(self) -> Float:
        a, b = self.knot[self.begin], self.knot[self.end]
        third = (b - a)[:, None] * np.array([[1 / 3], [-1 / 3]])
        handle = np.where(self.straight[:, None, None], third, self.handle)
        return np.stack([a, a + handle[:, 0], b + handle[:, 1], b], 1)

    def kind(self) -> NDArray[np.int8]:
        return np.where(self.straight, LINE, CUBIC).astype(np.int8)


def polish(
    rgb: NDArray[np.uint8],
    left: Float,
    right: Float,
    inner: Bool,
    closed: Bool,
    network: Network,
    flatness: float,
) -> Network:
    """Bend the chains that lie beside the picture's edges, by least squares on the pixels they pass through.

    Parameters
    ----------
    rgb : (H, W, 3) uint8
    left, right : (K, 3)
        Colour on either side of each chain.
    inner : (K,) bool
        Chains that may be bent.
    closed : (K,) bool
    network : Network
    flatness : float
        Largest distance, px, between a curve and the points that stand for it.
    """
    if not 0 < len(network.runs.points) <= MOST_POINTS:
        return network
    network = _uncrossed(network)
    if _noise(rgb, render_arcs(network.arcs, left, right, rgb.shape[:2])) > NOISE:
        return network
    # A place that is off may be a corner that was missed, or the spoilt tip of a sharp one; what agrees
    # better is right.
    cut = _bent_to(rgb, left, right, inner, closed, network, flatness, tips=False)
    tipped = _bent_to(rgb, left, right, inner, closed, network, flatness, tips=True)
    tipped = _bent_to(rgb, left, right, inner, closed, tipped, flatness, tips=False)
    off = [
        float((((rgb - render_arcs(n.arcs, left, right, rgb.shape[:2])) / 255) ** 2).sum())
        for n in (cut, tipped)
    ]
    return tipped if off[1] < off[0] else cut


def _noise(rgb: NDArray[np.uint8], painted: NDArray[np.float32]) -> float:
    """What nine in ten pixels away from any boundary differ by at most, grey levels."""
    level = np.clip(np.round(painted), 0, 255).astype(np.uint8)
    inner = cv2.dilate(spread(level), np.ones((3, 3), np.uint8)) == 0
    return float(np.percentile(np.abs(rgb[inner] - painted[inner]), 90)) if inner.any() else 0.0


def _bent_to(
    rgb: NDArray[np.uint8],
    left: Float,
    right: Float,
    inner: Bool,
    closed: Bool,
    network: Network,
    flatness: float,
    tips: bool,
) -> Network:
    found = deviation(rgb, network.arcs, left, right, inner)
    if found.most < OFF:
        return network
    bad = np.zeros(len(inner), bool)
    bad[found.owner[found.offs > OFF]] = True
    pieces, split = opened(
        network.pieces, bad, found.places.astype(float), found.offs.astype(float), found.owner, OFF, tips
    )
    bent = _knots(pieces, bad[pieces.chain], split, closed)
    shape = rgb.shape[:2]
    chains = np.flatnonzero(bad).tolist()

    def arcs_of(b: _Bent) -> list[Float]:
        arcs = list(network.arcs)
        drawn = points_of(Pieces(b.controls(), b.kind(), b.chain), flatness, len(bad))
        for k in chains:
            arcs[k] = drawn[k]
        return arcs

    def miss(arcs: list[Float]) -> Float:
        return np.asarray(rgb - render_arcs(arcs, left, right, shape), float) / 255

    before = miss(network.arcs)
    arcs = arcs_of(bent)
    least = miss(arcs)
    hold = _HOLD
    for _ in range(_ROUNDS):
        trial = _moved(bent, least, (left - right) / 255, hold)
        drawn = arcs_of(trial)
        now = miss(drawn)
        better = float((now**2).sum() / (least**2).sum())
        if better < 1 and not crossing_arcs(drawn, np.array(chains)):
            bent, least, arcs, hold = trial, now, drawn, max(hold / 2, _LEAST_HOLD)
            if better > _DONE:
                break
        else:
            hold *= 8
    # What bending cannot explain, as a third colour that shines through a seam, is no reason to bend.
    was, left_over = (_along(m, found.places, found.owner, len(bad)) for m in (before, least))
    kept = bad & (left_over < _EXPLAINED * was)
    arcs = [a if yes else old for a, old, yes in zip(arcs, network.arcs, kept, strict=True)]
    if not kept.any() or crossing_arcs(arcs, np.flatnonzero(kept)):
        return network
    took, old = kept[bent.chain], ~kept[network.pieces.chain]
    control = np.concatenate([network.pieces.control[old], bent.controls()[took]])
    kind, chain = (
        np.r_[network.pieces.kind[old], bent.kind()[took]],
        np.r_[network.pieces.chain[old], bent.chain[took]],
    )
    order = np.argsort(chain, kind="stable")
    return network._replace(arcs=arcs, pieces=Pieces(control[order], kind[order], chain[order]))


def _along(miss: Float, places: NDArray[np.float32], owner: Int, chains: int) -> Float:
    """Squared misfit of the pixels along each chain, (K,)."""
    h, w = miss.shape[:2]
    around = cv2.boxFilter((miss**2).sum(2), -1, (3, 3), normalize=False)
    x, y = np.clip(places.astype(np.int64), 0, [w - 1, h - 1]).T
    return np.asarray(np.bincount(owner, around[y, x], chains), float)


def _uncrossed(network: Network) -> Network:
    """The network with chains that cross led straight from node to node."""
    crossing = crossing_arcs(network.arcs)
    if not crossing:
        return network
    arcs, pieces = list(network.arcs), network.pieces
    keep = ~np.isin(pieces.chain, list(crossing))
    control, kind, chain = [pieces.control[keep]], [pieces.kind[keep]], [pieces.chain[keep]]
    for k in crossing:
        arcs[k] = a = network.through_nodes(k)
        control.append(line_controls(a[:-1], a[1:]))
        kind.append(np.full(len(a) - 1, LINE, np.int8))
        chain.append(np.full(len(a) - 1, k))
    order = np.argsort(np.concatenate(chain), kind="stable")
    return network._replace(
        arcs=arcs,
        pieces=Pieces(
            np.concatenate(control)[order], np.concatenate(kind)[order], np.concatenate(chain)[order]
        ),
    )


def _knots(pieces: Pieces, mine: Bool, split: Bool, closed: Bool) -> _Bent:
    control, chain, straight, cut = (
        pieces.control[mine],
        pieces.chain[mine],
        pieces.kind[mine] == LINE,
        split[mine],
    )
    n = len(chain)
    first = np.r_[True, chain[1:] != chain[:-1]]
    last = np.r_[first[1:], True]
    # One knot before each piece, and one after the last of an open chain.
    opened = last & ~closed[chain]
    begin = np.arange(n) + np.r_[0, np.cumsum(opened)[:-1]]
    start_of = begin[np.flatnonzero(first)][np.cumsum(first) - 1]
    end = np.where(last, np.where(opened, begin + 1, start_of), begin + 1)
    knot = np.zeros((n + int(opened.sum()), 2))
    knot[end], knot[begin] = control[:, 3], control[:, 0]
    fixed = np.zeros(len(knot), bool)
    fixed[begin[first & ~closed[chain]]] = fixed[end[opened]] = True
    handle = np.stack([control[:, 1] - control[:, 0], control[:, 2] - control[:, 3]], 1)
    arrive, leave, corner = np.zeros((len(knot), 2)), np.zeros((len(knot), 2)), np.zeros(len(knot), bool)
    arrive[end], leave[begin] = -handle[:, 1], handle[:, 0]
    corner[begin[cut]] = True
    cross = arrive[:, 0] * leave[:, 1] - arrive[:, 1] * leave[:, 0]
    smooth = (
        ~corner
        & (np.abs(cross) < 0.06 * np.hypot(*arrive.T) * np.hypot(*leave.T))
        & ((arrive * leave).sum(1) > 0)
    )
    return _Bent(begin, end, straight, knot, handle, fixed, np.stack([smooth[begin], smooth[end]], 1), chain)


def _moved(b: _Bent, miss: Float, jump: Float, hold: float) -> _Bent:
    """One Gauss-Newton step.

    Moving a boundary by d recolours d times its length of pixels by the jump across it.

    Unknowns are the moves of the knots, which take their handles along, and of the handles.
    """
    h, w, channels = miss.shape
    control = b.controls()
    length = np.hypot(*np.moveaxis(np.diff(control, axis=1), 2, 0)).sum(1)
    n = np.maximum(2, np.ceil(length / 0.2)).astype(np.int64)
    k = np.repeat(np.arange(len(n)), n)
    t = (np.arange(len(k)) - np.repeat(np.cumsum(n) - n, n) + 0.5) / n[k]
    q = bezier(control[k], t)
    s = 1 - t
    d1 = np.diff(control, axis=1)[k] * 3
    speed = (s * s)[:, None] * d1[:, 0] + (2 * s * t)[:, None] * d1[:, 1] + (t * t)[:, None] * d1[:, 2]
    # To the right of the walk, y down: there the left colour gains.
    normal = np.stack([-speed[:, 1], speed[:, 0]], 1) / n[k][:, None]
    b0, b1, b2, b3 = s**3, 3 * s * s * t, 3 * s * t * t, t**3
    line = b.straight[k]
    weights = np.stack(
        [
            np.where(line, s, b0 + b1),
            np.where(line, t, b2 + b3),
            np.where(line, 0, b1),
            np.where(line, 0, b2),
        ],
        1,
    )
    knots = len(b.knot)
    columns = np.stack([b.begin[k], b.end[k], knots + 2 * k, knots + 2 * k + 1], 1)
    x, y = np.clip(q[:, 0].astype(np.int64), 0, w - 1), np.clip(q[:, 1].astype(np.int64), 0, h - 1)
    moved = weights[:, :, None] * normal[:, None]  # (Q, 4, 2)
    value = moved[..., None] * jump[b.chain[k]][:, None, None]  # (Q, 4, 2, C)
    row = ((y * w + x) * channels)[:, None, None, None] + np.arange(channels) + 0 * value.astype(np.int64)
    column = (2 * columns[:, :, None] + np.arange(2))[..., None] + 0 * row
    unknowns = 2 * (knots + 2 * len(b.begin))
    j = coo_matrix((value.ravel(), (row.ravel(), column.ravel())), (miss.size, unknowns)).tocsr()
    normal_matrix = j.T @ j
    # Handles at smooth joints keep their direction; ends that other chains share stay.
    weight = np.full(unknowns, hold)
    fixed = 2 * np.flatnonzero(b.fixed)
    weight[np.r_[fixed, fixed + 1]] = 1e6
    stiff = np.flatnonzero(b.stiff.ravel())
    across = b.handle.reshape(-1, 2)[stiff]
    across = np.stack([-across[:, 1], across[:, 0]], 1) / np.maximum(np.hypot(*across.T), 1e-9)[:, None]
    at = 2 * (knots + stiff)
    rows = np.concatenate([at, at, at + 1, at + 1])
    cols = np.concatenate([at, at + 1, at, at + 1])
    values = _SMOOTH * np.concatenate(
        [across[:, 0] ** 2, across[:, 0] * across[:, 1], across[:, 0] * across[:, 1], across[:, 1] ** 2]
    )
    kept = coo_matrix((values, (rows, cols)), (unknowns, unknowns))
    step = spsolve((normal_matrix + diags(weight) + kept).tocsc(), j.T @ miss.ravel())
    step = np.clip(step, -_STEP, _STEP).reshape(-1, 2)
    step[np.flatnonzero(b.fixed)] = 0
    return b._replace(knot=b.knot + step[:knots], handle=b.handle + step[knots:].reshape(-1, 2, 2))
