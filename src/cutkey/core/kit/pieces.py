"""Making pieces: the single-colour bodies of the sections, and the keys, as they will be written."""

from __future__ import annotations

from collections.abc import Callable

import manifold3d as m3
import numpy as np
import shapely

from cutkey.core.digest import digest
from cutkey.core.geometry.areas import area_of
from cutkey.core.geometry.mesh import Mesh, edge_faults, weld
from cutkey.core.geometry.part import Part, joined_by_colour
from cutkey.core.geometry.solid import Solid, bounds_of, mesh_of
from cutkey.core.model.filament import Filament
from cutkey.core.printing.piece import Piece, PrintUnit
from cutkey.core.printing.resting import UP, Vector, turn_of
from cutkey.core.split.cutting import Section

#: Half thickness of what parts a colour that touches itself, mm; and how many such edges are parted at most.
HAIR, _MOST_TOUCHING = 0.004, 4000
#: A shell of less is none, mm3: it is a hundredth of a millimetre across.
NO_VOLUME = 1e-6


def section_unit(section: Section, filament_of: dict[str, Filament], down: Vector = UP) -> PrintUnit:
    """Bodies of a section, one a filament, with one of its sides on the bed.

    Parameters
    ----------
    section : Section
    filament_of : dict of str to Filament
        Of each colour.
    down : (3,) tuple of float
        Out of that side.
    """
    by_filament = {f.name: f for f in filament_of.values()}
    merged = joined_by_colour([Part(filament_of[p.colour].name, p.solid) for p in section.parts])
    origin, high = section.bounds()
    shapes = [_shape(p.solid, origin) for p in merged]
    low, whole, turn = origin, section.whole, None
    if down != UP:
        turn = turn_of(down, mesh_of(whole).vertices)
        place = np.c_[turn, np.zeros(3)]
        merged = [Part(p.colour, p.solid.transform(place)) for p in merged]
        whole = whole.transform(place)
        boxes = [bounds_of(p.solid) for p in merged]
        low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    pieces = [
        _piece(f"{section.name} {p.colour}", section.name, by_filament[p.colour], p.solid, low)._replace(
            shape=shape
        )
        for p, shape in zip(merged, shapes, strict=True)
    ]
    outline = shapely.transform(area_of(whole.project().to_polygons()), lambda p: p - low[:2])
    corner = low if turn is None else low @ turn
    return PrintUnit(
        section.name,
        pieces,
        _three(origin),
        _three(high - low),
        1,
        False,
        outline,
        down,
        turn,
        _three(corner),
    )


def _shape(solid: Solid, low: np.ndarray) -> str:
    """Digest of a solid as it stands in the design, from its section's lower corner."""
    mesh = mesh_of(solid)
    return digest(np.round(mesh.vertices - low, 4) + 0.0, mesh.triangles)


def _three(v: np.ndarray) -> Vector:
    return float(v[0]), float(v[1]), float(v[2])


def key_unit(name: str, solid: Solid, filament: Filament, count: int) -> PrintUnit:
    """A key printed `count` times.

    Parameters
    ----------
    name : str
        As it is written.
    solid : Solid
        As it lies on the bed, mm.
    filament : Filament
        It is printed in.
    count : int
    """
    mesh = mesh_of(solid)
    low = mesh.vertices.min(0)
    x, y, z = (float(v) for v in np.ptp(mesh.vertices, axis=0))
    outline = shapely.transform(area_of(solid.project().to_polygons()), lambda p: p - low[:2])
    return PrintUnit(
        name,
        [_piece(name, name, filament, solid, low)._replace(shape=_shape(solid, low))],
        (0.0, 0.0, 0.0),
        (x, y, z),
        count,
        True,
        outline,
    )


