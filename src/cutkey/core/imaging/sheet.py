"""A sheet of paper found in a photograph of it."""

from __future__ import annotations

from itertools import combinations
from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import F32, U8, Float
from cutkey.core.imaging.size import at_most

#: It is looked for at this size, px along the longer side, and its sides are measured at that one.
_SIDE, _FINE = 480, 1600
#: A piece of a side is at least so long, as a share of the picture; so many lines are tried.
_SHORT, _LINES = 0.07, 16
#: Pieces within this angle, radians, and this distance, as a share of the picture, are of one line.
_TURN, _OFF = 0.045, 0.012
#: Opposite sides differ by at most this angle, neighbours by at least that one, radians.
_OPPOSITE, _CORNER = 0.6, 0.8
#: The sheet covers at least so much of the picture and at most so much; a corner may lie so far outside of
#: it.
_LEAST, _MOST, _OUTSIDE = 0.08, 0.97, 0.08
#: So much of the sides must be seen, of the worst one at least so much: a finger or a shadow may hide the
#: rest.
_SEEN, _WORST = 0.75, 0.4
#: The sheet is so much lighter than what is beside it, levels.
_LIGHTER = 10.0
#: No more than this of what is beside it is as light as itself.
_LIKE = 0.35
#: Nothing is a side within this share of the picture from its border.
_BORDER = 0.01
#: Places that are looked at along a side.
_PLACES = 48


class Sheet(NamedTuple):
    """A sheet in a picture."""

    corners: Float  # (4, 2) fractions of the picture, clockwise from the upper left one
    seen: float  # share of its sides that can be seen


