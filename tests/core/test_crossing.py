"""Surfaces that cross themselves, judged by exact arithmetic; solids that touch; what a rebuild leaves,
against layers filled as one."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import trimesh

from cutkey.cli.main import main
from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh, open_edges, weld
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.rehearse.layers import Slicer, filled
from cutkey.core.solids.crossing import crossing_of, rebuilt
from cutkey.core.solids.parting import parted
from cutkey.core.solids.read import read_model

#: Places lie on a grid this fine, 1 / mm, so that whole numbers name them.
GRID = 2.0**20


def tube(path: np.ndarray, r: float, sides: int = 6) -> Mesh:
    """A closed tube along a closed path: one shell, whatever the path does."""
    ahead = np.roll(path, -1, 0) - np.roll(path, 1, 0)
    right = np.cross(ahead, (0.0, 0.0, 1.0))
    right /= np.linalg.norm(right, axis=1)[:, None]
    up = np.cross(right, ahead) / np.linalg.norm(ahead, axis=1)[:, None]
    a = (np.arange(sides) + 0.37) * 2 * np.pi / sides
    ring = path[:, None] + r * (
        np.cos(a)[None, :, None] * right[:, None] + np.sin(a)[None, :, None] * up[:, None]
    )
    i, j = np.divmod(np.arange(len(path) * sides), sides)
    here, beside = i * sides + j, i * sides + (j + 1) % sides
    there, over = (i + 1) % len(path) * sides + j, (i + 1) % len(path) * sides + (j + 1) % sides
    triangles = np.concatenate([np.stack([here, there, beside], 1), np.stack([beside, there, over], 1)])
    mesh = Mesh(np.round(GRID * ring.reshape(-1, 3)) / GRID, triangles)
    return (
        mesh if trimesh.Trimesh(*mesh, process=False).volume > 0 else Mesh(mesh.vertices, triangles[:, ::-1])
    )


def eight(high: float) -> Mesh:
    """A lemniscate whose strands pass one over the other, twice `high` apart; the tube is 2.4 thick."""
    t = np.arange(28) * 2 * np.pi / 28
    return tube(np.c_[20 * np.sin(t), 12 * np.sin(t) * np.cos(t), high * np.cos(t)], 1.2)


def loop(far: float) -> Mesh:
    """A limaçon: a strand runs through itself once where its inner loop begins."""
    t = (np.arange(32) + 0.5) * 2 * np.pi / 32
    out = 10 * (1 + far * np.cos(t))
    return tube(np.c_[out * np.cos(t), out * np.sin(t), 0.5 * np.sin(t)], 1.0)


def knot(r: float) -> Mesh:
    """A trefoil: its strands are 6 apart and more."""
    t = np.arange(60) * 2 * np.pi / 60
    path = np.c_[np.sin(t) + 2 * np.sin(2 * t), np.cos(t) - 2 * np.cos(2 * t), -np.sin(3 * t)] * np.array(
        [8, 8, 4]
    )
    return tube(path, r)


def box(at, size) -> Mesh:
    return mesh_of(m3.Manifold.cube(size).translate(at))


def together(*some: Mesh) -> Mesh:
    first = np.cumsum([0] + [len(m.vertices) for m in some])
    return Mesh(
        np.concatenate([m.vertices for m in some]),
        np.concatenate([m.triangles + n for m, n in zip(some, first, strict=False)]),
    )


def ring_that_touches() -> Mesh:
    """A strip bent until its ends meet in a face: no crossing."""
    return together(
        box((0, 0, 0), (30, 4, 5)),
        box((0, 4, 0), (4, 22, 5)),
        box((26, 4, 0), (4, 22, 5)),
        box((0, 26, 0), (15, 4, 5)),
        box((15, 26, 0), (15, 4, 5)),
    )


CASES = [
    *((f"eight {h}", eight(h), h < 1.2) for h in (0.07, 0.3, 0.6, 0.9, 1.05, 1.4, 2.0)),
    *((f"loop {f}", loop(f), f > 1) for f in (0.4, 0.6, 1.7, 2.2, 3.0)),
    *((f"knot {r}", knot(r), r > 4) for r in (1.0, 2.0, 4.6)),
    ("boxes", together(box((0, 0, 0), (10, 10, 10)), box((5, 3, 2), (10, 10, 10))), True),
    ("bars", together(box((0, 4, 4), (20, 2, 2)), box((9, 0, 3.5), (2, 10, 3))), True),
    ("touching", together(box((0, 0, 0), (10, 10, 10)), box((10, 0, 0), (10, 10, 10))), False),
    ("ring", ring_that_touches(), False),
    ("torus", mesh_of(m3.CrossSection.circle(4, 16).translate((12, 0)).revolve(24)), False),
]


def pierces(p: list[list[int]], q: list[list[int]]) -> bool:
    """Whether an edge of one triangle goes through the inside of the other, in whole numbers."""

    def six(a, b, c, d):
        u, v, w = ([x - y for x, y in zip(k, a, strict=True)] for k in (b, c, d))
        return sum(
            u[i] * (v[(i + 1) % 3] * w[(i + 2) % 3] - v[(i + 2) % 3] * w[(i + 1) % 3]) for i in range(3)
        )

    for face, edges in ((p, q), (q, p)):
        for k in range(3):
            a, b = edges[k], edges[(k + 1) % 3]
            s, t = six(*face, a), six(*face, b)
            if s * t >= 0:
                continue
            turns = [six(a, b, face[i], face[(i + 1) % 3]) for i in range(3)]
            if all(x > 0 for x in turns) or all(x < 0 for x in turns):
                return True
    return False


def exact_pairs(mesh: Mesh) -> set[tuple[int, int]]:
    corners = mesh.vertices[mesh.triangles]
    low, high = corners.min(1), corners.max(1)
    near = (low[:, None] <= high[None]).all(2) & (low[None] <= high[:, None]).all(2)
    exact = [[[int(x) for x in p] for p in t] for t in (corners * GRID).tolist()]
    return {(a, b) for a, b in zip(*np.nonzero(np.triu(near, 1)), strict=True) if pierces(exact[a], exact[b])}


@pytest.mark.parametrize(("name", "mesh", "crosses"), CASES, ids=[c[0] for c in CASES])
def test_what_crosses_is_found_and_rebuilt(name, mesh, crosses):
    """20 made cases: the pairs are those of exact arithmetic; after the rebuild there are none, and the
    volume is that of the union."""
    found = crossing_of(mesh)
    assert (found is not None) == crosses
    if len(mesh.triangles) <= 1500:
        assert {tuple(sorted(p)) for p in (found.pairs.tolist() if found else [])} == exact_pairs(mesh)
    if found is None:
        return
    made = rebuilt(m3.Manifold(m3.Mesh64(mesh.vertices, mesh.triangles.astype(np.uint64))), found)
    assert made is not None and crossing_of(mesh_of(made)) is None
    low, high = mesh.vertices[:, 2].min(), mesh.vertices[:, 2].max()
    step = (high - low) / 300
    layers = (
        sum(filled(c.rings).size for c in Slicer(*mesh).at((low + step * (np.arange(300) + 0.5)).tolist()))
        * step
    )
    assert made.volume() == pytest.approx(layers, rel=2e-3)


def stl(mesh: Mesh) -> bytes:
    return trimesh.Trimesh(*mesh, process=False).export(file_type="stl")


def test_solids_that_touch_are_read_as_they_are(tmp_path):
    """Along a face, an edge, at a corner, or bent to a ring: nothing is mended, nothing is lost; a model
    that crosses itself is told."""
    for at in ((10, 0, 0), (10, 10, 0), (10, 10, 10), (10, 4, 0), (0, 0, 10)):
        model = read_model(stl(together(box((0, 0, 0), (10, 10, 10)), box(at, (10, 10, 10)))), "two.stl")
        assert model.solid.volume() == pytest.approx(2000) and model.done == () and model.lost == 0
    ring = weld(np.asarray(ring_that_touches().vertices[ring_that_touches().triangles], np.float32))
    assert open_edges(ring) > 0 == open_edges(parted(ring))
    assert read_model(stl(ring_that_touches()), "ring.stl").solid.volume() == pytest.approx(2080)
    with pytest.raises(BadInput):
        read_model(stl(Mesh(np.eye(3) * 20, np.array([[0, 1, 2]] * 5))), "sheet.stl")
    (tmp_path / "eight.stl").write_bytes(stl(eight(0.3)))
    assert main(["check", str(tmp_path / "eight.stl"), "--report", str(tmp_path / "a.json")]) == 0
    assert b'"Crosses itself"' in (tmp_path / "a.json").read_bytes()
    assert (
        main(["check", str(tmp_path / "eight.stl"), "--rebuild", "--report", str(tmp_path / "b.json")]) == 0
    )
    report = (tmp_path / "b.json").read_bytes()
    assert b"Crosses itself nowhere" in report and b"was rebuilt" in report
