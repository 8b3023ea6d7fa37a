"""Local thickness on models that nobody here made, against the definition taken by force; `python -m
bench.quality_thickness COUNT`."""

from __future__ import annotations

import sys
from collections.abc import Iterable

import numpy as np
from scipy.spatial import cKDTree

from bench.strangers import models
from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.solid import mesh_of, solid_of
from cutkey.core.rehearse.thickness import ALPHA, spread_over, thickness
from cutkey.core.solids.crossing import crossing_of
from cutkey.core.solids.read import read_model

#: Every model is made so long, mm; walls up to this are looked at.
_LONG, _BELOW = 60.0, 3.0


def by_force(mesh: Mesh, places: np.ndarray, normals: np.ndarray, samples: int) -> np.ndarray:
    """The least ball that touches at a place and at any of many other places that look back; infinity
    where there is none."""
    other, facing = spread_over(mesh, samples, seed=5)
    tree, out = cKDTree(other), np.full(len(places), np.inf)
    for k, near in enumerate(tree.query_ball_point(places, _BELOW)):
        off = places[k] - other[near]
        far, across = np.einsum("ij,ij->i", off, off), off @ normals[k]
        good = (
            (across > np.cos(ALPHA) * np.sqrt(far))
            & (facing[near] @ normals[k] <= -np.cos(2 * ALPHA))
            & (far > 1e-9)
        )
        if good.any():
            out[k] = float((far[good] / across[good]).min())
    return out


def measure(
    some: Iterable[tuple[str, bytes]], most: int = 30, count: int = 500, samples: int = 4_000_000
) -> list[tuple[str, int, float, float, bool, int]]:
    """Of each model: places with a wall, the share within 0.05 mm, the median of what is off, whether it
    crosses itself, walls missed.

    Where ours is less than by force a ball was found on a triangle between the samples; where it is more, a
    wall was missed.
    """
    rows = []
    for name, data in some:
        if len(rows) >= most:
            break
        try:
            solid = read_model(data, name.rpartition("/")[2], "mm").solid
            mesh = mesh_of(solid)
            if not 500 < len(mesh.triangles) < 150_000:
                continue
            factor = _LONG / float(np.ptp(mesh.vertices, axis=0).max())
            solid = solid_of(Mesh(mesh.vertices * factor, mesh.triangles), name)
        except BadInput:
            continue
        mesh = mesh_of(solid)
        places, normals = spread_over(mesh, count)
        own, _ = thickness(solid, places, normals, _BELOW)
        exact = by_force(mesh, places, normals, samples)
        # At the end of what is looked at, one may be just beyond it and the other not.
        wall = (own < _BELOW - 0.05) | (exact < _BELOW - 0.05)
        more = (np.minimum(own, _BELOW) - np.minimum(exact, _BELOW))[wall]
        off = np.abs(more)
        rows.append(
            (
                name,
                int(wall.sum()),
                float((off <= 0.05).mean()) if len(off) else 1.0,
                float(np.median(off)) if len(off) else 0.0,
                crossing_of(mesh) is not None,
                int((more > 0.05).sum()),
            )
        )
    return rows


def main() -> None:
    """Print a line a model, and how many places agree in all."""
    # Every seventh: neighbours are much alike.
    rows = measure(
        [m for k, m in enumerate(models()) if k % 7 == 0], int(sys.argv[1]) if len(sys.argv) > 1 else 30
    )
    for name, walls, share, middle, crosses, missed in rows:
        found = f"{walls:4d} walls, {share:7.2%} within 0.05 mm, median {middle:.4f}, {missed} missed"
        print(f"  {name[-44:]:44s} {found}{', crosses itself' if crosses else ''}")
    walls = sum(r[1] for r in rows)
    share = sum(r[1] * r[2] for r in rows) / max(1, walls)
    print(f"{len(rows)} models, {walls} walls, {share:.2%} within 0.05 mm, {sum(r[5] for r in rows)} missed")


if __name__ == "__main__":
    main()
