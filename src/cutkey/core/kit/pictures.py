"""Pictures of what is printed, in the colours of the filaments and with drawn edges.

For the sheet, and as thumbnail of a file.

Triangles are filled row by row and the nearest is kept (a z-buffer), all of them in whole arrays.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import rgb_of
from cutkey.core.geometry.arrays import F32, I32, U8, Float, Int
from cutkey.core.geometry.mesh import Mesh, face_normals

#: Light comes from the upper left of whoever looks.
_LIGHT = np.array([-0.35, 0.45, 0.82]) / np.linalg.norm([-0.35, 0.45, 0.82])
#: Pixels that a pixel of the picture is drawn with, a side; and how many are filled in one go.
_FINE, _MOST = 2, 4_000_000
#: Neighbouring pixels whose normals differ more than this (as a cosine), or whose depths do by so many px,
#: have an edge between them.
_BENT, _STEP = math.cos(math.radians(30)), 6.0
_INK = np.array([30, 42, 51], np.uint8)


class View(NamedTuple):
    """From where one looks, degrees: turned about z, and tilted up from the front."""

    turn: float = 0.0
    tilt: float = 90.0

    @property
    def axes(self) -> Float:
        """(3, 3): right, up, and towards whoever looks, in the design."""
        a, t = math.radians(self.turn), math.radians(self.tilt)
        right = np.array([math.cos(a), math.sin(a), 0.0])
        up = np.array([-math.sin(a) * math.sin(t), math.cos(a) * math.sin(t), math.cos(t)])
        return np.stack([right, up, np.cross(right, up)])


ABOVE, AT_AN_ANGLE = View(), View(-28.0, 52.0)


class Picture(NamedTuple):
    """What was drawn."""

    rgba: U8  # (H, W, 4); transparent where there is nothing
    bodies: Int  # (H, W): number of the body that is seen, -1 for none


def picture_of(
    bodies: Sequence[tuple[Mesh, str]], size: tuple[int, int], view: View = ABOVE, margin: int = 4
) -> Picture:
    """A picture of bodies, as large as it may be.

    Parameters
    ----------
    bodies : sequence of (Mesh, str)
        With their colours.
    size : (int, int)
        Width and height of the picture, px.
    view : View
    margin : int
        Left free around, px.
    """
    wide, high = _FINE * max(1, size[0]), _FINE * max(1, size[1])
    if not bodies or min(size) <= 2 * margin:
        return Picture(np.zeros((size[1], size[0], 4), np.uint8), np.full((size[1], size[0]), -1, np.int64))
    axes = view.axes
    corners, normals, owner, paints = [], [], [], []
    for number, (mesh, colour) in enumerate(bodies):
        n, areas = face_normals(mesh)
        seen = (n @ axes[2] > 1e-3) & (areas > 0)
        corners.append((mesh.vertices @ axes.T)[mesh.triangles[seen]])
        normals.append(n[seen] @ axes.T)
        owner.append(np.full(int(seen.sum()), number))
        paints.append(_shaded(rgb_of(colour), normals[-1]))
    low = np.min([(m.vertices @ axes.T).min(0) for m, _ in bodies], axis=0)
    most = np.max([(m.vertices @ axes.T).max(0) for m, _ in bodies], axis=0)
    span = np.maximum(most - low, 1e-6)
    edge = _FINE * margin
    scale = min((wide - 2 * edge) / span[0], (high - 2 * edge) / span[1])
    shift = (np.array([wide, high]) - scale * span[:2]) / 2
    places = np.concatenate(corners)
    places = np.concatenate(
        [(places[:, :, :2] - low[:2]) * scale + shift, (places[:, :, 2:] - low[2]) * scale], axis=2
    )
    places[:, :, 1] = high - places[:, :, 1]
    nearest, depth = _nearest(places, wide, high)
    # What is nowhere, -1, takes the last row.
    of = np.append(np.concatenate(owner), -1)
    rgb = np.concatenate([*paints, np.zeros((1, 3))]).astype(np.uint8)[nearest]
    rgb[_edges(nearest, depth, of, np.concatenate([*normals, np.zeros((1, 3))]))] = _INK
    alpha = cv2.resize(
        np.where(nearest >= 0, np.uint8(255), np.uint8(0)), (size[0], size[1]), interpolation=cv2.INTER_AREA
    )
    small = cv2.resize(rgb, (size[0], size[1]), interpolation=cv2.INTER_AREA)
    rim = (alpha > 0) & (alpha < 255)
    small[rim] = np.clip(
        small[rim].astype(float) * (255.0 / alpha[rim].astype(float))[:, None], 0, 255
    ).round()
    return Picture(np.dstack([small, alpha]), of[nearest[::_FINE, ::_FINE]])


def _nearest(places: Float, wide: int, high: int) -> tuple[I32, F32]:
    """(H, W): number of the nearest triangle of each pixel, -1 for none, and its depth.

    `places` are (T, 3, 3), px.
    """
    # Half as many bytes are half the time: a pixel is a hundred thousand times as large as what is rounded.
    nearest = np.full(wide * high, -1, np.int32)
    depth = np.full(wide * high, -np.inf, np.float32)
    a, b, c = places[:, 0], places[:, 1], places[:, 2]
    # Depth as a plane over the picture.
    det = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    det = np.where(np.abs(det) < 1e-12, 1e-12, det)
    dx = ((b[:, 2] - a[:, 2]) * (c[:, 1] - a[:, 1]) - (c[:, 2] - a[:, 2]) * (b[:, 1] - a[:, 1])) / det
    dy = ((b[:, 0] - a[:, 0]) * (c[:, 2] - a[:, 2]) - (c[:, 0] - a[:, 0]) * (b[:, 2] - a[:, 2])) / det
    first = np.ceil(places[:, :, 1].min(1) - 0.5).astype(np.int64).clip(0, high)
    last = np.floor(places[:, :, 1].max(1) - 0.5).astype(np.int64).clip(-1, high - 1)
    rows = np.maximum(last - first + 1, 0)
    corners = [(p[:, 0].astype(np.float32), p[:, 1].astype(np.float32)) for p in (a, b, c)]
    start = 0
    while start < len(rows):
        # As many triangles as make so many rows.
        end = start + max(1, int(np.searchsorted(np.cumsum(rows[start:]), _MOST // 16)))
        t = np.repeat(np.arange(start, min(end, len(rows)), dtype=np.int32), rows[start:end])
        y = first[t] + _counting(rows[start:end])
        left, right = _spans(corners, t, y.astype(np.float32) + 0.5)
        x0 = np.ceil(left - 0.5).clip(0, wide).astype(np.int64)
        count = np.maximum(np.ceil(right - 0.5).clip(0, wide).astype(np.int64) - x0, 0)
        begin = 0
        while begin < len(count):
            stop = begin + max(1, int(np.searchsorted(np.cumsum(count[begin:]), _MOST)))
            some = slice(begin, stop)
            # Along a row only what goes from pixel to pixel changes.
            of, wide_of = t[some], count[some]
            begins = a[of, 2] + dx[of] * (x0[some] + 0.5 - a[of, 0]) + dy[of] * (y[some] + 0.5 - a[of, 1])
            step = _counting(wide_of)
            n, pixel = (
                np.repeat(of, wide_of),
                np.repeat((y[some] * wide + x0[some]).astype(np.int32), wide_of) + step,
            )
            z = np.repeat(begins.astype(np.float32), wide_of) + np.repeat(
                dx[of].astype(np.float32), wide_of
            ) * step.astype(np.float32)
            better = z > depth[pixel]
            pixel, z, n = pixel[better], z[better], n[better]
            order = np.argsort(z, kind="stable")
            nearest[pixel[order]], depth[pixel[order]] = n[order], z[order]
            begin = stop
        start = end
    return nearest.reshape(high, wide), depth.reshape(high, wide)


def _counting(counts: Int) -> Int:
    """0, 1, 2 ... for each count, one after the other."""
    total = np.cumsum(counts)
    return np.asarray(
        np.arange(int(total[-1]) if len(total) else 0, dtype=np.int32)
        - np.repeat((total - counts).astype(np.int32), counts)
    )


def _spans(corners: Sequence[tuple[F32, F32]], t: I32, y: F32) -> tuple[F32, F32]:
    """From where to where rows cross triangles `t`, px; `corners` are the three of each, across and down."""
    one = np.float32(1)
    left, right = np.full(len(y), np.inf, np.float32), np.full(len(y), -np.inf, np.float32)
    own = [(x[t], z[t]) for x, z in corners]
    for (px, py), (qx, qy) in ((own[0], own[1]), (own[1], own[2]), (own[2], own[0])):
        crossed = (py <= y) != (qy <= y)
        x = px + (y - py) / np.where(crossed, qy - py, one) * (qx - px)
        np.minimum(left, x, out=left, where=crossed)
        np.maximum(right, x, out=right, where=crossed)
    seen = left <= right
    return np.where(seen, left, np.float32(0)), np.where(seen, right, np.float32(0))


def _edges(nearest: I32, depth: F32, of: Int, normals: Float) -> NDArray[np.bool_]:
    """(H, W): pixels at an edge of a body, at a sharp bend, or where one thing stands before another."""
    high, wide = nearest.shape
    out = np.zeros(high * wide, bool)
    flat, deep = nearest.ravel(), depth.ravel()
    steep = np.hypot(normals[:, 0], normals[:, 1]) / np.maximum(normals[:, 2], 1e-3)
    for step, unlike in ((wide, nearest[1:] != nearest[:-1]), (1, nearest[:, 1:] != nearest[:, :-1])):
        rows, columns = np.nonzero(unlike)
        back = rows * wide + columns
        ahead = back + step
        a, b = flat[ahead], flat[back]
        both = (a >= 0) & (b >= 0)
        # What is seen at a grazing angle goes far back from one pixel to the next without a step.
        with np.errstate(invalid="ignore"):
            stepped = np.abs(deep[ahead] - deep[back]) > _STEP + 2 * np.maximum(steep[a], steep[b])
        bent = np.einsum("ij,ij->i", normals[a], normals[b]) < _BENT
        edge = (of[a] != of[b]) | (both & (stepped | bent))
        out[back[edge & (b >= 0)]] = True
        out[ahead[edge & (b < 0)]] = True
    return out.reshape(high, wide)


def _shaded(rgb: Sequence[int], normals: Float) -> Float:
    bright = 0.62 + 0.38 * np.clip(normals @ _LIGHT, 0, 1) / _LIGHT[2]
    return np.asarray(np.clip(np.array(rgb, float)[None, :] * bright[:, None], 0, 255))


def png_of(picture: U8) -> bytes:
    """A picture as PNG.

    Parameters
    ----------
    picture : ndarray, (H, W, 4), uint8
        Red, green, blue and alpha.
    """
    return bytes(cv2.imencode(".png", cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA))[1])
