"""Arcs: the chains of the lattice moved to where the picture says the boundary is, as fitted curves."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Float, Int
from cutkey.core.geometry.pieces import LINE, Pieces, line_controls, points_of
from cutkey.core.trace.corners import Corners, Ground, find_corners
from cutkey.core.trace.fit import Sections, fit_sections
from cutkey.core.trace.junctions import settle
from cutkey.core.trace.lattice import Chains, Lattice
from cutkey.core.trace.runs import Runs, measure_runs

#: Least and most of the largest distance, px, between measured boundary points and the curve through them. In
#: between it is this many times the scatter of the points: following their scatter would only make it the
#: trace's own.
TOLERANCE = (0.09, 0.45)
_SCATTERS = 4.0
#: Scatter, px, from which the direction of the boundary is read over twice the length.
_ROUGH = 0.03
#: Measured points this near to a corner or junction, px, are spoilt by what lies beyond it.
SPOILT = 1.4
#: A loop of so few cracks that hangs on one junction (a pixel touching its like by a corner) keeps its pixel
#: edges.
SMALL_LOOP = 8


class Network(NamedTuple):
    """The lattice's chains as curves and as points; both neighbours of an arc use the same."""

    arcs: list[Float]  # (N, 2) points each; a closed arc repeats its first point
    pixel_arcs: list[Float]  # the same chains along the pixel edges: always a valid partition
    pieces: Pieces  # the curves the points were taken from
    runs: Runs  # the measured points
    nodes: Nodes  # what the curves were fitted to

    def through_nodes(self, chain: int) -> Float:
        """A chain as straight lines from node to node: not smooth, but it hardly ever crosses anything.

        Parameters
        ----------
        chain : int
            Its number.

        Returns
        -------
        ndarray, (N, 2), float64
            px.
        """
        a, b = np.searchsorted(self.nodes.chain, [chain, chain + 1])
        xy = self.nodes.xy[a:b]
        ring = len(xy) > 1 and np.array_equal(xy[0], xy[-1])
        # What has no nodes, or no inside, stays as it is.
        return xy if len(xy) > (3 if ring else 1) else self.arcs[chain]


class Nodes(NamedTuple):
    """What the curves are fitted to: knots (ends, corners, seams) and measured points between them."""

    xy: Float
    chain: Int
    knot: Bool
    smooth: Bool  # a seam: a knot where the curve goes on smoothly
    tangent: Float


def build_network(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.uint8],
    lattice: Lattice,
    chains: Chains,
    flatness: float = 0.01,
    local: NDArray[np.float32] | None = None,
) -> Network:
    """Place every chain to sub-pixel accuracy, find its corners, settle junctions and fit curves.

    For `local` see `crack_offsets`.

    `flatness` is the largest distance, px, between a curve and the points that stand for it.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    labels : ndarray, (H, W), int32
        Index into the palette, -1 for the background.
    palette : ndarray, (K, 3), uint8
    lattice, chains
        Of the labels.
    flatness : float
        Between curves and their chords, px.
    """
    h, w = labels.shape
    heads, tails = chains.cracks[chains.first[:-1]], chains.cracks[chains.first[1:] - 1]
    ends = np.stack([lattice.start[heads], lattice.end[tails]], 1)
    pixel_arcs = _pixel_arcs(lattice, chains)
    runs = measure_runs(rgb, labels, palette, lattice, chains, local)
    border = (lattice.left[heads] < 0) | (lattice.left[heads ^ 1] < 0)
    stuck = ~chains.closed & (ends[:, 0] == ends[:, 1]) & (np.diff(chains.first) <= SMALL_LOOP)
    places = settle(runs, ends, lattice.places(ends), (h, w), ends[stuck, 0])
    as_pixels = border | stuck | (chains.closed & (np.diff(runs.first) < 3))
    colours = palette.astype(np.float32)
    ground = Ground(rgb, colours[lattice.left[heads]], colours[lattice.left[heads ^ 1]])
    corners = find_corners(runs, ground)
    scatter = _scatter(runs)
    tangent, settled = _tangents(runs, np.arange(len(runs.points)), 6 if scatter > _ROUGH else 3)
    nodes = _nodes(runs, corners, places, as_pixels, tangent, settled)
    pieces = _fit(nodes, float(np.clip(_SCATTERS * scatter, *TOLERANCE)))
    pieces = _with_pixel_chains(pieces, pixel_arcs, places, as_pixels, chains.closed)
    arcs = points_of(pieces, flatness, len(chains))
    # A ring of two points has no inside.
    arcs = [
        q if closed and len(a) < 4 else a
        for a, q, closed in zip(arcs, pixel_arcs, chains.closed.tolist(), strict=True)
    ]
    return Network(arcs, pixel_arcs, pieces, runs, nodes)


