"""What lies where on which bed, and the split command on files as makers have them."""

from __future__ import annotations

import io
import json
import re
import zipfile

import lib3mf
import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from shapely import affinity
from tests.conftest import written

from cutkey.cli.main import main
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.bed import GAP
from cutkey.core.kit.loads import largest_rectangle, lay_out
from cutkey.core.kit.pieces import key_unit
from cutkey.core.kit.read_back import unlike
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.kit.trial import write_trial
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer
from cutkey.core.printing.bed_rows import bed_corner
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.pose import bed_area
from cutkey.core.rehearse.read import beds_of, read_print
from cutkey.core.split.proofs.order import direction

RED = Filament("Red", "#ff0000")


def unit(name: str, solid: m3.Manifold, copies: int = 1) -> PrintUnit:
    return key_unit(name, solid, RED, copies)


def laid(units, spots, printer):
    """Outlines on their beds, by load."""
    out: dict[int, list] = {}
    for s in spots:
        turned = affinity.rotate(units[s.unit].outline, s.angle, origin=(0, 0))
        out.setdefault(s.load, []).append(affinity.translate(turned, s.x, s.y))
    return out


@pytest.mark.parametrize(
    "printer",
    [
        Printer(bed=(200, 160, 200), margin=5),
        Printer(bed=(220, 220, 200), margin=5, shape="round"),
        Printer(bed=(200, 200, 200), margin=5, keep_out=((0, 0, 60, 40), (150, 170, 50, 30))),
    ],
)
def test_everything_lies_on_its_bed_apart_and_off_the_keep_outs(printer):
    bar = m3.Manifold.cube((225, 12, 6)) if printer.shape != "round" else m3.Manifold.cube((200, 12, 6))
    units = [
        unit("square", m3.Manifold.cube((90, 70, 10)), 3),
        unit("rod", m3.Manifold.cylinder(20, 4), 9),
        unit("bar", bar),
    ]
    spots = lay_out(units, printer)
    assert len(spots) == 13 and all(s.fits for s in spots)
    area = bed_area(printer).buffer(1e-6)
    loads = laid(units, spots, printer)
    for shapes in loads.values():
        assert all(area.covers(s) for s in shapes)
        assert all(a.distance(b) >= GAP - 0.02 for i, a in enumerate(shapes) for b in shapes[i + 1 :])
    # The bar only lies there turned by an angle of its own, and alone.
    mine = next(s for s in spots if s.unit == 2)
    assert (mine.angle % 90 != 0 or printer.shape == "round") and len(loads[mine.load]) == 1
    room = shapely.box(*largest_rectangle(printer))
    assert area.covers(room)


def test_what_no_bed_takes_is_marked_and_still_gets_a_place():
    printer = Printer(bed=(100, 100, 50), margin=5)
    sizes = {"long": (140, 20, 5), "high": (20, 20, 60), "good": (20, 20, 5)}
    units = [unit(name, m3.Manifold.cube(size)) for name, size in sizes.items()]
    spots = lay_out(units, printer)
    assert [(s.unit, s.fits) for s in sorted(spots)] == [(0, False), (1, False), (2, True)] and len(
        {s.load for s in spots}
    ) == 3


def test_turned_units_are_built_turned_in_the_file(tmp_path):
    """Read back by lib3mf: the box of the build item on its bed is that of the turned outline."""
    printer = Printer(bed=(200, 160, 200), margin=5)
    units = [unit("bar", m3.Manifold.cube((225, 12, 6)))]
    spots = lay_out(units, printer)
    assert spots[0].fits and spots[0].angle % 90 != 0
    (tmp_path / "a.3mf").write_bytes(bytes_3mf("Bar", units, spots, printer))
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(tmp_path / "a.3mf"))
    items = model.GetBuildItems()
    assert items.MoveNext()
    t = items.GetCurrent().GetObjectTransform()
    matrix = np.array([[t.Fields[c][r] for c in range(4)] for r in range(3)])
    corners = np.array([[x, y, 0, 1] for x in (0, 225) for y in (0, 12)]) @ matrix.T
    assert shapely.box(4.99, 4.99, 195.01, 155.01).covers(shapely.MultiPoint(corners[:, :2]))
    assert np.linalg.det(matrix[:, :3]) == pytest.approx(1, abs=1e-5)


