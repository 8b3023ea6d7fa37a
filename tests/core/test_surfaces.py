"""What following surfaces stands on: normals, neighbours, many solids against one; and models that bring
colours of their own."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh

from cutkey.cli.main import main
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.apart import each_with
from cutkey.core.geometry.mesh import corner_normals, joined, neighbours, weld
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.model.edits import place
from cutkey.core.model.job import GraphicSpec, Job, ModelBase, Source
from cutkey.core.model.placement import Depth
from cutkey.core.place.triangle_grid import grid_of


def test_corner_normals_are_smooth_on_a_ball_and_sharp_on_a_box():
    """On a ball they point from its middle (exact); on a box they are those of its faces."""
    ball = mesh_of(m3.Manifold.sphere(10, 96))
    outward = ball.vertices[ball.triangles] / 10
    assert (corner_normals(ball) * outward).sum(2).min() > 0.999
    box = mesh_of(m3.Manifold.cube((4, 5, 6)))
    own = trimesh.Trimesh(box.vertices, box.triangles, process=False).face_normals
    assert corner_normals(box) == pytest.approx(np.repeat(own[:, None], 3, 1))


def test_neighbours_and_groups_are_those_of_trimesh():
    mesh = mesh_of(m3.Manifold.cube((4, 5, 6)).refine(3) + m3.Manifold.sphere(2, 24).translate((20, 0, 0)))
    pairs = neighbours(mesh)
    other = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False)
    assert {tuple(sorted(p)) for p in zip(pairs.one.tolist(), pairs.other.tolist(), strict=True)} == {
        tuple(sorted(p)) for p in other.face_adjacency.tolist()
    }
    owner = joined(len(mesh.triangles), pairs.one, pairs.other)
    assert sorted(np.bincount(owner)) == sorted(len(b.faces) for b in other.split(only_watertight=False))


def test_welding_is_the_same_in_single_and_double_precision():
    """Points that repeat in every way, minus zero among them; numpy's own unique as the judge."""
    rng = np.random.default_rng(2)
    corners = rng.integers(-4, 4, (700, 3, 3)).astype(np.float32) * np.float32(0.1)
    corners[0, 0] = (-0.0, 0.0, -0.0)
    single, double = weld(corners), weld(corners.astype(float))
    assert np.array_equal(single.vertices, double.vertices) and np.array_equal(
        single.triangles, double.triangles
    )
    assert np.array_equal(
        single.vertices, np.unique(corners.reshape(-1, 3) + np.float32(0), axis=0).astype(float)
    )


@pytest.mark.parametrize("keep", [True, False])
def test_many_solids_against_one_are_as_one_by_one(keep):
    """Apart, touching, crossing, inside, outside and empty ones: each as the library gives it alone."""
    whole = m3.Manifold.sphere(20, 60)
    box = m3.Manifold.cube((4, 4, 4), True)
    tools = [box.translate((x, y, z)) for x in (-18, -9, 0, 9, 18) for y in (-10, 10) for z in (17, 0)]
    tools += [box.translate((2, 10, 0)), box.translate((40, 0, 0)), m3.Manifold(), box.translate((4, 10, 17))]
    found = each_with(tools, whole, keep)
    for tool, got in zip(tools, found, strict=True):
        wanted = tool ^ whole if keep else tool - whole
        assert got.volume() == pytest.approx(wanted.volume(), abs=1e-9)
        assert (got ^ wanted).volume() == pytest.approx(wanted.volume(), abs=1e-9)


def svg(*shapes: tuple[str, shapely.Geometry]) -> bytes:
    paths = []
    for colour, g in shapes:
        x0, y0, x1, y1 = g.bounds
        paths.append(
            f'<rect x="{x0 + 50}" y="{50 - y1}" width="{x1 - x0}" height="{y1 - y0}" fill="{colour}"/>'
        )
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="10mm" viewBox="40 45 20'
        f' 10">{"".join(paths)}</svg>'.encode()
    )