def _pixel_arcs(lattice: Lattice, chains: Chains) -> list[Float]:
    """Points of each chain along the pixel edges where it turns, ends kept."""
    chain = np.repeat(np.arange(len(chains)), np.diff(chains.first))
    d = lattice.direction[chains.cracks]
    keep = np.r_[True, (d[1:] != d[:-1]) | (chain[1:] != chain[:-1])]
    last = lattice.places(lattice.end[chains.cracks[chains.first[1:] - 1]])
    xy = lattice.places(lattice.start[chains.cracks][keep])
    parts = np.split(xy, np.cumsum(np.bincount(chain, keep, len(chains)).astype(np.int64))[:-1])
    return [np.concatenate([p, e[None]]) for p, e in zip(parts, last, strict=True)]


def _nodes(runs: Runs, corners: Corners, ends: Float, skip: Bool, tangent: Float, settled: Float) -> Nodes:
    n = len(runs.points)
    run = runs.run
    corner = np.full(n, -1)
    corner[corners.at] = np.arange(len(corners.at))
    keep = ~skip[run]
    # Points spoilt by a corner near them on their run; the corner's own point stays as the corner.
    index, inside = runs.window(corners.at, np.arange(-4, 5))
    near = np.hypot(*np.moveaxis(runs.points[index] - corners.place[:, None], 2, 0)) < SPOILT
    keep[index[inside & near & (corner[index] < 0)]] = False
    count = np.diff(runs.first)
    at = np.arange(n) - runs.first[:-1][run]
    for end, distance in ((0, at), (1, count[run] - 1 - at)):
        near = np.hypot(*(runs.points - ends[run, end]).T) < SPOILT
        keep &= ~(near & (distance < 5) & ~runs.closed[run])
    xy = runs.points.copy()
    xy[corners.at] = corners.place
    # A closed run starts at a corner, or at a seam where it goes on smoothly.
    seam = np.zeros(len(count), np.int64)
    has = np.zeros(len(count), bool)
    for c in corners.at[::-1]:
        seam[run[c]], has[run[c]] = at[c], True
    first_kept = np.full(len(count), n)
    np.minimum.at(first_kept, run[keep], at[keep])
    seam = np.where(has, seam, np.minimum(first_kept, np.maximum(count - 1, 0)))
    position = np.where(runs.closed[run], (at - seam[run]) % np.maximum(count[run], 1), at + 1)
    start = (runs.first[:-1] + seam)[runs.closed & ~skip]
    smooth_start = ~has[runs.closed & ~skip]
    xy[start[smooth_start]] = settled[start[smooth_start]]
    opened = np.nonzero(~runs.closed & ~skip)[0]
    closed = np.nonzero(runs.closed & ~skip)[0]
    inner = np.nonzero(keep)[0]
    zero = np.zeros((len(opened), 2))
    chain = np.concatenate([run[inner], opened, opened, closed])
    order = np.lexsort(
        (np.concatenate([position[inner], 0 * opened, count[opened] + 1, count[closed]]), chain)
    )
    is_start = np.zeros(n, bool)
    is_start[start] = True
    seamed = np.zeros(n, bool)
    seamed[start[smooth_start]] = True
    yes = np.ones(len(opened), bool)
    return Nodes(
        np.concatenate([xy[inner], ends[opened, 0], ends[opened, 1], xy[start]])[order],
        chain[order],
        np.concatenate([(corner[inner] >= 0) | is_start[inner], yes, yes, np.ones(len(closed), bool)])[order],
        np.concatenate([seamed[inner], ~yes, ~yes, smooth_start])[order],
        np.concatenate([tangent[inner], zero, zero, tangent[start]])[order],
    )


