"""What the ways of colour cost: changes, what is flushed out at each, grams, metres, money."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from cutkey.core.geometry.arrays import Bool, Float
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid, mesh_of
from cutkey.core.model.colouring import Cost, Heights, Spool
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer


def cut_by(mesh: Mesh, z: Float) -> Bool:
    """Which level planes a closed mesh is cut by: those that one of its triangles crosses.

    Parameters
    ----------
    mesh : Mesh
    z : ndarray, (N,), float64
        Heights, rising, mm.

    Returns
    -------
    ndarray, (N,), bool
    """
    heights = mesh.vertices[mesh.triangles, 2]
    begin = np.searchsorted(z, heights.min(1), side="right")
    end = np.searchsorted(z, heights.max(1), side="left")
    steps = np.zeros(len(z) + 1)
    crossed = end > begin
    np.add.at(steps, begin[crossed], 1)
    np.add.at(steps, end[crossed], -1)
    return np.asarray(np.cumsum(steps)[:-1] > 0)


def layer_middles(low: float, high: float, printer: Printer) -> Float:
    """Heights half way up each layer of a print, mm.

    Parameters
    ----------
    low, high : float
        Of the print.
    printer : Printer
    """
    first, layer = printer.first_layer or printer.layer, printer.layer
    count = max(1, 1 + int(np.ceil((high - low - first) / layer - 1e-6)))
    return np.asarray(low + np.r_[first / 2, first + layer * (np.arange(1, count) - 0.5)])


def fewest_changes(there: Sequence[Bool]) -> int:
    """Changes when every layer is printed filament by filament.

    In the order that goes on with the last one where it can.

    Parameters
    ----------
    there : sequence of ndarray, (L,), bool
        For each filament, which layers have any of it.
    """
    table = np.array(there, bool)
    # Least changes so far, for each filament that a layer may end with.
    best = np.where(table[:, 0], 0.0, np.inf)
    best = best + max(0, int(table[:, 0].sum()) - 1)
    for layer in table.T[1:]:
        count = int(layer.sum())
        if count == 0:
            continue
        # Going on with the one before costs nothing; a layer of one filament ends with that it began with.
        new = np.full(len(best), np.inf)
        for end in np.flatnonzero(layer).tolist():
            same = [best[f] + count - 1 for f in np.flatnonzero(layer).tolist() if f != end or count == 1]
            new[end] = min([*same, float(best.min()) + count])
        best = new
    return int(best.min())


def cost_of(
    way: str,
    parts: Sequence[Part],
    filaments: Mapping[str, Filament],
    printer: Printer,
    flush: float,
    heights: Heights | None = None,
) -> Cost:
    """The cost of a design in the parts that a way makes of it.

    Parameters
    ----------
    way : str
    parts : sequence of Part
    filaments : mapping of str to Filament
        Of each colour.
    printer : Printer
    flush : float
        mm3 that are flushed out at a change.
    heights : Heights, optional
        The plan, when it is by height.
    """
    volumes: dict[str, float] = {}
    layers: dict[str, Bool] = {}
    meshes = [mesh_of(p.solid) for p in parts]
    low, high = (
        min(float(m.vertices[:, 2].min()) for m in meshes),
        max(float(m.vertices[:, 2].max()) for m in meshes),
    )
    z = layer_middles(low, high, printer)
    by_name = {f.name: f for f in filaments.values()}
    for part, mesh in zip(parts, meshes, strict=True):
        name = filaments[part.colour].name
        volumes[name] = volumes.get(name, 0.0) + float(part.solid.volume())
        layers[name] = layers.get(name, np.zeros(len(z), bool)) | cut_by(mesh, z)
    spools = tuple(
        Spool(n, by_name[n].grams(v), by_name[n].metres(v), by_name[n].grams(v) / 1000 * by_name[n].price)
        for n, v in volumes.items()
    )
    changes = fewest_changes(list(layers.values()))
    density = sum(f.density for f in by_name.values()) / len(by_name)
    moved = max((abs(t.gets - t.asked) for t in heights.tops), default=0.0) if heights is not None else 0.0
    return Cost(way, changes, changes * flush * density / 1000, spools, len(volumes), 0, moved)


def with_inlays(cost: Cost, inlays: Sequence[tuple[str, Solid]], filaments: Mapping[str, Filament]) -> Cost:
    """A cost with what is printed by itself and put in.

    Pieces of one colour go on a bed load of their own, so nothing is changed for them.

    Parameters
    ----------
    cost : Cost
        Of the body with its pockets.
    inlays : sequence of (str, Manifold)
        Colour and piece.
    filaments : mapping of str to Filament
        Of each colour.
    """
    spools = {s.filament: s for s in cost.spools}
    for colour, solid in inlays:
        f, volume = filaments[colour], float(solid.volume())
        old = spools.get(f.name, Spool(f.name, 0.0, 0.0, 0.0))
        grams = old.grams + f.grams(volume)
        spools[f.name] = Spool(f.name, grams, old.metres + f.metres(volume), grams / 1000 * f.price)
    return cost._replace(spools=tuple(spools.values()), filaments=len(spools), pieces=len(inlays))
