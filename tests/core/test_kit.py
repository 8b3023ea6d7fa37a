"""The written kit, read back by the 3MF Consortium's library (lib3mf), trimesh and zipfile."""

from __future__ import annotations

import io
import json
import math
import zipfile

import cv2
import lib3mf
import msgspec
import numpy as np
import pypdfium2
import pytest
import shapely
import trimesh
from pypdf import PdfReader
from shapely import affinity
from tests.conftest import written
from tests.known import known

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.watertight import check_watertight
from cutkey.core.colour.difference import rgb_of
from cutkey.core.engine.output import contents_of, write_job_kit
from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh, open_edges, signed_volume
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.compare import compared, pieces_of
from cutkey.core.kit.export import check_file, stl_names
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.pieces import as_written
from cutkey.core.kit.report import Report
from cutkey.core.kit.sheet import sheet_pdf
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer
from cutkey.core.printing.piece import Piece, PrintUnit
from cutkey.core.units import format_size
from cutkey.demo.jobs import demo_job


@pytest.fixture(scope="module")
def sign(tmp_path_factory):
    """The demo sign, built once."""
    folder = tmp_path_factory.mktemp("kit")
    job, sources = demo_job("sign")
    evaluator = known(sources)
    return folder, write_job_kit(folder, job, evaluator), contents_of(job, evaluator), evaluator, job


def test_the_reference_reader_takes_the_sign_without_a_warning(sign):
    folder, report, _, _, _ = sign
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(True)
    reader.ReadFromFile(str(written(folder)))
    assert reader.GetWarningCount() == 0
    names, manifold = [], []
    bodies = model.GetMeshObjects()
    while bodies.MoveNext():
        body = bodies.GetCurrentMeshObject()
        names.append(body.GetName())
        manifold.append(body.IsManifoldAndOriented())
        assert body.GetObjectLevelProperty()[2]
    assert all(manifold) and len(set(names)) == len(names)
    assert sorted(names) == sorted(p["name"] for u in report["units"] for p in u["pieces"])
    assert {"A1 Chalk PLA", "A2 Soot PLA", "Dowel 4 × 20"} <= set(names)


def flat_of(r: float) -> float:
    """What the flat of 80 degrees takes of a regular polygon of 64 sides, mm2."""
    a = 2 * np.pi * np.arange(64) / 64
    return (
        shapely.Polygon(np.c_[r * np.cos(a), r * np.sin(a)])
        .intersection(shapely.box(-r, -r, -r * np.cos(np.radians(40)), r))
        .area
    )


def test_the_parts_together_have_the_volume_of_the_design_less_the_clearances(sign):
    """Volumes from the file, by lib3mf's meshes and by trimesh's reader; the design's from the uncut
    bodies."""
    folder, report, _, evaluator, job = sign
    design = evaluator.design(job)
    uncut = sum(p.solid.volume() for p in design.parts)
    sockets = report["clearance_volume_mm3"]
    read = read_3mf(written(folder))
    assert sum(b.volume * b.copies for b in read.bodies) == pytest.approx(uncut - sockets, rel=1e-6)
    scene = trimesh.load(written(folder))
    assert sum(scene.geometry[scene.graph[n][1]].volume for n in scene.graph.nodes_geometry) == pytest.approx(
        uncut - sockets, rel=1e-6
    )
    # Sockets, keys and names by closed formulas: prisms over regular 64-gons, and over the writing.
    keys = [k for j in report["joints"] for k in j["keys"]]
    gap = [
        (k["size_mm"] / 2 + 0.15) ** 2 * 2 * (k["depth_mm"] + 0.4)
        - (k["size_mm"] / 2) ** 2 * 2 * k["depth_mm"]
        for k in keys
    ]
    flats = sum(flat_of(k["size_mm"] / 2) * 2 * k["depth_mm"] for k in keys)
    names = evaluator.split(job).engraved.labels
    stated = (
        32 * np.sin(2 * np.pi / 64) * sum(gap) + flats + sum(n.area.area * job.labels.depth for n in names)
    )
    assert sockets == pytest.approx(stated, rel=1e-6) and len(names) == 2 * len(report["joints"])


