"""Nothing vanishes or goes stale without a word: sheets, folders, job files, what is read, names and
numbers."""

from __future__ import annotations

import json

import lib3mf
import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from pypdf import PdfReader
from tests.conftest import checker, png, written

from cutkey.cli.main import main
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.fit import check_fit
from cutkey.core.cleanup.apply import apply_edits
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import write_job_kit
from cutkey.core.errors import BadInput
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.region import Region
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.cuts import Keys, Labels
from cutkey.core.model.edits import add_edit, add_graphic, change_graphic, place, remove_graphic, set_scale
from cutkey.core.model.filament import BODY
from cutkey.core.model.file import job_bytes, open_job, save_job
from cutkey.core.model.job import Cut, Job, KitFiles, ModelBase, Source
from cutkey.core.model.lying import Lay
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.core.model.table_edits import Delete, Offset
from cutkey.core.spacers.setting_out import piece_solid, set_out
from cutkey.core.split.cutting import cut_into_sections
from cutkey.core.split.plan import propose
from cutkey.core.split.split import loose_keys, split_design
from cutkey.core.steps.crop import Crop


def sheet_of(folder) -> tuple[list[str], str]:
    pages = [p.extract_text() for p in PdfReader(written(folder, "sheet.pdf")).pages]
    return pages, " ".join(" ".join(pages).split())


# -- the sheet
def test_the_assembly_sheet_holds_every_section_joint_step_and_magnet(tmp_path):
    keys, labels = Keys("magnet"), Labels(on=False)
    job = Job(
        name="Łódź Šíp",
        base=PlateBase(380, 260, 60, 0),
        keys=keys,
        labels=labels,
        printer=Printer(bed=(140.0, 140.0, 50.0)),
    )
    evaluator = Evaluator({})
    job = replace(job, cuts=evaluator.plans(job)[0].cuts)
    report = write_job_kit(tmp_path, job, evaluator)
    pages, text = sheet_of(tmp_path)
    split = evaluator.split(job)
    assert len(split.sections) >= 12 and "Łódź Šíp" in text and all(s.name in text for s in split.sections)
    assert all(f"{j.letter}–{j.letter} {j.name}:" in text for j in split.joints)
    assert all(f"{n + 1}. " in text for n in range(len(split.assembly.steps))) and "and more" not in text
    # Two levels, each drawn: sections under others are not painted over.
    assert sum("Level" in p for p in pages) == 2
    bought = {h["name"]: h["count"] for h in report["to_buy"]}
    assert sum(bought.values()) == 2 * sum(len(j.keys) for j in split.joints)
    assert all(f"{count} × {name}" in text for name, count in bought.items())
    assert {k.name: k.copies for k in loose_keys(split.joints, printed=False)} == bought


# -- the folder
def test_a_kit_written_again_leaves_nothing_stale(tmp_path):
    out, evaluator = tmp_path / "kit", Evaluator({})
    job = Job(name="Bar", base=PlateBase(300, 60, 12, 0), cuts=(Cut("x", 0.0),), labels=Labels(on=False))
    write_job_kit(out, job, evaluator)
    (out / "mine.stl").write_text("a file of the maker's own")
    before = {p.name for p in out.iterdir()}
    report = write_job_kit(out, replace(job, cuts=()), evaluator)
    now = {p.name for p in out.iterdir()}
    assert (
        "mine.stl" in now
        and len(now) < len(before)
        and not any("B1" in n or "Dowel" in n for n in now)
        and report["left"] == []
    )
    assert now - {"mine.stl", "report.json"} == set(report["files"])
    # What somebody has changed since stays, and is said.
    write_job_kit(out, job, evaluator)
    changed = next(p for p in out.iterdir() if "B1" in p.name)
    changed.write_text("changed by hand")
    assert write_job_kit(out, replace(job, cuts=()), evaluator)["left"] == [changed.name] and changed.exists()
    # A value that is no longer in the series takes its folder along.
    write_job_kit(out, replace(job, cuts=(), series="1, 2"), evaluator)
    assert written(out / "1").exists() and not list(out.glob("*.3mf"))
    write_job_kit(out, replace(job, cuts=(), series="2, 3"), evaluator)
    assert {p.name for p in out.iterdir() if p.is_dir()} == {"2", "3"}
    kit = evaluator.kit(replace(job, series="1-3"))
    assert [f.title for f in kit.findings if f.kind == "series"] == ["Series without a place"]


