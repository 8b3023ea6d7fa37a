"""Findings and what mends them: the fault, just inside the limit, the mend, and nothing else that it
makes."""

from __future__ import annotations

import json

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from pypdf import PdfReader
from tests.conftest import written
from tests.core.test_crossing import eight, stl
from tests.core.test_inlays import section
from tests.core.test_rehearsal import box
from tests.known import known

from cutkey.cli.main import main
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.checks.falls_out import loose_parts
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.engine.output import write_job_kit
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.pieces import key_unit
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.mends import all_mends, mend_of, mends_of
from cutkey.core.model.accepted import accepted
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.edits import add_graphic, assign, place
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.finding import changes
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.core.model.placement import Copies, Depth
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.film import run
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.read import Body, beds_of, read_print
from cutkey.core.rehearse.settings import settings_of
from cutkey.demo.jobs import demo_job

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="30mm" viewBox="0 0 60 30">'
RING = '<path fill-rule="evenodd" fill="#c03020" d="M15 2a13 13 0 1 0 .01 0zM15 7a8 8 0 1 1 -.01 0z"/>'
#: A ring with a ring in it, a letter with two counters, and a bar.
RINGS = (
    RING
    + '<circle cx="15" cy="15" r="3" fill="#c03020"/>'
    + '<path fill-rule="evenodd" fill="#c03020" d="M32 2h12v26h-12zM35 5v8h6v-8zM35 17v8h6v-8z"/><path'
    ' fill="#c03020" d="M48 2h8v26h-8z"/>'
)
STROKE = '<path fill="#c03020" d="M2 2h26v6h-26zM2 20h26v{0}h-26z"/>'
TEXT = '<text x="4" y="20" font-size="14" fill="#c03020">Fern</text>'


def plate(
    shapes: str, depth: Depth, thick: float = 3.0, width: float = 54.0, **how
) -> tuple[Job, dict[str, bytes]]:
    data = f"{HEAD}{shapes}</svg>".encode()
    source = Source(digest_bytes(data), "shapes.svg", "drawing")
    job, spec = add_graphic(replace(Job(name="Mends"), base=PlateBase(80.0, 50.0, thick, 0.0)), source, width)
    job, laid = place(job, spec.id, (0.0, 0.0, thick), (0.0, 0.0, 1.0), depth)
    return replace(job, placements=(replace(laid, **how),)), {source.digest: data}


def crossing() -> tuple[Job, dict[str, bytes]]:
    data = stl(eight(0.3))
    source = Source(digest_bytes(data), "eight.stl", "model")
    return Job(name="Eight", sources=(source,), base=ModelBase(source.digest)), {source.digest: data}


def cut_away(first: bool) -> tuple[Job, dict[str, bytes]]:
    """A figure let in flush, and a hole through its middle that is cut before it, or after."""
    job, sources = plate('<circle cx="30" cy="15" r="12" fill="#c03020"/>', Depth("flush", 1.0))
    data = f'{HEAD}<rect x="20" y="10" width="20" height="10" fill="#2040a0"/></svg>'.encode()
    source = Source(digest_bytes(data), "hole.svg", "drawing")
    job, spec = add_graphic(job, source, 20.0)
    job, _ = place(job, spec.id, (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), Depth("through"))
    return replace(job, placements=job.placements if first else job.placements[::-1]), {
        **sources,
        source.digest: data,
    }


def in_the_models_filament() -> tuple[Job, dict[str, bytes]]:
    """Two bars let in flush, in the filament of the plate."""
    job, sources = plate(STROKE.format(4), Depth("flush", 0.8))
    return assign(job, "#c03020", job.rack[-1].name), sources