def _tangents(runs: Runs, at: Int, reach: int) -> tuple[Float, Float]:
    """Unit tangents and smoothed places of points, from parabolas through `reach` neighbours on either side.

    References
    ----------
    A. Savitzky, M. J. E. Golay: Smoothing and differentiation of data. Analytical Chemistry 36 (1964)
    1627-1639.
    """
    offsets = np.arange(-reach, reach + 1)
    index, inside = runs.window(at, offsets)
    p = runs.points[index]
    n, second, fourth = len(offsets), float((offsets**2).sum()), float((offsets**4).sum())
    slope = np.einsum("k,nkd->nd", offsets / second, p)
    place = np.einsum("k,nkd->nd", (fourth - second * offsets**2) / (n * fourth - second**2), p)
    # Near the ends of open runs and on tiny rings some neighbours are missing.
    i = np.nonzero(~inside.all(1))[0]
    w, x = inside[i].astype(float), offsets.astype(float)
    sums = np.stack([(w * x**k).sum(1) for k in range(5)], 1)
    matrix = np.stack([sums[:, k : k + 3] for k in range(3)], 1) + 1e-6 * np.eye(3)
    right = np.stack([np.einsum("nk,nkd->nd", w * x**k, p[i]) for k in range(3)], 1)
    fit = np.linalg.solve(matrix, right)
    place[i], slope[i] = fit[:, 0], fit[:, 1]
    return slope / np.maximum(np.hypot(*slope.T), 1e-9)[:, None], place


def _scatter(runs: Runs) -> float:
    """Standard deviation, px, of the measured points about a smooth boundary."""
    if len(runs.points) < 400:
        # In so small a picture the curves' own bends would be taken for scatter.
        return 0.0
    # Some thousand points tell as much as all.
    at = np.arange(0, len(runs.points), max(1, len(runs.points) // 8000))
    settled = _tangents(runs, at, 2)[1]
    # The parabola through five points takes 17/35 of its middle point's own scatter along. Four fifths of a
    # normal distribution lie within 1.2816 standard deviations; what lies beyond may be corners.
    return float(np.quantile(np.hypot(*(runs.points[at] - settled).T), 0.8)) / 1.2816 / math.sqrt(18 / 35)


def _fit(nodes: Nodes, tolerance: float) -> Pieces:
    knots = np.nonzero(nodes.knot)[0]
    same = nodes.chain[knots[:-1]] == nodes.chain[knots[1:]] if len(knots) > 1 else np.zeros(0, bool)
    begin, end = knots[:-1][same], knots[1:][same]
    fitted = fit_sections(
        nodes.xy, Sections(begin, end, nodes.smooth[begin], nodes.smooth[end]), nodes.tangent, tolerance
    )
    return Pieces(fitted.control, fitted.kind, nodes.chain[fitted.node])


def _with_pixel_chains(
    pieces: Pieces, pixel_arcs: list[Float], ends: Float, as_pixels: Bool, closed: Bool
) -> Pieces:
    """Add the chains that keep their pixel edges, their ends where their junctions went."""
    control, chain = [pieces.control], [pieces.chain]
    for k in np.nonzero(as_pixels)[0].tolist():
        p = pixel_arcs[k]
        if not closed[k]:
            p = np.concatenate([ends[k, :1], p[1:-1], ends[k, 1:]])
        control.append(line_controls(p[:-1], p[1:]))
        chain.append(np.full(len(p) - 1, k))
    all_chain = np.concatenate(chain)
    kind = np.r_[pieces.kind, np.full(len(all_chain) - len(pieces), LINE, np.int8)]
    order = np.argsort(all_chain, kind="stable")
    return Pieces(np.concatenate(control)[order], kind[order], all_chain[order])