def test_a_kit_beside_the_one_before_says_what_is_printed_again(tmp_path):
    """Pieces whose file, filament and count are the same can stay; an unread or foreign report is no kit."""
    out, evaluator = tmp_path / "kit", Evaluator({})
    job = Job(
        name="Bar",
        base=PlateBase(300, 60, 12, 0),
        cuts=(Cut("x", 0.0), Cut("x", 80.0)),
        labels=Labels(on=False),
    )
    assert write_job_kit(out, job, evaluator)["again"] is None
    again = write_job_kit(out, job, evaluator)["again"]
    assert (
        again["changed"] == ()
        and len(again["same"]) > 3
        and "nothing has to be printed again" in again["text"]
    )
    # On another side it is the same piece, though the file is another.
    over = replace(job, lays=(Lay("A1", (0.0, 0.0, 1.0)),))
    assert (
        write_job_kit(out, over, evaluator)["again"]["changed"] == ()
        and write_job_kit(out, job, evaluator)["again"]["changed"] == ()
    )
    moved = replace(job, cuts=(Cut("x", 0.0), Cut("x", 90.0)))
    again = write_job_kit(out, moved, evaluator)["again"]
    # The section beside the cut that stayed is as it was, its name too.
    assert {n.split()[0] for n in again["same"]} >= {"A1"} and {n.split()[0] for n in again["changed"]} >= {
        "B1",
        "C1",
    }
    again = write_job_kit(out, replace(moved, cuts=()), evaluator)["again"]
    assert again["gone"] and "A1" in " ".join(again["changed"]) and "can stay" in again["text"]
    (out / "report.json").write_text("[1]")
    assert write_job_kit(out, job, evaluator, over=True)["again"] is None


def test_each_bed_and_each_piece_as_obj_is_a_file_where_that_is_wanted(tmp_path):
    """Read by trimesh: together they hold what the whole file holds, each on one bed; OBJ files in the
    colour of their filament."""
    files = KitFiles(beds=True, obj=True)
    job = Job(
        name="Bar",
        base=PlateBase(300, 60, 12, 0),
        cuts=(Cut("x", 0.0),),
        printer=Printer(bed=(170, 80, 100)),
        files=files,
    )
    report = write_job_kit(tmp_path / "kit", job, Evaluator({}))
    files = sorted((tmp_path / "kit" / "beds").iterdir())
    assert [f.name for f in files] == ["bed-1.3mf", "bed-2.3mf"] and {f"beds/{f.name}" for f in files} <= set(
        report["files"]
    )

    def held(path):
        scene = trimesh.load(path, file_type="3mf")
        assert (np.ptp(scene.bounds, axis=0)[:2] <= (170, 80)).all() or path.parent.name != "beds"
        return sum(scene.geometry[scene.graph[n][1]].volume for n in scene.graph.nodes_geometry)

    assert (
        sum(map(held, files))
        == pytest.approx(held(written(tmp_path / "kit")), rel=1e-6)
        == pytest.approx(report["piece_volume_mm3"], rel=1e-6)
    )
    for unit in report["units"]:
        for piece in unit["pieces"]:
            mesh = trimesh.load(
                tmp_path / "kit" / "obj" / piece["file"].replace(".stl", ".obj"), force="mesh"
            )
            assert mesh.is_watertight and mesh.volume == pytest.approx(piece["volume_mm3"], rel=1e-5)
            assert "#" + bytes(mesh.visual.material.main_color[:3].tolist()).hex() == piece["colour"]


# -- job files
def test_dangling_references_and_numbers_out_of_range_are_refused_in_one_sentence(tmp_path):
    data = png(checker())
    job, spec = add_graphic(Job(), Source(digest_bytes(data), "c.png", "picture"), 40.0)
    job, placement = place(replace(job, base=PlateBase()), spec.id, (0, 0, 3), (0, 0, 1))
    save_job(tmp_path / "good.cutkey", job, {job.sources[0].digest: data})
    assert open_job(tmp_path / "good.cutkey")[0] == job
    bad = {
        "placement": replace(job, placements=(replace(placement, graphic="gone"),)),
        "belongs to a file": replace(job, graphics=(replace(spec, source="0" * 40),)),
        "same id": replace(job, graphics=(spec, spec)),
        "its model": replace(job, base=ModelBase("0" * 40)),
        "body is made from": replace(job, base=BackingBase("gone")),
        "width mm": replace(job, graphics=(replace(spec, width_mm=-3.0),)),
        "count": replace(
            job, placements=(replace(placement, copies=replace(placement.copies, count=(0, 1))),)
        ),
        "not a number": replace(job, placements=(replace(placement, spin=float("nan")),)),
        "nozzle": replace(job, printer=replace(job.printer, nozzle=0.0)),
        "leaves nothing of the printer": replace(job, printer=replace(job.printer, margin=200.0)),
        "no direction": replace(job, placements=(replace(placement, normal=(0.0, 0.0, 0.0)),)),
        "clearance": replace(job, keys=Keys(clearance=99.0)),
    }
    for words, broken in bad.items():
        (tmp_path / "bad.cutkey").write_bytes(job_bytes(broken, {s.digest: data for s in broken.sources}))
        with pytest.raises(BadInput, match=f"bad.cutkey is damaged: .*{words}") as caught:
            open_job(tmp_path / "bad.cutkey")
        assert "\n" not in str(caught.value) and str(caught.value).endswith(".")
    # The program itself never makes such a job.
    backed = replace(job, base=BackingBase(spec.id))
    assert remove_graphic(backed, spec.id).base is None