#: What a mend is called; a job with the fault; the same just inside the limit (None where the fault is no
#: matter of degree).
FAULTS = {
    "bridges": (plate(RINGS, Depth("through")), plate(RINGS, Depth("through"), bridges=1.0)),
    "widen": (
        plate(STROKE.format(0.39), Depth("raised"), width=26.0),
        plate(STROKE.format(0.43), Depth("raised"), width=26.0),
    ),
    "shallower": (
        plate(STROKE.format(4), Depth("recessed", 2.65)),
        plate(STROKE.format(4), Depth("recessed", 2.6)),
    ),
    "thicker": (plate(STROKE.format(4), Depth("raised", 0.2)), plate(STROKE.format(4), Depth("raised", 0.4))),
    "on layers": (
        plate(STROKE.format(4), Depth("raised", 0.73)),
        plate(STROKE.format(4), Depth("raised", 0.8)),
    ),
    "turn over": (plate(TEXT, Depth("raised"), mirror=True), plate(TEXT, Depth("raised"))),
    "two alike": (plate(TEXT, Depth("raised"), copies=Copies("pair")), plate(TEXT, Depth("raised"))),
    "centre": (
        plate(STROKE.format(4), Depth("raised"), offset=(200.0, 0.0)),
        plate(STROKE.format(4), Depth("raised"), offset=(5.0, 0.0)),
    ),
    "another filament": (in_the_models_filament(), (plate(STROKE.format(4), Depth("flush")))),
    "raise": None,
    "recess": None,
    "rebuild": (crossing(), None),
    "lay first": (cut_away(first=False), cut_away(first=True)),
    "as bodies": None,  # its own test
    "leave a floor": None,
    "join narrow": None,
    "lie as proposed": None,  # with the others of lying
    "lie elsewhere": None,
    "lie otherwise": None,
    "take off": None,
    "propose cuts": None,  # a command of the window
}


def test_every_mend_is_tried_here():
    assert {m.id for m in all_mends()} == set(FAULTS)


def test_what_cannot_be_seen_is_raised_or_sunk_too():
    job, sources = in_the_models_filament()
    evaluator = known(sources)
    (fault,) = [f for f in evaluator.kit(job).findings if f.kind == "visible"]
    assert fault.title == "Cannot be seen" and fault.severity == "look at"
    assert [m.id for m in mends_of(job, fault)] == ["another filament", "raise", "recess"]
    for mend, mode in zip(mends_of(job, fault)[1:], ("raised", "recessed"), strict=True):
        after = mend.apply(job, fault)
        assert after.placements[0].depth_of("#c03020").mode == mode
        assert {f.severity for f in evaluator.kit(after).findings if f.kind == "visible"} == {"sound"}


@pytest.mark.parametrize("id", [k for k, v in FAULTS.items() if v is not None])
def test_a_fault_is_found_mended_and_nothing_else_comes(id):
    (job, sources), sound = FAULTS[id]
    evaluator = known(sources)
    before = evaluator.kit(job).findings
    (fault,) = [f for f in before if f.mend == id]
    assert fault.waits and mend_of(job, fault).label
    if sound is not None:
        assert not [f for f in Evaluator(sound[1]).kit(sound[0]).findings if f.mend == id]
    after_job = mend_of(job, fault).apply(job, fault)
    after = evaluator.kit(after_job).findings
    gone, new = changes(before, after)
    assert fault.about in {f.about for f in gone} and not new
    assert not [f for f in mended(job, evaluator, costly=True).left if f.mend not in ("", "show")]
    assert read_job(job_bytes(after_job, sources), "x")[0] == after_job


def test_bridges_hold_every_inner_part(tmp_path):
    """The written plate is one piece; each bridge is as wide as asked, and no more than what they cover
    is filled."""
    job, sources = FAULTS["bridges"][0]
    evaluator = known(sources)
    (fault,) = [f for f in evaluator.kit(job).findings if f.severity == "stop"]
    assert fault.title == "Falls out" and fault.figure == 3 and "3 parts" in fault.text
    held = mend_of(job, fault).apply(job, fault)
    assert held.placements[0].bridges == 2.0
    write_job_kit(tmp_path / "kit", held, evaluator)
    mesh = trimesh.util.concatenate(
        list(trimesh.load(written(tmp_path / "kit"), file_type="3mf").geometry.values())
    )
    assert len(mesh.split(only_watertight=False)) == 1
    cut = section(mesh, mesh.bounds[:, 2].mean())
    whole = section(trimesh.creation.box((80, 50, 3)), 0)
    gone = whole.area - cut.area
    # Two bridges of 2 mm over a ring 5 wide and each of two counters 3 mm off the edge (the drawing is scaled
    # to 54 of 54 mm).
    ring, disc = np.pi * (13**2 - 8**2), np.pi * 3**2
    full = ring + disc + (12 * 26 - 2 * 6 * 8) + 8 * 26
    assert gone == pytest.approx(full - 2 * 2 * 5 - 4 * 2 * 3, abs=2.5)


