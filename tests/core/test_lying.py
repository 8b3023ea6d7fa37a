"""Which way up and where on the bed: measures against closed forms, what is written against trimesh,
choices kept and told."""

from __future__ import annotations

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from shapely import affinity
from tests.conftest import written
from tests.known import known

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.lying import foot_of, slicing_hints
from cutkey.core.engine.output import write_job_kit
from cutkey.core.engine.rehearsal import rehearsed
from cutkey.core.errors import BadInput
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.bed import GAP
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.pieces import key_unit
from cutkey.core.mends import mend_of
from cutkey.core.model.changes import Change, change_between
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.cuts import Cut
from cutkey.core.model.filament import BODY, Filament
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.finding import changes
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.core.model.lying import Lay, Put
from cutkey.core.model.printer import Printer
from cutkey.core.printing.resting import OVER, UP, Wishes, lies_within, resting, turn_of
from cutkey.core.printing.sides import side_name
from cutkey.core.split.plan import propose
from cutkey.demo.jobs import demo_job

CUBE = m3.Manifold.cube
BOWL = (m3.Manifold.sphere(40, 96) - m3.Manifold.sphere(36, 96)).trim_by_plane((0, 0, -1), 0)
TEE = CUBE((10, 30, 60), True) + CUBE((60, 30, 10), True).translate((0, 0, 35))


def ways(solid: m3.Manifold, **wishes):
    return resting(mesh_of(solid), Printer(), Wishes(**wishes))


def of_model(solid: m3.Manifold, **more) -> tuple[Job, Evaluator]:
    mesh = mesh_of(solid)
    data = stl_bytes(mesh.vertices, mesh.triangles, "x")
    source = Source(digest_bytes(data), "thing.stl", "model")
    return Job("Thing", sources=(source,), base=ModelBase(source.digest), **more), Evaluator(
        {source.digest: data}
    )


@pytest.mark.parametrize(
    ("solid", "wishes", "side"),
    [
        (CUBE((200, 100, 6)), {}, "as it stands"),
        (BOWL, {}, "turned over"),
        (TEE, {}, "on its front"),
        # Layers would run across the neck of what is printed on.
        (
            CUBE((50, 50, 30)) + CUBE((10, 8, 10)).translate((20, 20, 30)),
            {"necks": [(0.0, 0.0, 1.0)]},
            "on its left side",
        ),
        (CUBE((50, 50, 30)) + CUBE((10, 8, 10)).translate((20, 20, 30)), {}, "as it stands"),
        # Wanted face down, and nothing speaks against it.
        (CUBE((60, 40, 5)), {"down": OVER}, "turned over"),
        (CUBE((100, 60, 8)).rotate((30, 20, 10)), {}, "on a slanting side"),
        # Though another side would need no support: it was said.
        (TEE, {"down": OVER, "firm": True}, "turned over"),
        # All of it by height: nothing is turned, whatever it would save.
        (BOWL, {"fixed": "by height"}, "as it stands"),
        # On a narrow foot nothing is laid unasked, though only so it would fit.
        (CUBE((300, 200, 6)), {}, "as it stands"),
    ],
)
def test_the_side_that_is_proposed(solid, wishes, side):
    assert side_name(ways(solid, **wishes).now.down) == side


