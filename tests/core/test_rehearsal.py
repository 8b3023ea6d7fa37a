"""The rehearsal against closed forms, and on files that it did not write."""

from __future__ import annotations

import io
import json
import math
import zipfile
from functools import reduce
from itertools import pairwise

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from PIL import Image
from tests.conftest import written
from tests.known import known

from cutkey.cli.main import main
from cutkey.core.engine.output import write_job_kit
from cutkey.core.engine.rehearsal import rehearsed
from cutkey.core.errors import BadInput
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.rehearse.film import layers_of, run
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.layers import Slicer, filled, heights
from cutkey.core.rehearse.lines import inside_of, walls_of
from cutkey.core.rehearse.nozzle import drawn, narrow, slits
from cutkey.core.rehearse.read import Body, beds_of, read_print
from cutkey.core.rehearse.settings import Settings
from cutkey.core.rehearse.under import hanging
from cutkey.demo.jobs import demo_job

S = Settings()


def body(solid: m3.Manifold, name: str = "A1", filament: str = "Fog PLA", item: int = 0) -> Body:
    mesh = solid.to_mesh64()
    return Body(
        name,
        item,
        name,
        filament,
        "#808080",
        np.asarray(mesh.vert_properties[:, :3]),
        np.asarray(mesh.tri_verts, np.int64),
    )


def box(x: float, y: float, z: float, at=(0.0, 0.0, 0.0)) -> m3.Manifold:
    return m3.Manifold.cube((x, y, z)).translate(at)


def volume(solid: m3.Manifold, layer: float) -> float:
    """Areas of the layers times their heights."""
    b = body(solid)
    s = S._replace(layer=layer, first=layer)
    middles, _ = heights(float(b.vertices[:, 2].min()), float(b.vertices[:, 2].max()), s)
    return sum(filled(cut.rings).size for cut in Slicer(b.vertices, b.triangles).at(middles.tolist())) * layer


def found_in(*bodies: Body, settings: Settings = S):
    return [
        t.finding
        for t in findings_of([run(list(bodies), settings)], settings)
        if t.finding.severity != "sound"
    ]


@pytest.mark.parametrize(
    ("solid", "exact", "off"),
    [
        (lambda: m3.Manifold.cylinder(30, 20, 0, 4096), math.pi * 400 * 10, 1.2e-5),
        (lambda: m3.Manifold.sphere(30, 1024), 4 / 3 * math.pi * 27000, 6e-6),
        (
            lambda: m3.CrossSection.circle(8, 512).translate((25, 0)).revolve(512),
            2 * math.pi**2 * 25 * 64,
            4.5e-4,
        ),
        (lambda: box(30, 20, 10), 6000.0, 1e-9),
    ],
)
def test_layers_add_up_to_the_volume_and_come_nearer_when_they_are_thinner(solid, exact, off):
    """Cone, sphere, torus, prism: layers of 0.2 mm within what the midpoint rule leaves, those of 0.05
    within a sixth of that."""
    made = solid()
    assert made.volume() == pytest.approx(exact, rel=1e-4)
    coarse, fine = (abs(volume(made, layer) / made.volume() - 1) for layer in (0.2, 0.05))
    # The facets of the mesh, not of the form, are what is cut.
    assert coarse < off + 1e-5 and fine < off / 6 + 1e-5


def test_layers_agree_with_another_library():
    """A torus turned at random, against trimesh's sections at the same heights."""
    b = body(m3.CrossSection.circle(8, 48).translate((25, 0)).revolve(64).rotate((33, 21, 0)))
    planes = np.linspace(b.vertices[:, 2].min() + 0.5, b.vertices[:, 2].max() - 0.5, 12)
    mesh = trimesh.Trimesh(b.vertices, b.triangles, process=False)
    for z, cut in zip(planes.tolist(), Slicer(b.vertices, b.triangles).at(planes.tolist()), strict=True):
        flat, _ = mesh.section((0, 0, 1), (0, 0, z)).to_2D()
        other = reduce(shapely.symmetric_difference, flat.polygons_closed).area
        assert filled(cut.rings).size == pytest.approx(other, rel=1e-6) and filled(
            cut.rings
        ).area.area == pytest.approx(other, rel=2e-4)


