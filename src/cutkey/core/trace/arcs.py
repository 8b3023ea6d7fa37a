"""Arcs: the chains of the lattice moved to where the picture says the boundary is."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.trace.corners import Line, fit_line, sharpen
from cutkey.core.trace.lattice import Chains, Lattice
from cutkey.core.trace.offsets import crack_offsets

Float = NDArray[np.float64]
Int = NDArray[np.int64]

#: Largest distance, px, between an arc's points and the straight pieces that replace them.
TOLERANCE = 0.05
#: A junction moves at most this far, px, from its lattice place.
JUNCTION_REACH = 2.0
#: A loop of so few cracks that hangs on one junction (a pixel touching its like by a corner) keeps its pixel edges.
SMALL_LOOP = 8


class Network(NamedTuple):
    """The lattice's chains and their arcs; both neighbours of an arc use the same points."""

    arcs: list[Float]  # (N, 2) points each; a closed arc repeats its first point
    pixel_arcs: list[Float]  # the same chains along the pixel edges: always a valid partition


def build_network(
    rgb: NDArray[np.uint8], labels: NDArray[np.int32], palette: NDArray[np.uint8], lattice: Lattice, chains: Chains
) -> Network:
    """Place every chain to sub-pixel accuracy, sharpen its corners, settle junctions, drop needless points."""
    h, w = labels.shape
    row = w + 1
    vertices = np.stack([np.arange((h + 1) * row) % row, np.arange((h + 1) * row) // row], 1).astype(float)
    border = (lattice.left[chains.cracks] < 0) | (lattice.left[chains.cracks ^ 1] < 0)
    middle = _crack_points(rgb, labels, palette, lattice, chains.cracks, vertices)
    main = _along_main_axis(lattice, chains, vertices)

    lattice_points: list[Float] = []
    points: list[Float] = []
    flags: list[NDArray[np.bool_]] = []
    line_ends: dict[int, list[Line]] = {}
    pinned: set[int] = set()
    for k in range(len(chains)):
        run = slice(chains.first[k], chains.first[k + 1])
        cracks = chains.cracks[run]
        xy = vertices[np.r_[lattice.start[cracks], lattice.end[cracks[-1]]]]
        lattice_points.append(_drop_straight(xy))
        if border[chains.first[k]]:
            p = lattice_points[-1][:-1] if chains.closed[k] else lattice_points[-1]
            flag = np.ones(len(p), bool)
        else:
            p = middle[run][main[run]]
            p, flag = sharpen(p, bool(chains.closed[k]))
            if chains.closed[k] and len(p) < 3:
                p, flag = xy[:-1], np.ones(len(xy) - 1, bool)
            if not chains.closed[k]:
                begin, finish = int(lattice.start[cracks[0]]), int(lattice.end[cracks[-1]])
                if begin == finish and len(cracks) <= SMALL_LOOP:
                    pinned.add(begin)
                for vertex, arm in ((begin, p[1:8]), (finish, p[::-1][1:8])):
                    lines = line_ends.setdefault(vertex, [])
                    if len(arm) >= 4:
                        line = fit_line(arm)
                        if line.rms < 0.15:
                            lines.append(line)
        points.append(p)
        flags.append(flag)

    junctions = {v: _settle(vertices[v], lines, w, h) for v, lines in line_ends.items() if v not in pinned}
    arcs: list[Float] = []
    for k in range(len(chains)):
        cracks = chains.cracks[chains.first[k] : chains.first[k + 1]]
        p, flag = points[k], flags[k]
        if chains.closed[k]:
            arcs.append(_thin_out(p, flag, closed=True))
            continue
        a, b = (int(v) for v in (lattice.start[cracks[0]], lattice.end[cracks[-1]]))
        pa, pb = junctions.get(a, vertices[a]), junctions.get(b, vertices[b])
        if a == b and len(cracks) <= SMALL_LOOP:
            arcs.append(lattice_points[k])
            continue
        if border[chains.first[k]]:
            inner, kept = p[1:-1], flag[1:-1]
        else:
            far = (np.hypot(*(p - pa).T) > 1.3) & (np.hypot(*(p - pb).T) > 1.3) | flag
            inner, kept = p[far], flag[far]
        arcs.append(_thin_out(np.concatenate([[pa], inner, [pb]]), np.r_[True, kept, True], closed=False))
    return Network(arcs, lattice_points)


def _crack_points(
    rgb: NDArray[np.uint8], labels: NDArray[np.int32], palette: NDArray[np.uint8], lattice: Lattice, cracks: Int, vertices: Float
) -> Float:
    """Middle of each crack, displaced along its normal to the boundary."""
    ids = cracks >> 1
    flat = ids < lattice.horizontal
    origin = vertices[lattice.start[ids * 2]].astype(np.int64)
    x, y = origin.T
    offset = np.zeros(len(ids))
    inner = (lattice.left[cracks] >= 0) & (lattice.left[cracks ^ 1] >= 0)
    pixels, colours = rgb.astype(np.float32), palette.astype(np.float32)
    for chosen, dy, dx in ((np.nonzero(inner & flat)[0], 1, 0), (np.nonzero(inner & ~flat)[0], 0, 1)):
        if len(chosen):
            offset[chosen] = crack_offsets(pixels, labels, colours, y[chosen] - dy, x[chosen] - dx, dy, dx)
    return np.where(flat[:, None], np.stack([x + 0.5, y + offset], 1), np.stack([x + offset, y + 0.5], 1))


def _along_main_axis(lattice: Lattice, chains: Chains, vertices: Float, reach: int = 4) -> NDArray[np.bool_]:
    """Cracks that run along the direction of their chain; only those measure the boundary well."""
    lengths = np.diff(chains.first)
    chain = np.repeat(np.arange(len(chains)), lengths)
    begin, count = chains.first[:-1][chain], lengths[chain]
    at = np.arange(len(chain)) - begin
    k = np.minimum(reach, np.maximum(1, count // 2))
    closed = chains.closed[chain]
    before = np.where(closed, (at - k) % count, np.maximum(at - k, 0))
    after = np.where(closed, (at + k) % count, np.minimum(at + k, count - 1))
    d = np.abs(vertices[lattice.end[chains.cracks[begin + after]]] - vertices[lattice.start[chains.cracks[begin + before]]])
    flat = (chains.cracks >> 1) < lattice.horizontal
    main = np.where(flat, d[:, 0] >= d[:, 1], d[:, 1] >= d[:, 0])
    enough = np.bincount(chain, main, len(chains)) >= np.where(chains.closed, 3, 1)
    return main | ~enough[chain]


def _settle(place: Float, lines: list[Line], w: int, h: int) -> Float:
    """Least-squares meeting point of the lines that run into a junction; on the picture's border it stays there."""
    if not lines:
        return place
    matrix = 0.02 * np.eye(2)
    right = matrix @ place
    for line in lines:
        normal = np.array([-line.direction[1], line.direction[0]])
        matrix = matrix + np.outer(normal, normal)
        right = right + normal * (normal @ line.centre)
    on = (place[0] in (0, w), place[1] in (0, h))
    moved = place.copy()
    if all(on):
        return place
    if any(on):
        fixed = 0 if on[0] else 1
        free = 1 - fixed
        moved[free] = (right[free] - matrix[free, fixed] * place[fixed]) / matrix[free, free]
    else:
        moved = np.linalg.solve(matrix, right).astype(float)
    return moved if np.hypot(*(moved - place)) <= JUNCTION_REACH else place


def _drop_straight(xy: Float) -> Float:
    """Points of a pixel-edge run where it turns, ends kept."""
    d = np.diff(xy, axis=0)
    keep = np.ones(len(xy), bool)
    keep[1:-1] = (d[1:] != d[:-1]).any(1)
    return xy[keep]


def _thin_out(points: Float, corner: NDArray[np.bool_], closed: bool) -> Float:
    """Drop points within `TOLERANCE` of the straight piece between those kept; corners and ends stay."""
    if closed:
        start = int(np.argmax(corner)) if corner.any() else 0
        points, corner = np.roll(points, -start, 0), np.roll(corner, -start)
        points, corner = np.concatenate([points, points[:1]]), np.r_[corner, True]
        if not corner[1:-1].any():
            # A ring without corners is halved, so that it can never collapse.
            third = len(points) // 3
            corner[[third, 2 * third]] = True
    corner[0] = corner[-1] = True
    at = np.nonzero(corner)[0]
    pieces = [points[:1]]
    for a, b in pairwise(at):
        if b > a + 1:
            pieces.append(shapely.get_coordinates(shapely.simplify(shapely.linestrings(points[a : b + 1]), TOLERANCE))[1:])
        else:
            pieces.append(points[b : b + 1])
    return np.concatenate(pieces)