def find_sheet(rgb: U8) -> Sheet | None:
    """Return the sheet of paper in a photograph, or None where none can be told.

    Straight pieces of edges are joined to lines. Of all quadrilaterals of four lines the one is taken whose
    sides are seen best: along a side the picture is lighter inside. So a sheet is found whose outline is
    open, because a finger, a shadow or another sheet hides a part of it. Its sides are then measured again on
    the larger picture.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    h, w = rgb.shape[:2]
    small = at_most(rgb, _SIDE)
    grey = np.asarray(cv2.GaussianBlur(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), (0, 0), 1.2), np.float32)
    lines = _lines(grey)
    best, found = 0.0, None
    size = np.array([grey.shape[1], grey.shape[0]], float)
    for corners in _quads(lines, size):
        share, worst = _support(grey, corners)
        area = abs(_area(corners)) / float(size.prod())
        if share < _SEEN or worst < _WORST or _on_its_like(grey, corners):
            continue
        # Of two that are seen as well the larger: a frame drawn on the sheet is no sheet.
        score = share**2 * area**0.2
        if score > best:
            best, found = score, (corners, share)
    if found is None:
        return None
    fine = at_most(rgb, _FINE)
    scale = fine.shape[1] / grey.shape[1]
    bright = np.asarray(cv2.GaussianBlur(cv2.cvtColor(fine, cv2.COLOR_RGB2GRAY), (0, 0), 1.2), np.float32)
    corners = _refined(bright, found[0] * scale)
    corners = np.clip(corners / [fine.shape[1], fine.shape[0]], 0, 1)
    return Sheet(_from_upper_left(corners * [w, h]) / [w, h], found[1])


def _lines(grey: F32) -> Float:
    """Lines of straight pieces of edges, the one with the most pieces first: (N, 3), normal and distance."""
    longest = max(grey.shape)
    edges = cv2.Canny(grey.astype(np.uint8), 20, 60)
    found = cv2.HoughLinesP(edges, 1, np.pi / 360, 25, None, _SHORT * longest, 0.02 * longest)
    if found is None:
        return np.zeros((0, 3))
    p = np.asarray(found, float).reshape(-1, 4)
    d = p[:, 2:] - p[:, :2]
    length = np.hypot(*d.T)
    normal = np.c_[-d[:, 1], d[:, 0]] / length[:, None]
    normal *= np.where((normal[:, 0] < 0) | ((normal[:, 0] == 0) & (normal[:, 1] < 0)), -1, 1)[:, None]
    away = (normal * (p[:, :2] + p[:, 2:]) / 2).sum(1)
    middle = (p[:, :2] + p[:, 2:]) / 2
    left = np.argsort(-length).tolist()
    out: list[tuple[float, ...]] = []
    while left and len(out) < _LINES:
        k = left[0]
        near = [
            i
            for i in left
            if abs(normal[i] @ normal[k]) > np.cos(_TURN)
            and abs(normal[k] @ middle[i] - away[k]) < _OFF * longest
        ]
        out.append((float(length[near].sum()), *normal[k].tolist(), float(away[k])))
        left = [i for i in left if i not in near]
    return np.array(sorted(out, reverse=True))[:, 1:].reshape(-1, 3)


def _quads(lines: Float, size: Float) -> list[Float]:
    """Convex quadrilaterals of four lines, (4, 2), that may be a sheet seen at an angle."""
    pairs = [
        (i, j)
        for i, j in combinations(range(len(lines)), 2)
        if abs(lines[i, :2] @ lines[j, :2]) > np.cos(_OPPOSITE)
    ]
    out = []
    for (a, b), (c, d) in combinations(pairs, 2):
        if len({a, b, c, d}) < 4 or abs(lines[a, :2] @ lines[c, :2]) > np.cos(_CORNER):
            continue
        corners = [_crossing(lines[i], lines[j]) for i, j in ((a, c), (c, b), (b, d), (d, a))]
        if any(p is None for p in corners):
            continue
        quad = np.array(corners)
        inside = ((quad > -_OUTSIDE * size) & (quad < (1 + _OUTSIDE) * size)).all()
        share = abs(_area(quad)) / float(size.prod())
        if inside and _LEAST < share < _MOST and _is_convex(quad):
            out.append(quad)
    return out


def _crossing(one: Float, other: Float) -> Float | None:
    m = np.array([one[:2], other[:2]])
    return None if abs(np.linalg.det(m)) < 1e-6 else np.linalg.solve(m, np.array([one[2], other[2]]))


def _area(quad: Float) -> float:
    x, y = quad.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def _is_convex(quad: Float) -> bool:
    d = np.roll(quad, -1, 0) - quad
    turn = d[:, 0] * np.roll(d[:, 1], -1) - d[:, 1] * np.roll(d[:, 0], -1)
    return bool((turn > 0).all() or (turn < 0).all())


def _support(grey: F32, quad: Float) -> tuple[float, float]:
    """Share of the sides along which the picture is lighter inside, and that of the worst side."""
    place, inwards = _along(quad)
    step = 0.008 * max(grey.shape)
    inner, outer = (_values(grey, place + k * step * inwards) for k in (1.0, -1.0))
    # The picture's own border is no side of a sheet.
    edge = np.array([grey.shape[1], grey.shape[0]]) * _BORDER
    within = ((place > edge) & (place < np.array([grey.shape[1], grey.shape[0]]) - edge)).all(1)
    seen = ((inner - outer > _LIGHTER) & within).reshape(4, -1).mean(1)
    return float(seen.mean()), float(seen.min())


def _on_its_like(grey: F32, quad: Float) -> bool:
    """Whether much of what is round it is as light as what is in it: then it is a frame on a sheet."""
    inside = np.zeros(grey.shape, np.uint8)
    cv2.fillConvexPoly(inside, np.round(quad).astype(np.int32), 1)
    within, without = grey[inside > 0], grey[inside == 0]
    if not len(within) or not len(without):
        return False
    paper = float(np.percentile(within, 80))
    return float((np.abs(without - paper) < _LIGHTER).mean()) > _LIKE


def _along(quad: Float) -> tuple[Float, Float]:
    """Places along the sides, (4 N, 2), and the way inwards at each."""
    t = (np.arange(_PLACES) + 0.5) / _PLACES
    nxt = np.roll(quad, -1, 0)
    place = quad[:, None] + t[None, :, None] * (nxt - quad)[:, None]
    d = (nxt - quad) / np.linalg.norm(nxt - quad, axis=1, keepdims=True)
    inwards = np.c_[-d[:, 1], d[:, 0]] * np.sign(_area(quad))
    return place.reshape(-1, 2), np.repeat(inwards, _PLACES, 0)


def _values(grey: F32, at: Float) -> Float:
    p = at.astype(np.float32) - 0.5
    return np.asarray(
        cv2.remap(grey, p[:, :1], p[:, 1:], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), float
    ).ravel()


def _refined(grey: F32, quad: Float) -> Float:
    """The corners where lines through the steepest places along the sides meet."""
    for reach in (0.012, 0.005):
        place, inwards = _along(quad)
        off = np.arange(-1, 1.01, 0.05) * reach * max(grey.shape)
        profile = np.stack([_values(grey, place + k * inwards) for k in off], 1)
        steep = np.diff(profile, axis=1)
        at = steep.argmax(1)
        sure = steep.max(1) > 2.0
        edge = place + ((off[at] + off[at + 1]) / 2)[:, None] * inwards
        lines = []
        for k in range(4):
            mine = slice(k * _PLACES, (k + 1) * _PLACES)
            lines.append(_fitted(edge[mine][sure[mine]], quad[k], np.roll(quad, -1, 0)[k]))
        corners = [_crossing(lines[k - 1], lines[k]) for k in range(4)]
        if any(c is None for c in corners):
            return quad
        quad = np.array(corners)
    return quad


def _fitted(points: Float, first: Float, last: Float) -> Float:
    """The line through most of some points, normal and distance; where they are few, through two corners."""
    p = points if len(points) >= _PLACES // 4 else np.array([first, last])
    for _ in range(4):
        middle = p.mean(0)
        normal = np.linalg.svd(p - middle)[2][1]
        off = np.abs((p - middle) @ normal)
        keep = off <= max(1.0, 2.0 * float(np.median(off)))
        if keep.all() or keep.sum() < 4:
            break
        p = p[keep]
    return np.array([*normal, normal @ middle])


def _from_upper_left(corners: Float) -> Float:
    """Clockwise as seen, from the one nearest to the upper left."""
    if _area(corners) < 0:
        corners = corners[::-1]
    return np.roll(corners, -int(np.argmin(corners.sum(1))), 0)