def test_what_a_line_cannot_draw():
    """A comb of fins by the closed form; corners down to 60 degrees are no walls; slits likewise."""
    widths = (0.1, 0.2, 0.3, 0.38, 0.41, 0.43, 0.5, 0.8)
    fins = [shapely.box(5 + 6 * k, 19.9, 5 + 6 * k + w, 30) for k, w in enumerate(widths)]
    comb = shapely.union_all([shapely.box(0, 0, 60, 20), *fins])
    found = narrow(comb, 0.42)
    assert sorted(round(n.wide, 2) for n in found) == [0.1, 0.2, 0.3, 0.38, 0.41]
    assert sum(n.area.area for n in found) == pytest.approx(sum(w * 10 for w in widths[:5]), rel=0.01)
    lost, widened = drawn(comb, S)
    assert [round(n.wide, 2) for n in lost] == [0.1, 0.2] and len(widened) == 3
    assert sum(n.area.area for n in lost) == pytest.approx(3.0, abs=0.05)
    corner = shapely.Polygon(
        [(0, 0), (20, 0), (20 * math.cos(math.radians(60)), 20 * math.sin(math.radians(60)))]
    )
    assert narrow(corner, 0.42) == [] and narrow(shapely.box(0, 0, 0.3, 5), 0.42)[0].wide == pytest.approx(
        0.3, abs=0.02
    )
    plate = shapely.box(0, 0, 40, 20) - shapely.union_all(
        [shapely.box(5 + 5 * k, 5, 5 + 5 * k + w, 15) for k, w in enumerate((0.2, 0.4, 0.5, 1))]
    )
    assert sorted(round(n.wide, 2) for n in slits(plate, 0.42)) == [0.2, 0.4]


@pytest.mark.parametrize("long", [0.9, 1.5, 4.0])
@pytest.mark.parametrize("wide", [0.1, 0.2, 0.4, 0.44])
def test_a_wall_between_two_wide_parts_and_a_slit_between_two_windows(long, wide):
    """All corners of a wall that joins two blocks lie in the blocks; a line of 0.42 mm does not go in."""
    blocks = shapely.union_all([shapely.box(0, 0, 10, 10), shapely.box(10 + long, 0, 20 + long, 10)])
    wall = shapely.box(10, 4, 10 + long, 4 + wide)
    for rough in (None, 1):
        joined = shapely.union_all([blocks, wall.buffer(0.001, join_style="mitre")])
        found = narrow(joined, 0.42, joined.simplify(0.005) if rough else None)
        plate = shapely.box(-5, -5, 25 + long, 15) - joined
        gap = slits(plate, 0.42, plate.simplify(0.005) if rough else None)
        for some in (found, gap):
            assert [n.wide for n in some] == ([pytest.approx(wide, abs=0.02)] if wide < 0.42 else [])
            if some:
                # The blocks' corners round off a little of it at both ends.
                assert some[0].area.area == pytest.approx(long * wide, abs=0.1)


def test_a_neck_that_is_lost_is_told_by_the_rehearsal_of_a_print():
    blocks = m3.Manifold.cube((10, 10, 2)) + m3.Manifold.cube((10, 10, 2)).translate((14, 0, 0))
    necked = blocks + m3.Manifold.cube((4.02, 0.2, 2)).translate((9.99, 5, 0))
    for solid, lost in ((blocks, 0), (necked, 1)):
        mesh = mesh_of(solid)
        runs = [run([Body("a", 0, "a", "PLA", "", mesh.vertices, mesh.triangles)], Settings())]
        assert [e.kind for e in runs[0].events] == ["lost"] * lost


@pytest.mark.parametrize("angle", [30, 45, 60])
def test_the_ridge_of_a_roof_is_no_lost_wall(angle):
    rise = 15 * math.tan(math.radians(angle))
    gable = ((0, 0), (30, 0), (0, 10), (30, 10), (15, 10 + rise))
    roof = m3.Manifold.hull_points(np.array([(x, y, z) for x in (0, 40) for y, z in gable]))
    assert found_in(body(roof)) == []
    fin = box(30, 30, 2) + box(20, 0.2, 5, (5, 10, 1.9))
    assert [f.severity for f in found_in(body(fin))] != []


@pytest.mark.parametrize(("high", "layers"), [(2.6, 13), (2.65, 13), (2.7, 13), (2.75, 14)])
def test_a_layer_in_which_nothing_is_printed_is_none(high, layers):
    """A layer is printed where its middle lies in the body."""
    print_ = run([body(box(20, 20, high))], S)
    assert len(print_.rows) == layers and all(sum(r.areas.values()) > 0 for r in print_.rows)