def test_a_model_in_two_colours_keeps_them_under_an_inlay():
    """A 3MF of two coloured boxes side by side; an inlay across both takes its share of each, and nothing
    is lost."""
    scene = trimesh.Scene()
    for k, colour in enumerate(([200, 30, 30, 255], [30, 30, 200, 255])):
        box = trimesh.creation.box((20, 20, 4))
        box.apply_translation((20 * k - 10, 0, 2))
        box.visual = trimesh.visual.ColorVisuals(box, face_colors=colour)
        scene.add_geometry(box, geom_name=f"b{k}")
    files: dict[str, bytes] = {}

    def take(name: str, kind: str, data: bytes) -> Source:
        files[digest_bytes(data)] = data
        return Source(digest_bytes(data), name, kind)

    model = take("two.3mf", "model", scene.export(file_type="3mf"))
    drawing = take("mark.svg", "drawing", svg(("#e0a32a", shapely.box(-10, -5, 10, 5))))
    spec = GraphicSpec("g", "Mark", drawing.digest, 20.0)
    job = Job(sources=(model, drawing), graphics=(spec,), base=ModelBase(model.digest))
    job, _ = place(job, "g", (0.0, 0.0, 4.0), (0.0, 0.0, 1.0), Depth("flush", 1.0))
    evaluator = Evaluator(files)
    design = evaluator.design(job)
    volumes = {p.colour: p.solid.volume() for p in design.parts}
    assert sum(volumes.values()) == pytest.approx(2 * 20 * 20 * 4, rel=1e-9)
    assert volumes["#e0a32a"] == pytest.approx(200, rel=1e-6)
    assert not [f for f in evaluator.kit(job).findings if f.severity == "stop"]


def test_the_command_line_follows_surfaces(tmp_path, capsys):
    """Lettering wrapped round a can and laid on a ball: the written bodies reach as far out as they
    should."""
    (tmp_path / "mark.svg").write_bytes(
        svg(("#e0a32a", shapely.box(-10, -5, 0, 5)), ("#26241f", shapely.box(0, -5, 10, 5)))
    )
    for name, solid in (
        ("can", m3.Manifold.cylinder(60, 30, 30, 240)),
        ("ball", m3.Manifold.sphere(30, 240)),
    ):
        mesh = mesh_of(solid)
        (tmp_path / f"{name}.stl").write_bytes(stl_bytes(mesh.vertices, mesh.triangles, name))
    for name, follow in (("can", "wrap"), ("ball", "project"), ("can", "flat")):
        out = tmp_path / f"{name}-{follow}.3mf"
        words = (
            f"place {tmp_path}/mark.svg {tmp_path}/{name}.stl -o {out} --face front --follow {follow} --depth"
            " 1.2 --width 24"
        )
        assert main(words.split()) == 0, capsys.readouterr().out
        bodies = read_3mf(out).bodies
        assert len(bodies) == 3 and all(b.manifold for b in bodies)
        deep = np.ptp(np.concatenate([b.mesh.vertices for b in bodies]), axis=0)[1]
        assert deep == pytest.approx(61.2, abs=0.2 if follow == "flat" else 0.05), (name, follow)
    with pytest.raises(SystemExit):
        main(["place", "--follow", "sideways"])
    ball = f"place {tmp_path}/mark.svg {tmp_path}/ball.stl -o {tmp_path}/x.3mf"
    assert main([*ball.split(), "--face", "front", "--follow", "wrap"]) == 2
    assert "no cylinder or cone" in capsys.readouterr().err and not (tmp_path / "x.3mf").exists()
    tray = trimesh.creation.box((40, 30, 20))
    lidless = np.delete(tray.faces, np.flatnonzero(tray.face_normals[:, 2] > 0.5), 0)
    trimesh.Trimesh(tray.vertices, lidless, process=False).export(tmp_path / "tray.ply")
    assert main(f"place {tmp_path}/mark.svg {tmp_path}/tray.ply -o {tmp_path}/t.3mf".split()) == 2
    assert "a hole with 4 open edges" in capsys.readouterr().err
    assert main(f"place {tmp_path}/mark.svg {tmp_path}/tray.ply -o {tmp_path}/t.3mf --close".split()) == 0


def test_the_triangles_over_points_are_those_of_shapely():
    """Random, long and tiny triangles; the grid may name more than hold the point, never fewer."""
    rng = np.random.default_rng(6)
    middle = rng.random((900, 1, 2)) * (50, 20)
    triangles = middle + rng.normal(0, 1, (900, 3, 2)) * rng.choice([0.05, 0.6, 6.0], (900, 1, 1))
    points = rng.random((2000, 2)) * (60, 30) - 5
    at, triangle = grid_of(triangles).over(points)
    tree = shapely.STRtree(shapely.polygons(triangles))
    wanted = {tuple(p) for p in tree.query(shapely.points(points), predicate="within").T.tolist()}
    assert wanted and wanted <= set(zip(at.tolist(), triangle.tolist(), strict=True))
    assert len(at) < 60 * len(points)