def test_colours_names_and_files_of_the_sign(sign):
    folder, report, _, _, _ = sign
    read = read_3mf(written(folder))
    by_name = {b.name: b for b in read.bodies}
    assert by_name["A1 Honey PLA"].colour == "#e0a32a" and by_name["C2 Soot PLA"].colour == "#26241f"
    assert read.unit == "mm"
    files = {p["file"] for u in report["units"] for p in u["pieces"]}
    rest = {"Gate-sign.3mf", "Gate-sign-assembly-sheet.pdf", "README.txt", "report.json", "drawings"}
    assert files | rest == {f.name for f in folder.iterdir()} and set(report["files"]) >= files
    assert {f.name for f in (folder / "drawings").iterdir()} == {
        f"{n}.{k}"
        for n in ("Gate-sign", *(f"joint-{'-'.join(j['sections'])}" for j in report["joints"]))
        for k in ("svg", "dxf")
    }
    # Names sort as it is put together, and say what each is.
    first = [
        p["file"] for u in report["units"] for p in u["pieces"] if u["name"] == report["assembly"][0]["to"][0]
    ]
    assert all(f.startswith("1-") for f in first) and "push " in (folder / "README.txt").read_text(
        encoding="utf-8"
    )
    for unit in report["units"]:
        for piece in unit["pieces"]:
            mesh = trimesh.load(folder / piece["file"])
            assert mesh.volume == pytest.approx(piece["volume_mm3"], rel=1e-5), piece["name"]
    assert written(folder, "sheet.pdf").read_bytes().startswith(b"%PDF-")
    assert json.loads((folder / "report.json").read_text(encoding="utf-8")) == json.loads(json.dumps(report))
    # The report fits its schema, field for field.
    told = msgspec.json.decode((folder / "report.json").read_bytes(), type=Report)
    assert json.loads(msgspec.json.encode(told)) == json.loads(json.dumps({"series": [], **report}))
    with zipfile.ZipFile(written(folder)) as package:
        assert "3D/3dmodel.model" in package.namelist()
        shown = cv2.imdecode(
            np.frombuffer(package.read("Metadata/thumbnail.png"), np.uint8), cv2.IMREAD_UNCHANGED
        )
    # The picture of it shows the sign in its colours, as large as a box is that is turned by 28 degrees and
    # tilted by 52, on nothing.
    wide, deep = (np.ptp(np.nonzero(shown[:, :, 3])[k]) + 1 for k in (1, 0))
    c, s, t = math.cos(math.radians(28)), math.sin(math.radians(28)), math.radians(52)
    across, along = 520 * c + 300 * s, (520 * s + 300 * c) * math.sin(t) + 9.2 * math.cos(t)
    assert wide / deep == pytest.approx(across / along, rel=0.03)
    assert all(
        (np.abs(shown[:, :, 2::-1].astype(int) - rgb_of(c)).max(2) < 12).sum() > 100
        for c in ("#e0a32a", "#26241f")
    )


def test_the_sheet_shows_every_part_bed_and_push(sign):
    """By its text: every part with its size, weight and bed, every bed, every push, in the order of the
    report."""
    folder, report, contents, _, _ = sign
    pages = [" ".join(p.extract_text().split()) for p in PdfReader(written(folder, "sheet.pdf")).pages]
    whole = " ".join(pages)
    parts = next(p for p in pages if "Parts, in the order" in p)
    for unit in report["units"]:
        assert f"{unit['name']}" in parts and format_size(unit["size_mm"], 1) in parts
    beds = next(p for p in pages if "Bed loads of" in p)
    assert all(f"Bed {n + 1}" in beds for n in range(report["bed_loads"])) and all(
        s.name in beds for s in contents.sections
    )
    places = [
        whole.index(f"{n}. {' + '.join(s['push'])} to {' + '.join(s['to'])}")
        for n, s in enumerate(report["assembly"], 1)
    ]
    assert places == sorted(places)