def test_what_a_layer_rests_on():
    """A bridge of 10 mm, one held all round, a lip, a sphere's slope in sum, and a part that floats."""
    walls = shapely.union_all([shapely.box(0, 0, 2, 12), shapely.box(12, 0, 14, 12)])
    (bridge,) = hanging(shapely.box(0, 0, 14, 12), walls, 0.2, S)
    assert (
        bridge.kind == "bridge"
        and bridge.far == pytest.approx(10, abs=0.01)
        and bridge.area.area == pytest.approx(12 * 9.6, rel=1e-3)
    )
    ring = shapely.Point(0, 0).buffer(10, quad_segs=64) - shapely.Point(0, 0).buffer(6, quad_segs=64)
    (lid,) = hanging(shapely.Point(0, 0).buffer(10, quad_segs=64), ring, 0.2, S)
    assert lid.kind == "bridge" and lid.far == pytest.approx(12, abs=0.1)
    (lip,) = hanging(shapely.box(0, 0, 13, 10), shapely.box(0, 0, 10, 10), 0.2, S)
    assert lip.kind == "overhang" and lip.far == pytest.approx(3, abs=0.01)
    two = shapely.MultiPolygon([shapely.box(0, 0, 10, 10), shapely.box(20, 0, 22, 2)])
    (island,) = hanging(two, shapely.box(0, 0, 10, 10), 0.2, S)
    assert island.kind == "island" and island.far == pytest.approx(2)
    # Touching along an edge is no support.
    (beside,) = hanging(
        shapely.MultiPolygon([shapely.box(0, 0, 10, 10), shapely.box(20, 0, 22, 2)]),
        shapely.box(22, 0, 30, 9),
        0.2,
        S,
    )[1:]
    assert beside.kind == "island"
    layers = list(layers_of([body(m3.Manifold.sphere(30, 256))], S))
    hangs = sum(row.hanging for row in run([body(m3.Manifold.sphere(30, 256))], S).rows)
    r = [math.sqrt(max(0.0, 900 - (x.middle - 30) ** 2)) for x in layers]
    exact = math.pi * sum(max(0.0, b * b - (a + 0.2) ** 2) for a, b in pairwise(r))
    # Told apart are only those that reach further than a line; the first layers of a ball do.
    assert 0 < hangs < 1.02 * exact


def test_faults_planted_in_a_print_are_found_at_their_layers():
    """A wall too thin, a part in the air, a long bridge, bodies that cross, something tall on a pin: each
    at its layer, and no more."""
    plate = box(40, 30, 4)
    thin = plate + box(20, 0.2, 3, (5, 5, 3.9))
    assert [(f.title, f.figure) for f in found_in(body(thin))] == [
        ("A wall is lost", pytest.approx(0.2, abs=0.01))
    ]
    floating = m3.Manifold.compose([plate, box(5, 5, 2, (10, 10, 10))])
    (air,) = found_in(body(floating))
    assert (
        air.title == "Printed in the air" and "layer 51" in air.text and air.place[2] == pytest.approx(10.1)
    )
    gate = box(3, 10, 10) + box(3, 10, 10, (27, 0, 0)) + box(30, 10, 2, (0, 0, 10))
    (bridge,) = found_in(body(gate))
    assert (
        bridge.title == "A long bridge"
        and bridge.figure == pytest.approx(24, abs=0.1)
        and "layer 51" in bridge.text
    )
    assert found_in(body(gate), settings=S._replace(bridge=25.0)) == []
    one, other = box(20, 20, 4), box(20, 20, 4, (15, 0, 0))
    (both,) = found_in(body(one), body(other, "B1", "Soot PLA"))
    assert (
        both.title == "Two bodies in one place"
        and both.figure == pytest.approx(400)
        and both.severity == "stop"
    )
    first, second = body(one), body(other)
    itself = np.vstack([first.triangles, second.triangles + len(first.vertices)])
    (twice,) = found_in(
        first._replace(vertices=np.vstack([first.vertices, second.vertices]), triangles=itself)
    )
    assert (
        twice.title == "Bodies cross"
        and twice.figure == pytest.approx(100, rel=1e-3)
        and "layers 1 to 20" in twice.text
    )
    (pin,) = found_in(body(m3.Manifold.cylinder(40, 1.5, 1.5, 64), "Pin"))
    assert pin.title == "Stands on little" and pin.figure == pytest.approx(math.pi * 1.5**2, rel=0.01)
    roof = box(3, 10, 4) + box(3, 10, 4, (7, 0, 0)) + box(10, 10, 0.2, (0, 0, 4))
    (one,) = found_in(body(roof))
    assert (
        one.title == "One layer thick"
        and one.figure == pytest.approx(3.6, abs=0.1)
        and "layer 21" in one.text
    )
    assert found_in(body(roof + box(10, 10, 0.2, (0, 0, 4.2)))) == []
    floor = box(20, 20, 4) - box(16, 16, 4, (2, 2, 0.2))
    (below,) = found_in(body(floor))
    assert (
        below.title == "One layer thick"
        and below.figure == pytest.approx(16, abs=0.1)
        and "in layer 1" in below.text
    )
    speck = plate + box(0.25, 0.25, 1, (9, 9, 3.9))
    assert [(f.title, f.figure) for f in found_in(body(speck))] == [
        ("A wall is lost", pytest.approx(0.25, abs=0.01))
    ]
    torn = body(plate)
    assert "An outline does not close" in [
        f.title for f in found_in(torn._replace(triangles=torn.triangles[2:]))
    ]
    slope = m3.Manifold.hull_points(
        np.array(
            [(0, 0, 0), (10, 0, 0), (0, 10, 0), (10, 10, 0), (0, 0, 8), (30, 0, 8), (0, 10, 8), (30, 10, 8)],
            float,
        )
    )
    (leans,) = found_in(body(slope))
    assert leans.title == "Leans out over nothing" and "layers 2 to 40" in leans.text