def test_measures_are_closed_forms():
    """A T of 10 x 30 x 60 mm under 60 x 30 x 10 mm; a bowl; an arch; a plate with a figure of another
    filament let in."""
    sides = {side_name(m.down): m for m in ways(TEE).sides}
    up, over, front = sides["as it stands"], sides["turned over"], sides["on its front"]
    assert (up.contact, up.support, up.layers, up.slim) == (
        pytest.approx(300),
        pytest.approx(1500),
        350,
        pytest.approx(7),
    )
    assert (over.contact, over.support) == (pytest.approx(1800), 0) and over.good
    assert (front.contact, front.support, front.layers) == (pytest.approx(1200), 0, 150)
    # Below 45 degrees of a sphere of 36 mm lies half the area of its disc, and none of the outside.
    bowl = ways(BOWL).now
    assert bowl.support == pytest.approx(np.pi * 36**2 / 2, rel=0.03) and bowl.contact == pytest.approx(
        np.pi * (40**2 - 36**2), rel=0.01
    )
    # A bridge of 10 mm between two walls is printed over nothing, one of 11 mm is not; a hole of 6 mm has a
    # roof that holds.
    for span, need in ((10, 0), (11, 11 * 30)):
        gate = CUBE((span + 10, 30, 30)) - CUBE((span, 40, 20)).translate((5, -5, 0))
        assert ways(gate).sides[0].fits and next(
            m for m in ways(gate).sides if m.down == UP
        ).support == pytest.approx(need)
    bored = CUBE((60, 40, 20)) - m3.Manifold.cylinder(30, 3, 3, 32).rotate((90, 0, 0)).translate((30, 45, 10))
    assert next(m for m in ways(bored).sides if m.down == UP).support == 0
    colours = [mesh_of(CUBE((40, 30, 6))).vertices, mesh_of(CUBE((10, 10, 1)).translate((5, 5, 5))).vertices]
    found = {side_name(m.down): m.changes for m in ways(CUBE((40, 30, 6)), colours=colours).sides}
    assert found["as it stands"] == found["turned over"] == 5 and found["on its front"] == 50
    shown = ways(TEE, shows=[((0.0, 0.0, -1.0), -30.0)])
    assert next(m for m in shown.sides if m.down == UP).shown == pytest.approx(1500)


def test_a_turn_is_a_rotation_that_brings_its_side_down():
    rng = np.random.default_rng(5)
    ways_down = [*np.eye(3), *-np.eye(3), *rng.normal(size=(40, 3))]
    for d in ways_down:
        turn = turn_of(d / np.linalg.norm(d), rng.normal(size=(20, 3)))
        assert turn @ turn.T == pytest.approx(np.eye(3), abs=1e-9) and np.linalg.det(turn) == pytest.approx(1)
        assert turn @ (d / np.linalg.norm(d)) == pytest.approx([0, 0, -1], abs=1e-9)


def test_a_bowl_is_written_on_its_rim_and_its_side_can_be_chosen(tmp_path):
    """The file, by trimesh: what touches the bed, and that the report's side and corner bring it back
    into the model."""
    solid = BOWL + CUBE((30, 8, 8)).translate((-15, -4, -44))
    job, evaluator = of_model(solid)
    report = write_job_kit(tmp_path / "kit", job, evaluator)
    (unit,) = report["units"]
    assert unit["down"] == [0, 0, 1] and unit["lies"] == "turned over"
    (mesh,) = trimesh.load(written(tmp_path / "kit"), file_type="3mf").geometry.values()
    low = mesh.triangles_center[:, 2] < mesh.bounds[0, 2] + 1e-3
    assert mesh.area_faces[low].sum() == pytest.approx(np.pi * (40**2 - 36**2), rel=0.01)
    assert mesh.volume == pytest.approx(solid.volume(), rel=1e-5)
    (one,) = evaluator.kit(job).units
    back = np.concatenate([one.assembled(p.mesh.vertices) for p in one.pieces])
    assert np.array([back.min(0), back.max(0)]) == pytest.approx(
        np.array(solid.bounding_box()).reshape(2, 3), abs=1e-3
    )
    place = np.reshape(unit["to_finished"], (3, 4))
    assert mesh.vertices @ place[:, :3].T + place[:, 3] == pytest.approx(
        one.assembled(mesh.vertices), abs=1e-9
    )
    assert unit["assembled_at_mm"] == pytest.approx(back.min(0), abs=1e-3)
    # By hand: on the foot that it has; kept in the file; a side that is none is told, and the mend forgets
    # it.
    by_hand = replace(job, lays=(Lay("A1", UP),))
    assert read_job(job_bytes(by_hand, evaluator.sources), "x")[0].lays == by_hand.lays
    assert evaluator.kit(by_hand).units[0].down == UP and evaluator.ways_up(by_hand)["A1"].by_hand
    for lay in (Lay("A1", (0.6, 0.0, 0.8)), Lay("B7", UP)):
        wrong = replace(job, lays=(lay,))
        (finding,) = [f for f in evaluator.kit(wrong).findings if f.kind == "way up" and f.waits]
        assert lay.unit in finding.text and evaluator.kit(wrong).units[0].down == OVER
        assert mend_of(wrong, finding).apply(wrong, finding) == job


