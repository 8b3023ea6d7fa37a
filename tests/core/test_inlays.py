"""Loose inlays: pieces and pockets measured on the written files by another library, and against closed
forms."""

from __future__ import annotations

import math
from functools import reduce

import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from tests.conftest import written
from tests.known import known

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.colouring.inlays import other_fits, piece_outline
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.colour_ways import costs
from cutkey.core.engine.output import write_job_kit
from cutkey.core.geometry.primitives import prism, stepped_prism
from cutkey.core.kit.loads import lay_out
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.job import Job, Source
from cutkey.core.model.placement import Depth
from cutkey.demo.jobs import demo_job

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="30mm" viewBox="0 0 60 30">'
#: A square, an L that has one place only, two discs of different colours, and a hair.
SHAPES = (
    '<rect x="2" y="2" width="10" height="10" fill="#c03020"/><path d="M16 2h4v8h6v4h-10z" fill="#c03020"/>'
    '<circle cx="36" cy="8" r="5" fill="#2040a0"/><circle cx="50" cy="8" r="5" fill="#e0a32a"/>'
    '<rect x="2" y="20" width="50" height="0.5" fill="#26241f"/>'
)


def job_of(depth: Depth, shapes: str = SHAPES, **how) -> tuple[Job, dict[str, bytes]]:
    data = f"{HEAD}{shapes}</svg>".encode()
    source = Source(digest_bytes(data), "shapes.svg", "drawing")
    job = replace(
        Job(name="Inlays"), base=PlateBase(80.0, 50.0, 6.0, 0.0), colouring=Colouring("inlays", **how)
    )
    job, spec = add_graphic(job, source, 50.0)
    job, _ = place(job, spec.id, (0.0, 0.0, 6.0), (0.0, 0.0, 1.0), depth)
    return job, {source.digest: data}


@pytest.fixture(scope="module")
def kit(tmp_path_factory):
    """Flush inlays of 1 mm, written."""
    job, sources = job_of(Depth("flush", 1.0), play=0.2, deeper=0.1, lead=0.4)
    evaluator = known(sources)
    folder = tmp_path_factory.mktemp("kit") / "kit"
    return job, evaluator, folder, write_job_kit(folder, job, evaluator)


def section(mesh: trimesh.Trimesh, z: float) -> shapely.Geometry:
    """A level cut through a mesh, by trimesh."""
    flat, to_3d = mesh.section((0, 0, 1), (0, 0, z)).to_2D()
    area = reduce(shapely.symmetric_difference, flat.polygons_closed)
    return shapely.transform(area, lambda p: p @ to_3d[:2, :2].T + to_3d[:2, 3])


def test_pieces_go_into_their_pockets_with_the_play_that_was_asked(kit):
    """The body's and the pieces' STL, cut half way up: the distance all round is the play; the lower edge
    is taken off."""
    job, evaluator, folder, report = kit
    inlays = evaluator.inlays(job).inlays
    assert len(inlays) == 4 and len([u for u in report["units"] if u["name"].startswith("Inlay")]) == 4
    (body,) = [u for u in report["units"] if not u["key"]]
    plate = trimesh.load(folder / next(p["file"] for p in body["pieces"] if p["filament"] == "Fog PLA"))
    holes = section(plate, plate.bounds[1, 2] - 0.5)
    for inlay in inlays:
        unit = next(u for u in report["units"] if u["name"] == f"Inlay {inlay.number}")
        piece = trimesh.load(folder / unit["pieces"][0]["file"])
        assert piece.is_watertight and piece.extents[2] == pytest.approx(1.0, abs=1e-4)
        x0, y0, _, _ = inlay.outline.bounds
        # The plate stands with its corner at the origin of its file.
        shift = np.array([x0, y0]) - piece.bounds[0, :2] + (40.0, 25.0)
        middle = shapely.transform(section(piece, piece.bounds[0, 2] + 0.7), lambda p, s=shift: p + s)
        rim = shapely.points(shapely.get_coordinates(shapely.segmentize(middle.boundary, 0.2)))
        distance = shapely.distance(rim, holes)
        assert distance.min() == pytest.approx(0.2, abs=0.01) and np.quantile(distance, 0.8) < 0.21
        foot = section(piece, piece.bounds[0, 2] + 0.05)
        assert middle.area - foot.area == pytest.approx(0.4 * middle.length, rel=0.1)
    # What was taken out is what was asked, and so much deeper.
    pockets = sum(i.pocket.area for i in inlays) * 1.1
    hair = next(p for p in body["pieces"] if p["filament"] == "Soot PLA")["volume_mm3"]
    assert evaluator.body(job).solid.volume() - plate.volume == pytest.approx(pockets + hair, rel=1e-4)


