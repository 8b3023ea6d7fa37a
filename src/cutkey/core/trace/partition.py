"""Label map to regions that share their boundary."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import ArrayLike, NDArray

from cutkey.core.geometry.pieces import Flattened, flattened
from cutkey.core.imaging.prepare import calm, noise_level
from cutkey.core.picture.labels import label_pixels
from cutkey.core.picture.palette import find_palette
from cutkey.core.trace.arcs import Network, build_network
from cutkey.core.trace.faces import FITTED, PIXELS, Faces, assemble, refuse_crossings
from cutkey.core.trace.lattice import Chains, Lattice, build_lattice, chain_up
from cutkey.core.trace.polish import polish

#: A boundary within this of its curve follows it, px.
_OFF = 0.02


class Partition(NamedTuple):
    """A traced label map, in pixel coordinates, y down, pixel (i, j) covering [i, i+1] x [j, j+1]."""

    # by label; together they cover the picture without gap or overlap
    regions: dict[int, shapely.MultiPolygon]
    arcs: list[NDArray[np.float64]]  # the boundaries they share
    left: NDArray[np.int64]  # label on the left of each arc as it is walked, -1 outside the picture
    right: NDArray[np.int64]
    pieces: int  # lines, arcs and curves that the boundaries inside the picture are made of
    curves: Flattened | None = None  # these, and the points that stand for them
    # length, px, of boundary inside the picture that is drawn by its measured points or along the pixel
    # edges, since curves would have crossed there
    stepped: float = 0.0


def partition(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.int32],
    palette: NDArray[np.uint8],
    flatness: float = 0.01,
    local: NDArray[np.float32] | None = None,
    polished: bool = True,
    square: bool = False,
) -> Partition:
    """Regions of a label map, each boundary shared by its two neighbours.

    Placed by the picture's anti-aliasing.

    Parameters
    ----------
    rgb : (H, W, 3) uint8
    labels : (H, W) int32
        Indices into `palette`.
    palette : (N, 3) uint8
    flatness : float
        Largest distance, px, between a fitted curve and the points that stand for it.
    local : (H, W, 3) float32, optional
        The colour of each pixel's region around it, where regions are shaded.
    polished : bool
        Take the time to bend the boundaries of a small picture until they agree with it.
    square : bool
        Leave the boundaries on the edges of the pixels.
    """
    lattice = build_lattice(labels)
    chains = chain_up(lattice)
    network = build_network(rgb, labels, palette, lattice, chains, flatness, local)
    heads = chains.cracks[chains.first[:-1]]
    left, right = lattice.left[heads], lattice.left[heads ^ 1]
    inner = (left >= 0) & (right >= 0)
    if polished and local is None and not square:
        side = [np.where((s >= 0)[:, None], palette.astype(float)[s], 0) for s in (left, right)]
        network = polish(rgb, side[0], side[1], inner, chains.closed, network, flatness)
    arcs = network.pixel_arcs
    faces, arcs = (
        (assemble(lattice, chains, arcs), arcs) if square else _sound_faces(lattice, chains, network)
    )
    found = {int(k): shapely.multipolygons(faces.polygons[faces.label == k]) for k in np.unique(faces.label)}
    count = (
        sum(len(a) - 1 for a, inside in zip(arcs, inner, strict=True) if inside)
        if square
        else int(inner[network.pieces.chain].sum())
    )
    stepped = 0.0 if square else _stepped(network.arcs, arcs, np.flatnonzero(inner))
    curves = None if square else flattened(network.pieces, flatness)
    return Partition(found, arcs, left, right, count, curves, stepped)


def _stepped(
    fitted: list[NDArray[np.float64]], drawn: list[NDArray[np.float64]], inner: NDArray[np.int64]
) -> float:
    """Length of the boundaries that do not follow their curves, px."""
    off = 0.0
    for k in inner.tolist():
        if drawn[k] is fitted[k] or np.array_equal(drawn[k], fitted[k]):
            continue
        middle, length = (drawn[k][1:] + drawn[k][:-1]) / 2, np.hypot(*np.diff(drawn[k], axis=0).T)
        away = shapely.distance(shapely.linestrings(fitted[k]), shapely.points(middle))
        off += float(length[away > _OFF].sum())
    return off


def _sound_faces(
    lattice: Lattice, chains: Chains, network: Network
) -> tuple[Faces, list[NDArray[np.float64]]]:
    """Faces that fit each other, and their arcs.

    Arcs around one that does not go back to their pixel edges.
    """
    level = np.full(len(chains), FITTED)
    for _ in range(12):
        arcs = refuse_crossings(network, level)
        faces = assemble(lattice, chains, arcs)
        broken = faces.broken()
        if not broken:
            return faces, arcs
        lower = [k for k in broken if level[k] > PIXELS]
        if not lower:
            break
        level[lower] = PIXELS
    return assemble(lattice, chains, network.pixel_arcs), network.pixel_arcs


class Traced(list[tuple[tuple[int, int, int], shapely.MultiPolygon]]):
    """Colours and their regions.

    `segments` counts the lines, arcs and curves of the boundaries between them.
    """

    segments = 0


def regions(rgb: NDArray[np.uint8], colours: int | None = None, palette: ArrayLike | None = None) -> Traced:
    """Trace a whole picture into colour regions without gap or overlap.

    Parameters
    ----------
    rgb : (H, W, 3) uint8
    colours : int, optional
        How many colours; found from the picture when left out.
    palette : (N, 3), optional
        The colours themselves.

    Returns
    -------
    list of ((r, g, b), shapely geometry)
        With `segments`, the number of lines, arcs and curves in all boundaries.
        Pixel coordinates, y down, pixel (i, j) covering [i, i+1] x [j, j+1].

    Raises
    ------
    ValueError
        When `rgb` is not (H, W, 3) uint8.

    Examples
    --------
    >>> import numpy as np
    >>> picture = np.full((8, 8, 3), 255, np.uint8)
    >>> picture[2:6, 2:6] = 0
    >>> [(colour, geometry.area) for colour, geometry in regions(picture)]
    [((255, 255, 255), 48.0), ((0, 0, 0), 16.0)]
    """
    rgb = np.ascontiguousarray(rgb)
    if rgb.ndim != 3 or rgb.shape[2] != 3 or rgb.dtype != np.uint8:
        raise ValueError("rgb must be an (H, W, 3) array of uint8")
    work = calm(rgb, noise_level(rgb))
    table = (
        find_palette(work, colours or 0)
        if palette is None
        else np.clip(np.round(np.asarray(palette, float)), 0, 255).astype(np.uint8)
    )
    labels = label_pixels(work, table)
    found = partition(work, labels, table)
    out = Traced(
        ((int(table[k][0]), int(table[k][1]), int(table[k][2])), g) for k, g in found.regions.items()
    )
    out.segments = found.pieces
    return out