# -- what is read
def test_check_judges_models_as_they_are_built_and_says_what_was_mended(tmp_path, capsys):
    """A 3MF in inches, scaled and shifted by its build item, written with the consortium's library."""
    cube = mesh_of(m3.Manifold.cube((2, 2, 2)))

    def write(path, triangles, factor: float) -> None:
        model = lib3mf.get_wrapper().CreateModel()
        model.SetUnit(lib3mf.Lib3MF.ModelUnit.Inch)
        body = model.AddMeshObject()
        body.SetName("block")
        position, triangle = lib3mf.Lib3MF.Position, lib3mf.Lib3MF.Triangle
        body.SetGeometry(
            [position((float(x), float(y), float(z))) for x, y, z in cube.vertices],
            [triangle(tuple(t)) for t in triangles],
        )
        transform = lib3mf.get_wrapper().GetIdentityTransform()
        for k in range(3):
            transform.Fields[k][k] = factor
        model.AddBuildItem(body, transform)
        model.QueryWriter("3mf").WriteToFile(str(path))

    write(tmp_path / "fits.3mf", cube.triangles.tolist(), 2.0)
    assert main(["check", str(tmp_path / "fits.3mf"), "--bed", "120,120,120"]) == 0  # 4 in = 101.6 mm
    write(tmp_path / "large.3mf", cube.triangles.tolist(), 5.0)
    assert (
        main(["check", str(tmp_path / "large.3mf"), "--bed", "235,235,250"]) == 1
        and "254 × 254" in capsys.readouterr().out
    )
    write(tmp_path / "inverted.3mf", cube.triangles[:, ::-1].tolist(), 1.0)
    assert main(["check", str(tmp_path / "inverted.3mf")]) == 0 and "inside out" in capsys.readouterr().out
    cone = mesh_of(m3.Manifold.cylinder(40, 20, 10))
    (tmp_path / "turned.stl").write_bytes(stl_bytes(cone.vertices, cone.triangles[:, ::-1], "x"))
    lines = [f"v {x} {y} {z}" for x, y, z in cone.vertices] + [
        f"f {a + 1} {b + 1} {c + 1}" for a, b, c in cone.triangles
    ]
    (tmp_path / "cone.obj").write_text("\n".join(lines))
    assert main(["check", str(tmp_path / "cone.obj")]) == 0 and "inside" not in capsys.readouterr().out
    for words in (["check"], ["split", "--bed", "235,235,250", "-o", str(tmp_path / "kit")]):
        assert main([*words, str(tmp_path / "turned.stl"), "--report", str(tmp_path / "r.json")]) == 0
        said = capsys.readouterr().out
        assert "look at: Mended on reading" in said and "it was inside out and was turned" in said
        findings = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))["findings"]
        assert [f["severity"] for f in findings if f["kind"] == "read"] == ["look at"]
    assert "it was inside out and was turned" in sheet_of(tmp_path / "kit")[1]


# -- edits belong to the figure
def test_edits_follow_their_figure_through_size_and_crop():
    data = png(checker(128))
    source = Source(digest_bytes(data), "c.png", "picture")
    evaluator = Evaluator({source.digest: data})
    job, spec = add_graphic(Job(), source, 60.0)
    drawn = evaluator.draw(job, spec)
    square = next(r for r in drawn.graphic.regions if r.colour == "#e0a32a").geometry.representative_point()
    job = add_edit(job, spec, Delete(((square.x, square.y),)), drawn.frame)

    def seen(job: Job):
        return evaluator.draw(job, job.graphics[0])

    disc = seen(job)
    assert [r.colour for r in disc.graphic.regions] == ["#1e1e1e"] and disc.notes == ()
    # 60 typed gives 60, and the same piece is gone.
    sized = set_scale(job, job.graphics[0], job.graphics[0].width_mm * 60 / disc.graphic.width)
    assert seen(sized).graphic.width == pytest.approx(60, abs=1e-6) and [
        r.colour for r in seen(sized).graphic.regions
    ] == ["#1e1e1e"]
    trace = replace(job.graphics[0].trace, steps=(Crop((0.05, 0.1), (0.98, 0.9)),))
    cropped = change_graphic(job, replace(job.graphics[0], trace=trace))
    assert [r.colour for r in seen(cropped).graphic.regions] == ["#1e1e1e"] and seen(cropped).notes == ()
    # The square cropped away, the edit finds nothing and says so; the next one takes it along to where mm
    # mean something else.
    trace = replace(trace, steps=(Crop((0.02, 0.05), (0.54, 0.95)),))
    lost = seen(change_graphic(job, replace(job.graphics[0], trace=trace)))
    assert any("delete" in str(n) and "finds no piece" in str(n) for n in lost.notes)
    middle = seen(sized).graphic.regions[0].geometry.representative_point()
    more = add_edit(sized, sized.graphics[0], Offset(((middle.x, middle.y),), -2.0), seen(sized).frame)
    assert seen(more).graphic.width == pytest.approx(56, abs=0.01)
    # A job of an earlier version has no frame: its edits scale with the width.
    old = replace(job, graphics=(replace(job.graphics[0], frame=None),))
    assert seen(set_scale(old, old.graphics[0], old.graphics[0].width_mm * 2)).graphic.width == pytest.approx(
        2 * disc.graphic.width
    )