def test_what_is_told_of_inlays(kit):
    job, evaluator, folder, report = kit
    told = {f["title"]: f for f in report["findings"]}
    assert told["Inlays go in"]["figure"] == pytest.approx(0.2, abs=0.01) and not [
        f for f in told.values() if f["severity"] == "stop"
    ]
    assert "black: 1 of 1 pieces are too small" in told["Too small to be put in"]["text"]
    # The two discs are alike but for their colour; the square and the discs look the same turned, the L does
    # not go in then.
    assert (
        "different colours" in told["Inlays can be mixed up"]["text"]
        and told["Inlays that go in turned"]["figure"] == 3
    )
    fits = other_fits(evaluator.inlays(job).inlays)
    areas = {i.number: i.outline.area for i in evaluator.inlays(job).inlays}
    square = min(areas, key=lambda n: abs(areas[n] - 92))
    assert [f.turn for f in fits if f.piece == f.pocket == square] == [90.0]
    assert written(folder).exists() and {c.way for c in costs(evaluator, job)} == {"bodies", "inlays"}
    cost = next(c for c in costs(evaluator, job) if c.way == "inlays")
    assert cost.pieces == 4 and cost.changes <= 5


@pytest.mark.parametrize(("neck", "told"), [(0.5, True), (2.0, False)])
def test_a_large_piece_with_a_narrow_neck_is_not_called_too_small(neck, told):
    up = 12 - neck / 2
    bone = f'<path fill="#c03020" d="M2 2h14v{up}h20v-{up}h14v24h-14v-{up}h-20v{up}h-14z"/>'
    job, sources = job_of(Depth("flush", 1.0), bone)
    evaluator = known(sources)
    titles = {f.title for f in evaluator.kit(job).findings if f.severity != "sound"}
    assert ("Too narrow in places" in titles) == told and "Too small to be put in" not in titles
    assert bool(evaluator.inlays(job).inlays) != told


def test_raised_inlays_are_let_in_and_stand_up():
    job, sources = job_of(Depth("raised", 0.8), seat=1.4, deeper=0.2)
    evaluator = known(sources)
    inlay = evaluator.inlays(job).inlays[0]
    assert (inlay.deep, inlay.thick, inlay.let_in) == pytest.approx((1.6, 2.2, 1.4))
    solid = inlay.in_place(0.4, 0.2)
    box = solid.bounding_box()
    assert (box[2], box[5]) == pytest.approx((4.6, 6.8), abs=1e-6)
    assert {f.title for f in evaluator.kit(job).findings if f.severity == "stop"} == set()


def test_curved_faces_and_thin_floors_are_said():
    job, sources = demo_job("cap")
    plan = known(sources).inlays(replace(job, colouring=Colouring("inlays")))
    assert plan.inlays == () and "curved surface: inlays are straight" in str(plan.trouble)
    kit = known(sources).kit(replace(job, colouring=Colouring("inlays")))
    assert "No inlays" in [f.title for f in kit.findings if f.severity == "stop"]


def test_outlines_of_pieces():
    """A square of 10 mm with 0.2 mm of play and a nozzle of 0.4: 9.6 mm across, its corners round with
    0.2 mm."""
    piece = piece_outline(shapely.box(0, 0, 10, 10), 0.2, 0.4)
    assert piece.area == pytest.approx(9.6**2 - (4 - math.pi) * 0.2**2, rel=1e-4)
    assert (
        piece_outline(shapely.box(0, 0, 50, 0.9), 0.2, 0.4) is None
        and piece_outline(shapely.box(0, 0, 2, 2), 0.2, 0.4) is None
    )
    dumb = shapely.union_all(
        [shapely.box(0, 0, 8, 8), shapely.box(8, 3.7, 16, 4.3), shapely.box(16, 0, 24, 8)]
    )
    assert piece_outline(dumb, 0.2, 0.4) is None


def test_a_stepped_prism_is_the_sum_of_its_steps():
    ring = shapely.Point(0, 0).buffer(8, quad_segs=12) - shapely.Point(1, 0).buffer(3, quad_segs=12)
    steps = [(ring.buffer(-0.4), 0.2), (ring.buffer(-0.2), 0.4), (ring, 2.0)]
    solid = stepped_prism(steps, 0.0)
    assert solid.volume() == pytest.approx(
        0.2 * steps[0][0].area + 0.2 * steps[1][0].area + 1.6 * ring.area, rel=1e-9
    )
    assert solid.genus() == 1 and stepped_prism([(ring, 2.0)], 0.0).volume() == pytest.approx(
        prism(ring, 0.0, 2.0).volume()
    )


def test_pieces_of_a_colour_come_off_one_bed_without_a_change():
    """Whatever the printer takes at once: no bed of the lid's inlays has two filaments, and no filament
    of theirs two beds."""
    job, sources = demo_job("lid")
    for loaded in (0, 4):
        inlaid = replace(job, colouring=Colouring("inlays"), printer=replace(job.printer, loaded=loaded))
        units = known(sources).kit(inlaid).units
        spots = lay_out(units, inlaid.printer)
        filaments = {(s.load, p.filament.name) for s in spots for p in units[s.unit].pieces}
        assert len(filaments) == len({n for n, _ in filaments}) == len({f for _, f in filaments}) == 4
