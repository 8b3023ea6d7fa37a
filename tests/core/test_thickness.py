"""Local thickness against exact solids, and the finding on bodies and files."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

from cutkey.cli.main import main
from cutkey.core.checks.thickness import thin_walls
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.thickness import spread_over, thickness


def measured(solid: m3.Manifold, below: float, count: int = 800):
    places, normals = spread_over(mesh_of(solid), count)
    sizes, square = thickness(solid, places, normals, below)
    return places, sizes, square, np.isfinite(sizes)


def shell() -> tuple[m3.Manifold, float]:
    """A ball with a cavity off its middle: the thinnest wall is R - r - e."""
    return m3.Manifold.sphere(20, 128) - m3.Manifold.sphere(17, 128).translate((2, 0, 0)), 1.0


def test_plate_wedge_shell_and_cross_are_as_thick_as_they_are():
    """Within 0.02 mm or 2 %: a plate, a wedge (2 s tan(a / 2)), the least wall of an off-centre shell,
    ribs that cross."""
    _, sizes, square, found = measured(m3.Manifold.cube((40, 30, 1.0)), 2.0)
    assert (
        sizes[found] == pytest.approx(np.ones(found.sum()))
        and found.mean() > 0.9
        and square[found].min() == pytest.approx(1)
    )
    a = np.radians(20)
    ends = np.array([(0, y, 0) for y in (0, 20)] + [(30, y, z) for y in (0, 20) for z in (0, 30 * np.tan(a))])
    places, sizes, _, found = measured(m3.Manifold.hull_points(ends), 3.0, 2500)
    along = np.where(places[:, 2] < 1e-6, places[:, 0], np.hypot(places[:, 0], places[:, 2]))
    exact = 2 * along * np.tan(a / 2)
    assert found.sum() > 300 and (np.abs(sizes - exact)[found] <= np.maximum(0.02, 0.02 * exact[found])).all()
    ball, least = shell()
    _, sizes, _, found = measured(ball, 4.0, 1500)
    assert sizes[found].min() == pytest.approx(least, abs=0.02)
    cross = m3.Manifold.cube((30, 0.8, 10), True) + m3.Manifold.cube((0.8, 30, 10), True)
    places, sizes, _, found = measured(cross, 1.0)
    ribs = (
        (np.abs(places[:, 2]) < 4.5)
        & (np.hypot(places[:, 0], places[:, 1]) > 1.5)
        & (np.abs(places[:, :2]).max(1) < 14.5)
    )
    assert found[ribs].all() and sizes[ribs] == pytest.approx(0.8 * np.ones(ribs.sum()))


def test_round_and_thick_things_give_no_alarm():
    """Cube, prisms of 16 and 128 sides, a rounded box: nothing below 0.8 mm."""
    ball = np.array(m3.Manifold.sphere(1, 24).to_mesh64().vert_properties)[:, :3]
    rounded = m3.Manifold.hull_points(
        np.concatenate([ball + 10 * np.array(corner) for corner in np.ndindex(2, 2, 2)])
    )
    for solid in (
        m3.Manifold.cube((20, 20, 20)),
        m3.Manifold.cylinder(20, 10, 10, 16),
        m3.Manifold.cylinder(20, 10, 10, 128),
        rounded,
    ):
        assert not measured(solid, 0.8)[3].any()
    assert [f.severity for f in thin_walls(rounded, Printer())] == ["sound"]


def test_against_brute_force_on_a_bent_mesh():
    """A twisted, tapering tube: the least |p-q|² / (n·(p-q)) over half a million places of the other
    side, by the definition."""
    ring = m3.CrossSection.circle(10, 48) - m3.CrossSection.circle(9.2, 48)
    tube = ring.extrude(30, 60, 40, (0.8, 0.7))
    mesh = mesh_of(tube)
    places, normals = spread_over(mesh, 120)
    sizes, _ = thickness(tube, places, normals, 3.0)
    other, turned = spread_over(mesh, 500_000, seed=5)
    for p, n, size in zip(places, normals, sizes, strict=True):
        off = p - other
        across, far = off @ n, np.einsum("ij,ij->i", off, off)
        good = (across > np.cos(np.radians(30)) * np.sqrt(far)) & (turned @ n <= -0.5) & (far > 1e-9)
        reference = (far[good] / across[good]).min() if good.any() else np.inf
        assert size == pytest.approx(reference, abs=0.05) or (size > 3 and reference > 2.9)


def test_thin_walls_and_floors_are_told_with_their_limit(tmp_path, capsys):
    """A wall just too thin and one just thick enough, a floor likewise; in the file, by the command."""
    base = m3.Manifold.cube((40, 30, 3))

    def with_wall(wide: float) -> m3.Manifold:
        return base + m3.Manifold.cube((30, wide, 10)).translate((5, 10, 2.9))

    (thin,) = thin_walls(with_wall(0.38), Printer())
    assert (
        thin.title == "A thin wall"
        and thin.figure == pytest.approx(0.38, abs=1e-3)
        and thin.limit == pytest.approx(0.42)
    )
    assert 10 < thin.place[1] + 0.4 < 11.2 and [
        f.severity for f in thin_walls(with_wall(0.45), Printer())
    ] == ["sound"]
    assert [f.title for f in thin_walls(with_wall(0.45), replace(Printer(), nozzle=0.6))] == ["A thin wall"]
    # Slanted, where no layer is thinner than a line.
    lean = m3.Manifold.cube((30, 0.38, 20)).rotate((40, 0, 0)).translate((5, 20, 1))
    assert [f.figure for f in thin_walls(base + lean, Printer())] == [pytest.approx(0.38, abs=1e-2)]

    def box(roof: float) -> m3.Manifold:
        return m3.Manifold.cube((40, 30, 10)) - m3.Manifold.cube((36, 26, 10.1 - roof)).translate(
            (2, 2, -0.1)
        )

    (roof,) = thin_walls(box(0.3), Printer())
    assert (
        roof.title == "A thin floor or roof"
        and roof.figure == pytest.approx(0.3, abs=1e-3)
        and roof.limit == pytest.approx(0.4)
    )
    assert [f.severity for f in thin_walls(box(0.41), Printer())] == ["sound"]
    mesh = with_wall(0.2).to_mesh64()
    path = tmp_path / "thin.stl"
    trimesh.Trimesh(np.asarray(mesh.vert_properties)[:, :3], np.asarray(mesh.tri_verts)).export(path)
    main(["check", str(path), "--nozzle", "0.4"])
    said = capsys.readouterr().out
    assert "A thin wall" in said and "A wall is lost" in said and "0.2 mm" in said


def test_steps_of_a_cavity_are_no_thin_floors():
    """A frustum hollowed in layers of 0.2 mm: its steps hang by 0.2 mm; a roof of 0.3 mm is told."""
    layers = [
        m3.Manifold.cube((40 - n * 0.15, 40 - n * 0.15, 0.2001), True).translate((0, 0, 1.1 + 0.2 * n))
        for n in range(90)
    ]
    whole = m3.Manifold.hull_points(
        np.array([(s * a, t * a, z) for a, z in ((21.6, 0), (14.85, 20)) for s in (-1, 1) for t in (-1, 1)])
    )
    stepped = whole - m3.Manifold.batch_boolean(layers, m3.OpType.Add)
    floors = [f for f in thin_walls(stepped, Printer()) if f.severity != "sound"]
    assert [f.title for f in floors if "floor" in f.title.lower()] == []
    thin = whole - m3.Manifold.cube((20, 20, 18.7), True).translate((0, 0, 10.35))
    assert any("floor" in f.title.lower() for f in thin_walls(thin, Printer()) if f.severity != "sound")