def test_grams_metres_and_time_follow_the_formula():
    """A solid cube: walls and full layers by the closed form of the stated rule."""
    result = run([body(box(20, 20, 10))], S)
    inner = (20 - 4 * S.line) ** 2
    full, sparse = 400.0, 400 - inner + S.infill * inner
    exact = 0.2 * (2 * S.solid * full + (50 - 2 * S.solid) * sparse)
    assert (
        result.printed()["Fog PLA"] == pytest.approx(exact, rel=1e-6)
        and result.changes == 0
        and len(result.rows) == 50
    )
    fast = run([body(box(20, 20, 10))], S._replace(speed=120.0, acceleration=1e9))
    slow = run([body(box(20, 20, 10))], S._replace(speed=60.0, acceleration=1e9))
    assert slow.seconds == pytest.approx(
        exact / 0.2 / S.line / 60, rel=1e-6
    ) and fast.seconds == pytest.approx(slow.seconds / 2)
    assert result.seconds > slow.seconds


def test_lines_lie_inside_and_fill_what_is_full():
    area = shapely.Point(0, 0).buffer(12, quad_segs=64) - shapely.Point(0, 0).buffer(4, quad_segs=64)
    lines = [*walls_of(area, S), *inside_of(area, shapely.Polygon(), 1, S)]
    laid = (
        shapely.union_all(shapely.buffer(shapely.linestrings(lines[0]), 0))
        if not lines
        else shapely.union_all([shapely.LineString(x).buffer(S.line / 2) for x in lines])
    )
    assert shapely.difference(laid, area.buffer(0.02)).area < 0.2 and laid.area == pytest.approx(
        area.area, rel=0.02
    )
    half = [*walls_of(area, S), *inside_of(area, area, 1, S)]
    assert sum(shapely.LineString(x).length for x in half) < 0.6 * sum(
        shapely.LineString(x).length for x in lines
    )


@pytest.fixture(scope="module")
def kit(tmp_path_factory):
    job, sources = demo_job("plate")
    job = replace(job, colouring=replace(job.colouring, way="heights"))
    evaluator = known(sources)
    folder = tmp_path_factory.mktemp("kit") / "kit"
    write_job_kit(folder, job, evaluator)
    return job, evaluator, folder


def test_a_written_kit_is_what_its_plan_says(kit):
    """Colours a layer of the written file equal the plan of the Colour sheet; volumes equal those that
    trimesh reads."""
    job, evaluator, folder = kit
    bodies = read_print(written(folder).read_bytes(), "kit.3mf")
    other = trimesh.load(written(folder), file_type="3mf")
    for b in bodies:
        mesh = trimesh.Trimesh(b.vertices, b.triangles, process=False)
        assert mesh.volume == pytest.approx(other.geometry[b.name].volume, rel=1e-6)
    plan = evaluator.heights(job)
    for layer in layers_of(bodies, S):
        assert list(layer.areas) == [
            next(s.filament for s in plan.stripes if s.first <= layer.number <= s.last)
        ], layer.number
    found = rehearsed(evaluator, job)
    assert found.runs[0].changes == plan.changes == 3
    total = sum(row.areas[n] * 0.2 for row in found.runs[0].rows for n in row.areas)
    assert total == pytest.approx(evaluator.design(job).volume, rel=1e-4)