def _piece(name: str, section: str, filament: Filament, solid: Solid, low: np.ndarray) -> Piece:
    volume = float(solid.volume())
    # Slivers thinner than the files can tell may close on themselves when rounded; then they are taken out
    # first. Where a colour touches itself along an edge, as squares of a chequerboard do, it is parted by a
    # hair.
    tries: tuple[Callable[[], tuple[Solid, float]], ...] = (
        lambda: (solid, 0.0),
        lambda: (solid.simplify(1e-5), 0.0),
        lambda: (solid.simplify(1e-4), 0.0),
        lambda: (of_its_own(solid), 0.0),
        lambda: parted_by_a_hair(solid),
        lambda: parted_by_a_hair(of_its_own(solid)),
        lambda: parted_by_a_hair(of_its_own(solid, 1e-3)),
    )
    written = best = None
    for make in tries:
        made, parted = make()
        mesh = mesh_of(made)
        written = as_written(Mesh(mesh.vertices - low, mesh.triangles))
        if edge_faults(written).any == 0:
            return Piece(name, section, filament, written, volume, parted=parted)
        best = best or written
    assert best is not None
    return Piece(name, section, filament, best, volume)


def of_its_own(solid: Solid, within: float = 1e-4) -> Solid:
    """A solid made simpler than one that keeps the borders of all that it was put together from.

    Shells of no volume, which came of surfaces that lay on one another, are left out where there is no void.
    """
    out = solid.as_original().simplify(within)
    shells = out.decompose()
    # The library puts shells together as solids: that of a void would be lost.
    if any(s.volume() < -NO_VOLUME for s in shells):
        return out
    kept = [s for s in shells if s.volume() > NO_VOLUME]
    return m3.Manifold.compose(kept) if 0 < len(kept) < len(shells) else out


def parted_by_a_hair(solid: Solid) -> tuple[Solid, float]:
    """A solid without the edges along which it touches itself, and how much was taken out of it, mm3.

    A rod thinner than any file tells layers apart is taken out of each; the solid comes back as it is where
    more would go than the rods hold.
    """
    mesh = mesh_of(solid)
    welded = weld(mesh.vertices[mesh.triangles].astype(np.float32))
    t, n = welded.triangles, len(welded.vertices)
    edges = np.sort(t[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), 1)
    key, count = np.unique(edges[:, 0] * n + edges[:, 1], return_counts=True)
    double = key[count > 2]
    if len(double) == 0 or len(double) > _MOST_TOUCHING:
        return solid, 0.0
    knob = HAIR * np.array([(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)], float)
    ends = welded.vertices[np.stack([double // n, double % n], 1)]
    rods = [m3.Manifold.hull_points(np.concatenate([a + knob, b + knob])) for a, b in ends]
    out = m3.Manifold.batch_boolean([solid, *rods], m3.OpType.Subtract)
    taken = float(solid.volume() - out.volume())
    return (out, taken) if 0 <= taken <= sum(float(r.volume()) for r in rods) + 1e-6 else (solid, 0.0)


def as_written(mesh: Mesh) -> Mesh:
    """A mesh with coordinates rounded to what the file formats keep, still closed.

    32-bit floats, five sure decimals.

    Edges whose ends fall together collapse, and so do pairs of triangles that then lie on each other.
    Vertices that merely stand in the same place, where a colour touches itself along an edge, stay apart:
    that is what keeps the mesh manifold.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    # One decimal less than is written: the last one is not kept to the digit, and points that differ in it
    # alone would meet.
    rounded = np.round(mesh.vertices.astype(np.float32).astype(float), 5)
    t = mesh.triangles
    a, b = t.ravel(), np.roll(t, -1, axis=1).ravel()
    short = (rounded[a] == rounded[b]).all(1)
    if not short.any():
        return Mesh(rounded, t)
    n = len(rounded)
    graph = coo_matrix((np.ones(int(short.sum()), np.int8), (a[short], b[short])), (n, n))
    _, group = connected_components(graph, directed=False)
    points = np.zeros((group.max() + 1, 3))
    points[group] = rounded
    t = group[t]
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]
    _, inverse, counts = np.unique(np.sort(t, axis=1), axis=0, return_inverse=True, return_counts=True)
    t = t[counts[inverse.reshape(-1)] == 1]
    used, compact = np.unique(t, return_inverse=True)
    return Mesh(points[used], compact.reshape(-1, 3).astype(np.int64))