def test_the_test_piece_is_a_sound_file(tmp_path):
    write_trial(tmp_path / "try.3mf", Printer(), RED)
    read = read_3mf(tmp_path / "try.3mf")
    assert (
        not read.warnings and len(read.bodies) == 2 and all(b.manifold and b.volume > 0 for b in read.bodies)
    )


def test_pushes_are_told_as_seen_on_the_plan():
    ways = {
        (1, 0, 0): "to the right",
        (-0.9, 0.2, 0): "to the left",
        (0, -1, 0): "towards you",
        (0, 0.3, 0.9): "up",
        (0, 0, -1): "down",
    }
    assert all(direction(way) == text for way, text in ways.items())


@pytest.fixture(scope="module")
def bar(tmp_path_factory):
    """A bar of 300 x 80 x 20 mm with a foot, as STL."""
    folder = tmp_path_factory.mktemp("bar")
    mesh = mesh_of(m3.Manifold.cube((300, 80, 20)) + m3.Manifold.cube((60, 80, 40)))
    (folder / "bar.stl").write_bytes(stl_bytes(mesh.vertices, mesh.triangles, "bar"))
    return folder


@pytest.mark.parametrize("key", ["auto", "dowel", "tenon", "dovetail", "bowtie", "magnet", "screw"])
def test_the_command_keys_a_model_every_way(bar, key, tmp_path):
    report = tmp_path / "r.json"
    line = (
        f"split {bar}/bar.stl -o {tmp_path}/kit --bed 180,180,100 --key {key} --clearance 0.2 --report"
        f" {report}"
    )
    assert main(line.split()) == 0
    about = json.loads(report.read_text(encoding="utf-8"))
    assert {f["severity"] for f in about["findings"]} == {"sound"} and len(about["assembly"]) == 1
    assert {"one way", "goes together", "labels", "keys"} <= {f["kind"] for f in about["findings"]}
    kinds = {k["kind"] for j in about["joints"] for k in j["keys"]}
    assert kinds == ({key} if key != "auto" else {"dowel"}) and all(
        k["clearance_mm"] == 0.2 for k in about["joints"][0]["keys"]
    )
    bought = {n["name"].split(" ")[0]: n["count"] for n in about["to_buy"]}
    assert bought == (
        {"Magnet": 2 * len(about["joints"][0]["keys"])}
        if key == "magnet"
        else {"Screw": 2}
        if key == "screw"
        else {}
    )
    volume = sum(b.volume * b.copies for b in read_3mf(written(tmp_path / "kit")).bodies)
    assert volume == pytest.approx(about["design_volume_mm3"] - about["clearance_volume_mm3"], rel=1e-6)


def test_the_command_takes_tilted_limited_and_shaped_cuts(bar, tmp_path):
    cuts = [
        {"axis": "x", "at": 150, "tilt": 10, "seam": {"shape": "stepped", "pitch": 30}},
        {"axis": "y", "at": 40, "inside": [250, 40, 10], "keys": {"kind": "none"}},
    ]
    (tmp_path / "cuts.json").write_text(json.dumps(cuts), encoding="utf-8")
    line = (
        f"split {bar}/bar.stl -o {tmp_path}/kit --bed 235,235,100 --cuts {tmp_path}/cuts.json --no-labels"
        f" --report {tmp_path}/r.json"
    )
    assert main(line.split()) == 0
    about = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))
    assert [u["name"] for u in about["units"]] == ["A1", "B1a", "B1b"]
    by_cut = {j["cut"]: j for j in about["joints"]}
    assert (
        {k["kind"] for k in by_cut["A"]["keys"]} == {"stepped"}
        and by_cut["B"]["keys"] == []
        and "switched off" in by_cut["B"]["note"]
    )
    assert by_cut["A"]["normal"] == pytest.approx([np.cos(np.radians(10)), np.sin(np.radians(10)), 0])
    assert "labels" not in {f["kind"] for f in about["findings"]}