def test_by_height_all_lie_the_same_way_up():
    job, sources = demo_job("plate")
    evaluator = known(sources)
    by_height = replace(job, colouring=Colouring("heights"), lays=(Lay("A1", OVER),))
    way = evaluator.ways_up(by_height)["A1"]
    assert way.now.down == UP and way.fixed and not way.by_hand
    assert evaluator.ways_up(replace(job, lays=(Lay("A1", OVER),)))["A1"].now.down == OVER


def test_what_fits_only_lying_needs_fewer_cuts():
    low = Printer(bed=(420, 420, 200))
    plan = propose([Part(BODY, CUBE((80, 80, 600)))], low)[0]
    assert (plan.sections, plan.how, [(c.axis, c.at) for c in plan.cuts]) == (2, "lying", [("z", 300.0)])
    assert propose([Part(BODY, CUBE((90, 100, 280)))], low)[0].sections == 1
    job, evaluator = of_model(CUBE((80, 80, 600)), printer=low, cuts=plan.cuts)
    kit = evaluator.kit(job)
    assert not [f for f in kit.findings if f.kind == "fits bed" and f.waits] and {
        u.size[2] for u in kit.units if not u.is_key
    } == {80.0}
    # A plate does not stand on its edge to save a cut.
    plate = CUBE((300, 200, 6))
    assert (
        not lies_within(mesh_of(plate), Printer())
        and propose([Part(BODY, plate)], Printer())[0].sections == 2
    )


@pytest.fixture(scope="module")
def strip() -> tuple[Job, Evaluator]:
    """A plate of four sections on beds that take two each."""
    cuts = tuple(Cut("x", x) for x in (-60.0, 0.0, 60.0))
    return Job(base=PlateBase(240, 90, 6), cuts=cuts, printer=Printer(bed=(150, 150, 100))), Evaluator({})


def outlines(evaluator: Evaluator, job: Job) -> list[tuple[str, int, shapely.Geometry]]:
    units = evaluator.kit(job).units
    out = []
    for s in evaluator.loads(job):
        turned = affinity.rotate(units[s.unit].outline, s.angle, origin=(0, 0))
        out.append((units[s.unit].name, s.load, affinity.translate(turned, s.x, s.y)))
    return out


def puts_of(evaluator: Evaluator, job: Job) -> tuple[Put, ...]:
    units, count, out = evaluator.kit(job).units, {}, []
    for s in evaluator.loads(job):
        name = units[s.unit].name
        count[name] = count.get(name, -1) + 1
        out.append(Put(name, count[name], s.load, s.x, s.y, s.angle))
    return tuple(out)


def test_what_is_put_somewhere_stays_there(strip):
    """Outlines by shapely: everything else lies apart from it; what changes its form alone lies elsewhere."""
    job, evaluator = strip
    held = replace(job, puts=(Put("A1", 0, 1, 20.0, 25.0, 0.0),))
    found = outlines(evaluator, held)
    _, load, shape = next(f for f in found if f[0] == "A1")
    assert shape.bounds[:2] == pytest.approx((20, 25)) and load == 1
    for n, (_, bed, one) in enumerate(found):
        assert shapely.box(5, 5, 145, 145).buffer(1e-6).covers(one)
        assert all(b != bed or one.distance(other) >= GAP - 1e-6 for _, b, other in found[n + 1 :])
    assert not [f for f in evaluator.kit(held).findings if f.kind == "bed loads"]
    # Everything kept where it is: another cut moves only what it changes.
    kept = replace(job, puts=puts_of(evaluator, job))
    assert outlines(evaluator, kept) == outlines(evaluator, job)
    moved = replace(kept, cuts=(Cut("x", -60.0), Cut("x", 0.0), Cut("x", 75.0)))
    before, after = (
        {n: (b, s.bounds) for n, b, s in outlines(evaluator, j) if len(n) == 2} for j in (kept, moved)
    )
    assert sum(before[n] == after[n] for n in before) >= 2 and len(after) == 4