def test_what_is_too_thin_can_be_given_away_instead_of_widened():
    job, sources = FAULTS["widen"][0]
    evaluator = known(sources)
    (fault,) = [f for f in evaluator.kit(job).findings if f.mend == "widen"]
    other = mends_of(job, fault)[1]
    assert other.id == "join narrow" and "0.42 mm joins the colour beside it" in other.cost(job, fault)
    after = other.apply(job, fault)
    gone, new = changes(evaluator.kit(job).findings, evaluator.kit(after).findings)
    assert (
        fault.about in {f.about for f in gone}
        and not new
        and read_job(job_bytes(after, sources), "x")[0] == after
    )
    (drawn,) = [evaluator.draw(after, s) for s in after.graphics]
    assert "10.14 mm² are gone" in str(drawn.told[0]) and not mends_of(after, fault)[1:]  # 26 x 0.39 mm


def test_a_floor_is_left_where_bridges_are_not_wanted():
    """The other way: everything is sunk to a floor of two layers, measured by trimesh on the solid."""
    job, sources = FAULTS["bridges"][0]
    evaluator = known(sources)
    (fault,) = [f for f in evaluator.kit(job).findings if f.severity == "stop"]
    floor = mends_of(job, fault)[1]
    assert (
        floor.id == "leave a floor"
        and fault.room == pytest.approx(3 - 2 * 0.2, abs=0.01)
        and "2.4 mm" in floor.cost(job, fault)
    )
    left = floor.apply(job, fault)
    assert [d.mode for d in left.placements[0].depths] == ["recessed"]
    gone, new = changes(evaluator.kit(job).findings, evaluator.kit(left).findings)
    assert "Falls out" in {f.title for f in gone} and not new
    mesh = mesh_of(evaluator.design(left).whole)
    under = section(trimesh.Trimesh(mesh.vertices, mesh.triangles), 0.3)
    assert (
        under.area == pytest.approx(80 * 50)
        and section(trimesh.Trimesh(mesh.vertices, mesh.triangles), 0.9).area < 80 * 50 - 700
    )
    # What is sunk deeper than the plate is thick falls out without a hole that was asked for.
    deep, sources = plate(RINGS, Depth("recessed", 3.5))
    evaluator = known(sources)
    (fault,) = [f for f in evaluator.kit(deep).findings if f.title == "Falls out"]
    assert fault.mend == "leave a floor" and not [
        f for f in mended(deep, evaluator, costly=True).left if f.severity == "stop"
    ]


def test_a_ring_within_a_ring_and_shapes_that_touch_the_edge():
    """Nested counters each get their bridges; what a face already cuts off needs none."""
    from cutkey.core.geometry.region import Region
    from cutkey.core.place.bridges import bridged

    def ring(out, inner):
        return shapely.Point(0, 0).buffer(out, quad_segs=64) - shapely.Point(0, 0).buffer(inner, quad_segs=64)

    region = Region("#111111", shapely.MultiPolygon([ring(20, 15), ring(10, 6)]))
    laid = replace(plate(RING, Depth("through"))[0].placements[0], bridges=1.5)
    face = shapely.box(-40, -40, 40, 40)
    (held,) = bridged([region], laid, face)
    assert (face - held.geometry).geom_type == "Polygon"
    assert held.geometry.area == pytest.approx(region.geometry.area - 2 * 1.5 * 5 - 2 * 1.5 * 4, rel=0.01)
    # A bar from edge to edge cuts the face in two, one that goes round a corner cuts that off; a part of each
    # hangs on by two bridges.
    bar = Region("#111111", shapely.MultiPolygon([shapely.box(-50, -3, 50, 3)]))
    (held,) = bridged([bar], laid, face)
    assert (face - held.geometry).geom_type == "Polygon"
    # Raised colours keep their shape, and so does everything where no bridges are asked for.
    assert bridged([region], replace(laid, bridges=0.0), face) == [region]
    assert bridged([region], replace(laid, depths=(Depth("raised"),)), face) == [region]