def test_the_command_rehearses_a_file(kit, tmp_path, capsys):
    _, _, folder = kit
    pictures, report = tmp_path / "pictures", tmp_path / "r.json"
    assert main(["rehearse", str(written(folder)), "--pictures", str(pictures), "--report", str(report)]) == 0
    told = json.loads(report.read_text())
    assert "20 layers" not in capsys.readouterr().err and told["beds"][0]["changes"] == 3
    printed = told["beds"][0]["printed"]
    for p in printed.values():
        assert p["grams"] == pytest.approx(1.24 * p["mm3"] / 1000) and p["metres"] == pytest.approx(
            p["mm3"] / (math.pi * 1.75**2 / 4) / 1000
        )
    files = sorted(pictures.iterdir())
    assert len(files) == len(told["beds"][0]["layers"]) and files[0].name == "bed-1-layer-0001.png"
    # The first layer, seen from above, is of the first filament.
    shot = np.asarray(Image.open(files[0]).convert("RGB")).astype(int)
    assert (np.abs(shot - shot[shot.shape[0] // 2, shot.shape[1] // 3]).max(-1) < 3).mean() > 0.5
    assert (
        main(["rehearse", str(folder / "report.json")]) == 2
        and main(["rehearse", str(tmp_path / "none.3mf")]) == 2
    )


def test_a_strangers_file_is_read_by_the_specification(tmp_path):
    """Components, transforms, units, mirrored items, colours by group; written by hand after 3MF Core 1.3."""
    corners = ("0 0 0", "1 0 0", "0 1 0", "0 0 1")
    vertices = "".join('<vertex x="{}" y="{}" z="{}"/>'.format(*c.split()) for c in corners)
    triangles = "".join(
        '<triangle v1="{}" v2="{}" v3="{}"/>'.format(*t) for t in ("021", "013", "123", "032")
    )
    tetra = f"<mesh><vertices>{vertices}</vertices><triangles>{triangles}</triangles></mesh>"
    along, twice, mirrored = "1 0 0 0 1 0 0 0 1 5 0 0", "2 0 0 0 2 0 0 0 2 0 0 0", "-1 0 0 0 1 0 0 0 1 -4 0 0"
    model = f"""<?xml version="1.0"?>
    <model unit="inch" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>
    <basematerials id="9"><base name="Red" displaycolor="#C03020FF"/>
    <base name="Blue" displaycolor="#2040A0FF"/></basematerials>
    <object id="1" name="corner" pid="9" pindex="1" type="model">{tetra}</object>
    <object id="2" name="pair" type="model"><components>
    <component objectid="1"/><component objectid="1" transform="{along}"/></components></object>
    </resources><build><item objectid="2" transform="{twice}"/>
    <item objectid="1" transform="{mirrored}"/></build></model>"""
    kind = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
    relations = f'<Relationships><Relationship Target="/3D/a.model" Id="r" Type="{kind}"/></Relationships>'

    def packed(text: str) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("_rels/.rels", relations)
            archive.writestr("3D/a.model", text)
        return out.getvalue()

    bodies = read_print(packed(model), "a.3mf")
    assert [(b.unit, b.name, b.filament, b.colour, b.item) for b in bodies] == [
        ("pair", "corner", "Blue", "#2040a0", 0),
        ("pair", "corner", "Blue", "#2040a0", 0),
        ("corner", "corner", "Blue", "#2040a0", 1),
    ]
    for b, side in zip(bodies, (2 * 25.4, 2 * 25.4, 25.4), strict=True):
        assert trimesh.Trimesh(b.vertices, b.triangles, process=False).volume == pytest.approx(side**3 / 6)
    assert bodies[1].vertices[:, 0].min() == pytest.approx(10 * 25.4)
    assert len(beds_of(bodies, (1000.0, 1000.0))) == 1
    entity = ('<?xml version="1.0"?>', "<!DOCTYPE x [<!ENTITY a 'b'>]>")
    for old, new in (("</model>", ""), ('v3="1"', 'v3="7"'), ('objectid="2" tr', 'objectid="8" tr'), entity):
        text = model.replace(old, new)
        with pytest.raises(BadInput, match=r"a\.3mf"):
            read_print(packed(text), "a.3mf")
    loop = model.replace('<component objectid="1"/>', '<component objectid="2"/>')
    with pytest.raises(BadInput, match=r"a\.3mf"):
        read_print(packed(loop), "a.3mf")