def test_what_cannot_stay_is_told(strip):
    job, evaluator = strip
    for put in (Put("A1", 0, 0, 100.0, 5.0), Put("A9", 0, 0, 20.0, 20.0), Put("A1", 3, 0, 20.0, 20.0)):
        wrong = replace(job, puts=(put,))
        (finding,) = [f for f in evaluator.kit(wrong).findings if f.kind == "bed loads"]
        assert finding.severity == "look at" and put.unit in finding.text
        assert mend_of(wrong, finding).apply(wrong, finding) == job
        assert len(outlines(evaluator, wrong)) == len(outlines(evaluator, job))


def test_what_stands_on_nothing_is_told_by_the_written_meshes():
    """A ball has no flat side; a plate's foot is its whole face; the middle of an overhung arm is beside
    its foot."""
    ball, evaluator = of_model(m3.Manifold.sphere(20, 64))
    (found,) = [f for f in evaluator.kit(ball).findings if f.kind == "way up"]
    assert (found.severity, found.title) == ("look at", "Does not stand") and found.piece == "A1"
    plate, evaluator = of_model(CUBE((60, 40, 5)))
    (found,) = [f for f in evaluator.kit(plate).findings if f.kind == "way up"]
    assert found.severity == "sound" and found.figure == pytest.approx(60 * 40) and "24 cm²" in found.text
    arm, evaluator = of_model(CUBE((20, 20, 40)) + CUBE((120, 20, 20)).translate((0, 0, 40)))
    upright = replace(arm, lays=(Lay("A1", UP),))
    area, stands = foot_of(evaluator.kit(upright).units[0])
    assert area == pytest.approx(400) and not stands
    kinds = {f.title for f in evaluator.kit(upright).findings if f.kind == "way up"}
    assert kinds == {"Stands badly", "Does not stand"} and foot_of(evaluator.kit(arm).units[0])[1]


def test_whoever_slices_it_is_told_what_it_needs():
    """The bowl's support, the first layer where it is another, many names shortened; nothing where
    nothing leans."""
    printer = Printer(first_layer=0.3)
    job, evaluator = of_model(BOWL, printer=printer)
    hints = [str(h) for h in slicing_hints(job, evaluator.ways_up(job))]
    assert "Layers of 0.2 mm, the first 0.3 mm, nozzle 0.4 mm" in hints[0] and hints[-1].startswith(
        "Support under what leans out more than 45°: A1 ("
    )
    way = evaluator.ways_up(job)["A1"]
    many = [str(h) for h in slicing_hints(job, {f"B{n}": way for n in range(9)})]
    assert many[-1].count("cm²") == 6 and many[-1].endswith("and 3 more")
    assert str(slicing_hints(job, {"A1": ways(CUBE((60, 40, 5)))})[-1]) == "No support is needed"


@pytest.mark.parametrize(
    ("printer", "put", "stays"),
    [
        (Printer(bed=(150, 150, 100), shape="round"), (40.0, 30.0), True),
        (Printer(bed=(150, 150, 100), shape="round"), (6.0, 6.0), False),
        (Printer(bed=(150, 150, 100), keep_out=((0, 0, 40, 40),)), (60.0, 30.0), True),
        (Printer(bed=(150, 150, 100), keep_out=((0, 0, 40, 40),)), (10.0, 30.0), False),
    ],
)
def test_round_beds_and_keep_outs_count_for_what_is_put_by_hand(printer, put, stays):
    job = Job(base=PlateBase(60, 50, 6), printer=printer, puts=(Put("A1", 0, 0, *put),))
    evaluator = Evaluator({})
    (spot,) = evaluator.loads(job)
    assert spot.by_hand == stays and ((spot.x, spot.y) == put) == stays and spot.fits
    assert bool([f for f in evaluator.kit(job).findings if f.kind == "bed loads"]) != stays