def test_shrinking_a_piece_leaves_no_hem_around_the_outside():
    """Two squares side by side, by areas: what the first leaves goes to its neighbour where they met, and
    nowhere else."""
    pair = [
        Region(c, shapely.multipolygons([shapely.box(x, 0, x + 20, 40)]))
        for c, x in (("#aa0000", 0), ("#00bb00", 20))
    ]
    left, right = apply_edits(pair, [Offset(((10, 20),), -2)])
    assert left.geometry.area == pytest.approx(16 * 36) and right.geometry.area == pytest.approx(
        22 * 40, abs=0.01
    )
    inner = shapely.box(10, 10, 20, 20)
    ring = [
        Region("#aa0000", shapely.multipolygons([inner])),
        Region("#00bb00", shapely.multipolygons([shapely.box(0, 0, 40, 40) - inner])),
    ]
    core, around = apply_edits(ring, [Offset(((15, 15),), -2)])
    assert core.geometry.area == pytest.approx(36) and around.geometry.area == pytest.approx(1600 - 36)


# -- names, spacers, sections
def test_letters_of_a_word_keep_their_order_however_tall_they_are():
    heights = [20, 14, 20, 14, 24, 17]
    letters = [
        m3.Manifold.cube((10, h, 3)).translate((15 * n, 0 if h < 24 else -4, 0))
        for n, h in enumerate(heights)
    ]
    second = [m3.Manifold.cube((10, 12, 3)).translate((15 * n, -40, 0)) for n in range(3)]
    sections = cut_into_sections(
        [Part(BODY, m3.Manifold.compose([*letters, *second]))], [], apart=True
    ).sections
    order = sorted(sections, key=lambda s: int(s.name[1:]))
    assert [round(s.bounds()[0][0] / 15) for s in order] == [0, 1, 2, 3, 4, 5, 0, 1, 2]


def test_heads_of_pegs_keep_above_tall_islands_that_are_close():
    islands = [(n, shapely.box(x, 0, x + 40, 40)) for n, x in (("a", 0), ("b", 46), ("c", 92))]
    low, tall = (
        set_out(islands, Gauge(), Printer(), [3.0] * 3),
        set_out(islands, Gauge(), Printer(), [25.0] * 3),
    )
    for piece, flat in zip(tall.pieces, low.pieces, strict=True):
        solid, plain = piece_solid(piece, Gauge()), piece_solid(flat, Gauge())
        assert all((solid ^ prism(o, 0, 25)).volume() < 1e-9 for _, o in islands)
        assert solid.bounding_box()[5] > 25 and plain.bounding_box()[5] == pytest.approx(Gauge().height)
        # As it was before, its head would have run into them.
        assert any((plain ^ prism(o, 0, 25)).volume() > 0.1 for _, o in islands)


def test_linked_rings_are_cut_each_by_itself():
    ring = m3.Manifold.revolve(m3.CrossSection.circle(6, 32).translate((60, 0)), 96)
    chain = m3.Manifold.compose([ring, ring.rotate((90, 0, 0)).translate((60, 0, 0))])
    printer = Printer(bed=(110.0, 110.0, 110.0), margin=2.0)
    parts = [Part(BODY, chain)]
    plan = propose(parts, printer)[0]
    split = split_design(parts, plan.cuts, Keys("dowel"), Labels(on=False), printer)
    assert [f.severity for f in check_fit(split.sections, printer)] == ["sound"] and {
        s.island for s in split.sections
    } == {0, 1}
    assert sum(s.whole.volume() for s in split.sections) + split.taken_out == pytest.approx(
        chain.volume(), rel=1e-9
    )