def test_what_has_the_same_filaments_lies_together():
    """Pieces of a single filament lie with their like, or where it is printed anyway; of several, as far
    as they can be loaded at once."""
    blue, green, white = (
        replace(RED, name=n, colour=c)
        for n, c in (("Blue", "#2040a0"), ("Green", "#3f7f4f"), ("White", "#ffffff"))
    )
    units = [
        key_unit(f"tile {n}", m3.Manifold.cube((30, 20, 3)), f, 2)
        for n, f in enumerate((RED, blue, green, RED))
    ]
    for count in (0, 1, 2):
        spots = lay_out(units, Printer(loaded=count))
        assert [
            len({units[s.unit].pieces[0].filament.name for s in spots if s.load == n}) for n in range(3)
        ] == [1, 1, 1]
    # Two of two filaments each: with three at once on one bed, and the red tiles with them.
    pairs = [
        u._replace(pieces=[*u.pieces, *key_unit("x", m3.Manifold.cube((5, 5, 3)), f, 1).pieces])
        for u, f in zip(units, (white, white), strict=False)
    ]
    loads = {n: lay_out([*pairs, units[3]], Printer(loaded=n)) for n in (0, 2, 3)}
    assert [len({s.load for s in loads[n]}) for n in (0, 2, 3)] == [1, 2, 1]


def test_another_reader_finds_what_is_not_as_meant():
    """A piece elsewhere, of another filament, another name, another volume, one too few: each in words."""
    printer = Printer()
    units = [unit("square", m3.Manifold.cube((90, 70, 10)), 2), unit("rod", m3.Manifold.cylinder(20, 4))]
    spots = lay_out(units, printer)
    data = bytes_3mf("x", units, spots, printer)
    assert unlike(data, "x", units, spots, printer) == []
    (piece,) = units[1].pieces
    for other, said in (
        (piece._replace(name="Rod"), "not those that were meant"),
        (piece._replace(volume=piece.volume * 1.001), "holds"),
        (piece._replace(filament=replace(piece.filament, colour="#000000")), "is of"),
    ):
        (problem,) = unlike(data, "x", [units[0], units[1]._replace(pieces=[other])], spots, printer)
        assert said in str(problem)
    moved = [s._replace(x=s.x + 0.01) if s.unit == 1 else s for s in spots]
    assert ["from its place" in str(p) for p in unlike(data, "x", units, moved, printer)] == [True]
    assert [str(p) for p in unlike(data, "x", units, spots[:-1], printer)] == [
        "3 things are built instead of 2"
    ]


@pytest.mark.parametrize("bed", [(180.0, 180.0, 180.0), (223.3, 199.7, 200.0), (300.0, 340.0, 300.0)])
@pytest.mark.parametrize("count", [1, 4, 5, 14])
def test_places_on_many_beds_are_written_as_they_are_meant(bed, count):
    """The package's XML read by itself: one block a bed, each where it was meant to the micrometre."""
    printer = Printer(bed=bed)
    solid = m3.Manifold.cube((0.6 * bed[0] + 1 / 3, 0.55 * bed[1] + 1 / 7, 5))
    units = [key_unit("Block", solid, Filament("PLA", "#808080"), count)]
    spots = lay_out(units, printer)
    assert sorted({s.load for s in spots}) == list(range(count))
    data = bytes_3mf("Blocks", units, spots, printer)
    with zipfile.ZipFile(io.BytesIO(data)) as package:
        model = package.read("3D/3dmodel.model").decode()
    places = [[float(v) for v in t.split()] for t in re.findall(r'<item [^>]*transform="([^"]+)"', model)]
    corners = [bed_corner(s.load, bed) for s in spots]
    meant = [(s.x + x, s.y + y) for s, (x, y) in zip(spots, corners, strict=True)]
    assert [tuple(p[9:11]) for p in places] == [pytest.approx(m, abs=1e-6) for m in meant]
    assert max(x for x, _ in meant) < 1000
    assert unlike(data, "blocks.3mf", units, spots, printer) == []
    beds = beds_of(read_print(data, "blocks.3mf"), bed[:2])
    assert [len(b) for b in beds] == [1] * count
    for number, (body,) in enumerate(beds):
        low = body.vertices.min(0)[:2] - bed_corner(number, bed)
        assert (low > 0).all() and (body.vertices.max(0)[:2] - bed_corner(number, bed) < bed[:2]).all()