def test_only_what_can_be_loaded_together_is_put_together():
    """Two colours on one bed by hand where two can be loaded; where one can, the second lies elsewhere."""
    red, blue = Filament("Red", "#ff0000"), Filament("Blue", "#0000ff")
    units = [key_unit(f.name, CUBE((40, 40, 5)), f, 1) for f in (red, blue)]
    puts = (Put("Red", 0, 0, 10.0, 10.0), Put("Blue", 0, 0, 60.0, 10.0))
    for loaded, beds in ((0, {0}), (2, {0}), (1, {0, 1})):
        assert {s.load for s in lay_out(units, Printer(loaded=loaded), puts)} == beds


def test_copies_are_put_one_by_one_and_turned():
    unit = key_unit("Bar", CUBE((60, 10, 5)), Filament("Red", "#ff0000"), 3)
    puts = (Put("Bar", 0, 0, 80.0, 20.0, 90.0), Put("Bar", 2, 1, 20.0, 20.0))
    spots = lay_out([unit], Printer(), puts)
    assert sorted((s.load, s.x, s.y, s.angle) for s in spots if s.by_hand) == [
        (0, 80.0, 20.0, 90.0),
        (1, 20.0, 20.0, 0.0),
    ]
    assert len(spots) == 3 and lay_out([unit], Printer(), puts) == spots


def test_a_change_of_lying_is_found_for_undo():
    job = Job(puts=(Put("A1", 0, 0, 5.0, 5.0), Put("B1", 0, 0, 90.0, 5.0)))
    moved = replace(job, puts=(job.puts[0], Put("B1", 0, 1, 5.0, 5.0)))
    assert change_between(job, moved) == Change("lying", "B1") == change_between(moved, job)
    assert change_between(job, replace(job, lays=(Lay("C1", UP),))) == Change("lying", "C1")


def test_nonsense_about_lying_in_a_job_file_is_refused_in_a_sentence():
    job, evaluator = of_model(CUBE((60, 40, 5)))
    for wrong in (
        {"lays": (Lay("A1", (float("nan"), 0.0, 1.0)),)},
        {"puts": (Put("A1", -1, 0, 0.0, 0.0),)},
        {"puts": (Put("A1", 0, 0, 1e12, 0.0),)},
    ):
        with pytest.raises(BadInput, match=r"x\.cutkey"):
            read_job(job_bytes(replace(job, **wrong), evaluator.sources), "x.cutkey")


def test_what_hangs_over_nothing_is_mended_by_another_side(tmp_path):
    """A T laid on its foot by hand: the arms hang. The mend lays it where trimesh finds no face that
    looks down over nothing."""
    job, evaluator = of_model(TEE)
    name = next(iter(evaluator.ways_up(job)))
    job = replace(job, lays=(Lay(name, UP),))
    before = [t.finding for t in rehearsed(evaluator, job).findings]
    (hangs,) = [f for f in before if f.title == "Leans out over nothing"]
    (little,) = [f for f in before if f.title == "Stands on little"]
    assert mend_of(job, little).apply(job, little) == mend_of(job, hangs).apply(job, hangs)
    mend = mend_of(job, hangs)
    assert mend.id == "lie otherwise" and hangs.side is not None and hangs.side != UP
    after = mend.apply(job, hangs)
    assert len(after.lays) == 1 and read_job(job_bytes(after, evaluator.sources), "x")[0] == after
    gone, new = changes(before, [t.finding for t in rehearsed(evaluator, after).findings])
    assert hangs.about in {f.about for f in gone} and not new
    write_job_kit(tmp_path / "kit", after, evaluator)
    mesh = trimesh.util.concatenate(
        list(trimesh.load(written(tmp_path / "kit"), file_type="3mf").geometry.values())
    )
    down = (mesh.face_normals[:, 2] < -0.8) & (mesh.triangles_center[:, 2] > mesh.bounds[0, 2] + 0.1)
    assert float(mesh.area_faces[down].sum()) == pytest.approx(0, abs=1)
    # By height all lie alike, and where no side is better none is offered.
    assert mend_of(job, replace(hangs, side=None)) is None
    assert ways(CUBE((50, 40, 30))).better() is None and ways(BOWL, fixed="by height").better() is None