def test_sections_lie_apart_on_their_beds(sign):
    _, _, contents, _, job = sign
    spots = lay_out(contents.units, job.printer)
    assert len(spots) == sum(u.copies for u in contents.units)
    boxes: dict[int, list] = {}
    for s in spots:
        outline = affinity.rotate(contents.units[s.unit].outline, s.angle, origin=(0, 0))
        boxes.setdefault(s.load, []).append(affinity.translate(outline, s.x, s.y))
    bed = shapely.box(0, 0, *job.printer.bed[:2]).buffer(-job.printer.margin + 0.01, join_style="mitre")
    for load in boxes.values():
        assert all(bed.contains(b) for b in load)
        assert shapely.union_all(load).area == pytest.approx(sum(b.area for b in load))


def test_a_kit_is_written_whole_or_not_at_all(sign, tmp_path, monkeypatch):
    _, _, _, evaluator, job = sign
    folder = tmp_path / "kit"
    folder.mkdir()
    (folder / "notes.txt").write_text("the maker's own")
    import cutkey.core.kit.export as export

    monkeypatch.setattr(
        export, "sheet_pdf", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device"))
    )
    with pytest.raises(BadInput, match="The disk is full"):
        write_job_kit(folder, job, evaluator)
    assert [f.name for f in folder.iterdir()] == ["notes.txt"] and [f.name for f in tmp_path.iterdir()] == [
        "kit"
    ]


def test_what_was_written_is_compared_with_what_was_meant(sign, tmp_path):
    _, _, contents, _, job = sign
    path = tmp_path / "kit.3mf"
    path.write_bytes(
        bytes_3mf(
            "x",
            contents.units[:-1],
            [s for s in lay_out(contents.units, job.printer) if s.unit < len(contents.units) - 1],
            job.printer,
        )
    )
    found = check_file(path, contents)
    assert found[0].severity == "stop" and "not those that were meant" in found[0].text
    for data in (b"", b"PK\x03\x04 nonsense"):
        path.write_bytes(data)
        with pytest.raises(BadInput, match=r"kit\.3mf"):
            read_3mf(path)


def unit_of(mesh: Mesh, name: str = "A1 Red") -> PrintUnit:
    return PrintUnit(
        "A1",
        [Piece(name, "A1", Filament("Red", "#ff0000"), mesh, 1.0)],
        (0, 0, 0),
        (1, 1, 1),
        1,
        False,
        shapely.box(0, 0, 1, 1),
    )


def test_holes_and_inside_out_bodies_are_stopped():
    good = mesh_of(PlateBase(10, 10, 2, 1).solid())
    assert check_watertight(unit_of(good).pieces)[0].severity == "sound"
    open_one = check_watertight(unit_of(Mesh(good.vertices, good.triangles[1:])).pieces)
    assert open_one[0].severity == "stop" and open_one[0].figure == 3 and open_one[0].piece == "A1 Red"
    assert (
        "inside out" in check_watertight(unit_of(Mesh(good.vertices, good.triangles[:, ::-1])).pieces)[0].text
    )


def test_rounding_for_the_file_keeps_a_mesh_closed():
    """Two vertices nearer than a 32-bit float can tell apart, and a body that touches itself along an
    edge."""
    sliver = shapely.Polygon([(0, 0), (100, 0), (100, 50), (99.9999999, 50.0000001), (0, 50)])
    for solid in (
        prism(sliver, 0, 3),
        prism(shapely.MultiPolygon([shapely.box(0, 0, 5, 5), shapely.box(5, 5, 9, 9)]), 0, 2),
    ):
        mesh = mesh_of(solid)
        written = as_written(mesh)
        assert open_edges(written) == 0
        assert signed_volume(written) == pytest.approx(solid.volume(), rel=1e-6)
        assert (written.vertices == written.vertices.astype(np.float32)).all() or np.allclose(
            written.vertices, written.vertices.astype(np.float32)
        )