def test_a_decision_holds_until_it_gets_worse_and_is_printed(tmp_path):
    job, sources = FAULTS["widen"][0]
    evaluator = known(sources)
    (thin,) = [f for f in evaluator.kit(job).findings if f.kind == "thin"]
    settled = replace(job, accepted=(accepted(thin, "only a hint of a line"),))
    found = {f.kind: f for f in evaluator.kit(settled).findings}
    assert (
        found["thin"].severity == "accepted"
        and found["thin"].reason == "only a hint of a line"
        and not found["thin"].waits
    )
    write_job_kit(tmp_path / "kit", settled, evaluator)
    (sheet,) = (tmp_path / "kit").glob("*.pdf")
    assert "only a hint of a line" in " ".join(
        " ".join(p.extract_text() for p in PdfReader(sheet).pages).split()
    )
    # The same graphic smaller: thinner than what was accepted.
    smaller = replace(settled, graphics=(replace(settled.graphics[0], width_mm=13.0),))
    assert [f.severity for f in evaluator.kit(smaller).findings if f.kind == "thin"] == ["look at"]
    # What stops a kit is not accepted.
    stencil, files = FAULTS["bridges"][0]
    (stop,) = [f for f in known(files).kit(stencil).findings if f.severity == "stop"]
    assert known(files).kit(replace(stencil, accepted=(accepted(stop, "no"),))).findings[0].severity == "stop"


def test_colours_without_a_plan_become_bodies_and_free_mends_are_made_at_once():
    shapes = (
        STROKE.format(4)
        + '<circle cx="44" cy="14" r="8" fill="#2040a0"/><circle cx="44" cy="14" r="4" fill="#e0a32a"/>'
    )
    job, sources = plate(shapes, Depth("raised", 0.8))
    job = replace(job, colouring=Colouring("heights", travel=0.0))
    evaluator = known(sources)
    (stop,) = [f for f in evaluator.kit(job).findings if f.severity == "stop"]
    assert stop.mend == "as bodies"
    free = mended(job, evaluator)
    assert free.done == () and mended(job, evaluator, costly=True).job.colouring.way == "bodies"
    reversed_text, files = FAULTS["turn over"][0]
    free = mended(reversed_text, known(files))
    assert free.done == ("mirror it: Shapes",) and not free.job.placements[0].mirror


def test_the_command_line_mends_and_limits_are_of_the_printer(tmp_path, capsys):
    job, sources = FAULTS["bridges"][0]
    path, out = tmp_path / "stencil.cutkey", tmp_path / "held.cutkey"
    path.write_bytes(job_bytes(job, sources))
    assert main(["check", str(path)]) == 1
    assert main(["check", str(path), "--mend", str(out)]) == 0
    assert "mended: hold it with bridges" in capsys.readouterr().out
    assert (
        main(
            [
                "build",
                str(out),
                "-o",
                str(tmp_path / "kit"),
                "--rehearse",
                "--report",
                str(tmp_path / "r.json"),
            ]
        )
        == 0
    )
    assert [
        f["title"]
        for f in json.loads((tmp_path / "r.json").read_bytes())["findings"]
        if f["kind"] == "rehearsal"
    ] == ["Rehearsed"]
    # A channel 12 mm wide: a printer that spans 15 mm takes its roof, one that spans 10 does not.
    arch = mesh_of(m3.Manifold.cube((30, 10, 12)) - m3.Manifold.cube((12, 10, 8)).translate((9, 0, 0)))
    body = Body("arch", 0, "arch", "PLA", "", arch.vertices, arch.triangles)
    for span, title in ((10.0, "A long bridge"), (15.0, "Rehearsed")):
        settings = settings_of(Printer(span=span))
        assert [t.finding.title for t in findings_of([run([body], settings)], settings)] == [title]


def faulty() -> m3.Manifold:
    """A block with a floor of one layer under a hollow, a fin of 0.2 mm and a speck of 0.24 mm on it, and
    a piece that floats over it."""
    block = m3.Manifold.cube((24, 16, 3)) - m3.Manifold.cube((8, 8, 2.2)).translate((14, 4, 0.2))
    fin, speck = (
        m3.Manifold.cube((0.2, 10, 4)).translate((2, 3, 3)),
        m3.Manifold.cube((0.24, 0.24, 0.6)).translate((6, 3, 3)),
    )
    return block + fin + speck + m3.Manifold.cube((3, 3, 1)).translate((8, 6, 6))


@pytest.mark.parametrize("name", ["lid", "plate", "cap", "coin", "panel"])
def test_faults_planted_beside_a_demo_are_found_in_the_written_file(name):
    job, sources = demo_job(name)
    kit = known(sources).kit(job)
    units = [*kit.units, key_unit("Planted", faulty(), kit.units[0].pieces[0].filament, 1)]
    settings = settings_of(job.printer)
    (bed,) = beds_of(
        read_print(bytes_3mf(job.name, units, lay_out(units, job.printer), job.printer), "x"), settings.bed
    )
    found = run(bed, settings).events
    mine = {(e.kind, round(e.figure, 1)) for e in found if e.name == "Planted"}
    assert {("lost", 0.2), ("island", 3.0), ("floor", 8.0)} <= mine
    assert sum(e.kind == "lost" and e.name == "Planted" for e in found) == 2
    others = {
        t.finding.title
        for t in findings_of([run([b for b in bed if b.unit != "Planted"], settings)], settings)
    }
    assert not others & {"Printed in the air", "One layer thick"}


@pytest.mark.parametrize(
    ("mode", "face_down", "under"),
    [
        ("raised", False, False),
        ("recessed", False, False),
        ("recessed", True, False),
        ("recessed", False, True),
    ],
)
def test_heights_end_on_the_layers_as_they_are_printed(mode, face_down, under):
    """A first layer of 0.3 mm; the written top or floor, by trimesh, lies on the grid after the mend,
    from above, below and face down."""
    job, sources = plate(STROKE.format(4), Depth(mode, 0.75), thick=4.0)
    job = replace(job, printer=Printer(first_layer=0.3), colouring=Colouring(face_down=face_down))
    if under:
        job = replace(
            job, placements=(replace(job.placements[0], point=(0.0, 0.0, 0.0), normal=(0.0, 0.0, -1.0)),)
        )
    evaluator = known(sources)
    (off,) = [f for f in evaluator.kit(job).findings if f.kind == "between layers"]
    better = mend_of(job, off).apply(job, off)
    assert abs(better.placements[0].depths[-1].mm - 0.75) < 0.11 and not [
        f for f in evaluator.kit(better).findings if f.kind == "between layers"
    ]
    (unit,) = evaluator.kit(better).units
    heights = np.unique(np.round(np.concatenate([p.mesh.vertices[:, 2] for p in unit.pieces]), 4))
    inner = [z for z in heights if 0.01 < z < heights[-1] - 0.01] if mode == "recessed" else [heights[-1]]
    assert inner and all(abs((z - 0.3) / 0.2 - round((z - 0.3) / 0.2)) < 1e-3 for z in inner)


def test_a_ball_that_was_loose_before_does_not_fall_out_of_a_graphic():
    """A cage with a ball in it: what is raised on it adds no part; what is freed or stands beside does."""
    cage = box(40, 40, 40) - box(30, 30, 30, (5, 5, 5)) + m3.Manifold.sphere(8, 32).translate((20, 20, 20))
    assert loose_parts(cage, cage + box(10, 10, 1.01, (15, 15, 39.99))) == []
    (free,) = loose_parts(cage, cage - (box(12, 12, 9, (14, 14, 34)) - box(10, 10, 9, (15, 15, 34))))
    assert free[1] and free[0].volume() == pytest.approx(500)
    (beside,) = loose_parts(cage, cage + box(5, 5, 5, (50, 0, 0)))
    assert not beside[1] and beside[0].volume() == pytest.approx(125)


def test_a_mend_that_leaves_nothing_mends_nothing(monkeypatch):
    rect = '<rect y="5" width="30" height=".4"/>'
    line = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 30 10">{rect}</svg>'.encode()
    source = Source(digest_bytes(line), "line.svg", "drawing")
    job, spec = add_graphic(replace(Job(), base=PlateBase(60, 40, 3)), source, 26.0)
    job, _ = place(job, spec.id, (0, 0, 3.0), (0, 0, 1.0), Depth("raised", 0.8))
    job = replace(job, printer=Printer(nozzle=0.8))
    # Alone, without the one that widens it.
    monkeypatch.setattr(
        "cutkey.core.engine.mending.mends_of",
        lambda job, finding: [m for m in mends_of(job, finding) if m.id == "join narrow"],
    )
    found = mended(job, Evaluator({source.digest: line}), costly=True)
    assert found.job == job and found.done == () and "Too thin to print" in {f.title for f in found.left}