def test_file_names_are_safe_and_unlike_each_other():
    mesh = mesh_of(PlateBase(10, 10, 2, 1).solid())
    units = [
        unit_of(mesh, n) for n in ("A1 Red/Blue: é", "A1 Red Blue", "a1 red blue", "../..", "Dowel 4 × 20")
    ]
    names = stl_names(units)
    assert len({n.lower() for n in names}) == 5 and all("/" not in n and not n.startswith(".") for n in names)
    assert names[-1] == "Dowel-4-x-20.stl"


def test_one_too_large_for_any_bed_gets_a_load_of_its_own():
    mesh = mesh_of(PlateBase(10, 10, 2, 1).solid())
    units = [
        unit_of(mesh)._replace(size=(400.0, 10.0, 2.0), outline=shapely.box(0, 0, 400, 10)),
        unit_of(mesh)._replace(size=(10.0, 10.0, 2.0), copies=3),
    ]
    spots = lay_out(units, Printer())
    assert sorted((s.unit, s.load) for s in spots) == [(0, 1), (1, 0), (1, 0), (1, 0)]


def test_the_sheet_shows_everything_apart_and_joints_as_large_as_they_are(sign):
    """The page's own figures: names of all sections on the page pulled apart, a face and the ruler at
    1:1, Letter where that is wanted."""
    _, _, contents, _, _ = sign
    data = sheet_pdf(contents._replace(paper="Letter"))
    reader = PdfReader(io.BytesIO(data))
    assert [float(v) for v in reader.pages[0].mediabox[2:]] == [792.0, 612.0]
    texts = [" ".join(p.extract_text().split()) for p in reader.pages]
    apart = next(t for t in texts if "Pulled apart" in t)
    assert all(s.name in apart for s in contents.sections)
    assert (
        all(str(h) in texts[0] for h in contents.hints)
        and "for the slicer" in texts[0].lower()
        and "No support is needed" in texts[0]
    )
    faces = next(n for n, t in enumerate(texts) if "Faces of the joints" in t)
    widths = [
        b[2] - b[0]
        for n in range(faces, len(texts))
        for b in (o.get_bounds() for o in pypdfium2.PdfDocument(data)[n].get_objects())
    ]
    widest = max(contents.joints, key=lambda j: j.area.bounds[2] - j.area.bounds[0]).area.bounds
    for mm in (50.0, widest[2] - widest[0]):
        assert any(0 <= w - mm * 72 / 25.4 < 2.0 for w in widths), mm  # with its line
    assert "print at 100 %" in texts[faces] and all(
        k.form.described() in " ".join(texts[faces:]) for j in contents.joints for k in j.keys
    )


def test_pieces_of_an_older_report_are_known_by_their_files_alone():
    """A report without forms, one without digests, another filament, another count: what nobody knows is
    printed again."""

    def report(file="a1", shape="s1", filament="Red", copies=1):
        piece = {
            "name": "A1 Red",
            "file": "1.stl",
            "filament": filament,
            **({"shape": shape} if shape else {}),
        }
        return pieces_of(
            {"files": {"1.stl": file} if file else {}, "units": [{"copies": copies, "pieces": [piece]}]}
        )

    now = report()
    for before, same in (
        (report(), True),
        (report(shape=""), True),
        (report(file="b2"), True),
        (report(file="b2", shape=""), False),
        (report(file="", shape=""), False),
        (report(filament="Blue"), False),
        (report(copies=2), False),
    ):
        again = compared(before, now)
        assert (again.same == ("A1 Red",)) == same and (again.changed == ("A1 Red",)) != same
    assert (
        compared({}, now) is None
        and "A1 Red" in compared(pieces_of({"units": []}) or {"B": now["A1 Red"]}, now).told()
    )
