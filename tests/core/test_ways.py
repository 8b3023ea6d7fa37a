"""Single colours printed another way, face down, numbers on inlays, sharing out filaments: judged on
written files by trimesh."""

from __future__ import annotations

from functools import reduce

import numpy as np
import pytest
import shapely
import trimesh
from msgspec.structs import replace
from tests.conftest import written
from tests.core.test_inlays import job_of, section
from tests.known import known

from cutkey.core.colouring.numbers import DEEP
from cutkey.core.engine.colour_ways import offers
from cutkey.core.engine.output import write_job_kit
from cutkey.core.model.colouring import Colouring, Cover, OwnWay
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import assign
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.placement import Depth
from cutkey.demo.jobs import demo_job


def bodies_of(folder):
    """Meshes of the written 3MF by name, standing on the bed."""
    found = dict(trimesh.load(written(folder), file_type="3mf").geometry.items())
    low = min(m.bounds[0, 2] for m in found.values())
    for mesh in found.values():
        mesh.apply_translation((0, 0, -low))
    return found


def names_at(bodies, z):
    """Which bodies are cut at a height."""
    return [
        n
        for n, m in bodies.items()
        if m.bounds[0, 2] < z < m.bounds[1, 2] and m.section((0, 0, 1), (0, 0, z)) is not None
    ]


def test_the_panel_is_printed_in_three_changes(tmp_path):
    """Comb over the edge, sunk scales, raised marks, vents and holes; four filaments, one a layer of the
    file."""
    job, sources = demo_job("panel")
    evaluator = known(sources)
    report = write_job_kit(tmp_path / "kit", job, evaluator)
    plan = evaluator.heights(job)
    assert plan.changes == 3 and all(t.gets == pytest.approx(t.asked, abs=1e-6) for t in plan.tops)
    assert [s.filament for s in plan.stripes] == ["Linen PLA", "Moss PLA", "Honey PLA", "Brick PLA"]
    assert not [f for f in report["findings"] if f["severity"] == "stop"]
    bodies = bodies_of(tmp_path / "kit")
    assert len(bodies) == 4 and all(len(names_at(bodies, 0.2 * (n + 0.5))) == 1 for n in range(27))
    # Holes stay clear: nothing stands nearer to a gauge than the margin.
    high = section(next(m for n, m in bodies.items() if "Honey" in n), 4.4)
    assert high.distance(shapely.Point(80 - 48, 45 + 12).buffer(14, quad_segs=64)) > 0.99


@pytest.fixture(scope="module")
def turned(tmp_path_factory):
    """The hive plate with everything flush, face down, written."""
    job, sources = demo_job("plate")
    flush = tuple(replace(p, depths=(Depth("flush", 0.8),)) for p in job.placements)
    job = replace(job, placements=flush, colouring=Colouring("heights", face_down=True, travel=1.5))
    evaluator = known(sources)
    folder = tmp_path_factory.mktemp("kit") / "kit"
    return job, evaluator, folder, write_job_kit(folder, job, evaluator)


def test_face_down_the_order_is_turned_round_in_the_file(turned):
    """The first layer lies on what was the top; every layer of the file has the filament that the plan
    says."""
    job, evaluator, folder, report = turned
    plan, bodies = evaluator.heights(job), bodies_of(folder)
    assert {f["severity"] for f in report["findings"]} == {"sound"} and report["units"][0][
        "lies"
    ] == "turned over"
    for layer in range(1, plan.stripes[-1].last + 1):
        there = names_at(bodies, 0.2 * (layer - 0.5))
        wanted = next(s.filament for s in plan.stripes if s.first <= layer <= s.last)
        assert len(there) == 1 and there[0].endswith(wanted), layer
    # Only one colour can lie on the bed; the plate is turned about its long axis: the doorway at the front
    # lies at the back.
    first = section(next(m for n, m in bodies.items() if n.endswith(plan.stripes[0].filament)), 0.1)
    assert plan.stripes[0].filament == evaluator.filaments(job)["body"].name
    assert not first.intersects(shapely.Point(70, 60 - 9)) and first.intersects(shapely.Point(70, 3))
    words = (folder / "changes.txt").read_text()
    assert words.startswith("The pieces lie face down") and "before layer 3, at 0.4 mm" in words
    # Turned back, piece by piece, it is the design.
    design, unit = evaluator.design(job), evaluator.kit(job).units[0]
    points = np.concatenate([unit.assembled(p.mesh.vertices) for p in unit.pieces])
    assert np.allclose(points.min(0), design.low, atol=1e-4) and np.allclose(
        points.max(0), design.high, atol=1e-4
    )
    middle = points[np.abs(points[:, 2] - 4) < 1e-4][:, 1]
    assert middle.min() == pytest.approx(-30, abs=1e-4) and middle.max() == pytest.approx(30, abs=1e-4)


def test_what_hangs_face_down_is_said():
    job, sources = demo_job("panel")
    job = replace(job, colouring=replace(job.colouring, face_down=True))
    notes = known(sources).heights(job).notes
    assert any("a face of the model hangs 1.4 mm over the bed" in str(n) for n in notes)


def test_one_colour_as_a_body_among_layers(tmp_path):
    """The lid has no plan by height; with the cream as a body it has one, offered and applied as offered."""
    job, sources = demo_job("lid")
    job = replace(job, colouring=Colouring("heights"))
    evaluator = known(sources)
    help_ = next(h for h in evaluator.heights(job).helps if "as a body" in str(h.says))
    job = replace(job, colouring=help_.colouring)
    assert job.colouring.ways == (OwnWay("#cbc1a8", "bodies"),)
    report = write_job_kit(tmp_path / "kit", job, evaluator)
    assert not [f for f in report["findings"] if f["severity"] == "stop"]
    plan, bodies = evaluator.heights(job), bodies_of(tmp_path / "kit")
    for layer in range(1, plan.stripes[-1].last + 1):
        wanted = next(s.filament for s in plan.stripes if s.first <= layer <= s.last)
        assert {n.split(" ", 1)[1] for n in names_at(bodies, 0.2 * (layer - 0.5))} <= {wanted, "Linen PLA"}, (
            layer
        )
    assert any(len(names_at(bodies, z)) == 2 for z in np.arange(13.5, 14.2, 0.1))
    assert sum(m.volume for m in bodies.values()) == pytest.approx(evaluator.design(job).volume, rel=1e-5)
    assert "Linen PLA is printed as a body" in (tmp_path / "kit" / "changes.txt").read_text()
    # Every help that is offered leads to a plan.
    first = evaluator.heights(replace(job, colouring=Colouring("heights")))
    assert (
        all(evaluator.heights(replace(job, colouring=h.colouring)).stripes for h in first.helps)
        and len(first.helps) == 3
    )


def test_numbers_stand_under_inlays_and_in_their_pockets(tmp_path):
    """Written piece and body: what is cut out is the same figure, mirrored, 0.4 mm deep."""
    job, sources = job_of(
        Depth("flush", 1.5), '<rect x="4" y="4" width="22" height="16" fill="#c03020"/>', lead=0.4
    )
    evaluator = known(sources)
    report = write_job_kit(tmp_path / "kit", job, evaluator)
    (inlay,) = evaluator.inlays(job).inlays
    assert "Inlays are numbered" in [f["title"] for f in report["findings"]]
    bodies = bodies_of(tmp_path / "kit")
    piece = next(m for n, m in bodies.items() if n.startswith("Inlay 1"))
    # The lower edge is taken off in steps, so the outline at the number is a whole one less the writing.
    low = section(piece, 0.1)
    under = (
        shapely.Polygon(
            low.exterior if low.geom_type == "Polygon" else max(low.geoms, key=lambda g: g.area).exterior
        )
        - low
    )
    plate = next(m for n, m in bodies.items() if not n.startswith("Inlay"))
    floor = section(plate, 6 - inlay.deep - DEEP / 2)
    in_floor = shapely.box(*floor.bounds) - floor
    in_floor = shapely.MultiPolygon([g for g in shapely.get_parts(in_floor) if g.area > 0.05])
    assert under.area == pytest.approx(inlay.writing.area, rel=1e-3) and in_floor.area == pytest.approx(
        inlay.writing.area, rel=1e-3
    )
    mirrored = shapely.transform(under, lambda p: p * (-1, 1))
    shift = np.array(in_floor.centroid.coords[0]) - np.array(mirrored.centroid.coords[0])
    moved = shapely.transform(mirrored, lambda p: p + shift)
    assert shapely.symmetric_difference(moved, in_floor).area < 0.02 * in_floor.area
    # Too little under a pocket, or too thin a piece: said.
    thin, sources = job_of(Depth("flush", 1.0))
    titles = [f.title for f in known(sources).kit(thin).findings]
    assert "Inlays without a number" in titles
    none = replace(job, colouring=replace(job.colouring, numbered=False))
    assert evaluator.inlays(none).inlays[0].writing is None


def test_an_inlay_over_a_seam_is_said():
    job, sources = job_of(Depth("flush", 1.0), '<rect x="4" y="4" width="40" height="16" fill="#c03020"/>')
    job = replace(job, cuts=(Cut("x", 0.0),))
    evaluator = known(sources)
    said = [f for f in evaluator.kit(job).findings if f.title == "Inlays over seams"]
    assert len(said) == 1 and "1 (A1, B1)" in said[0].text
    aside = replace(job, cuts=(Cut("x", 30.0),))
    assert not [f for f in evaluator.kit(aside).findings if f.title == "Inlays over seams"]


def test_inlays_keep_the_margin_of_their_graphic():
    """A margin trims pocket and piece alike."""
    job, sources = job_of(Depth("flush", 1.0), '<rect x="4" y="4" width="50" height="20" fill="#c03020"/>')
    wide = replace(job.placements[0], margin=4.0, offset=(20.0, 0.0))
    job = replace(job, placements=(wide,))
    evaluator = known(sources)
    (inlay,) = evaluator.inlays(job).inlays
    assert inlay.pocket.bounds[2] == pytest.approx(40 - 4, abs=1e-6)
    assert not [f for f in evaluator.kit(job).findings if f.severity == "stop"]


@pytest.mark.parametrize("name", ["lid", "panel"])
def test_what_makes_do_with_two_filaments(name):
    job, sources = demo_job(name)
    job = replace(job, printer=replace(job.printer, loaded=2), colouring=Colouring())
    evaluator = known(sources)
    found = offers(evaluator, job)
    assert [str(o.says).split(" ")[0] for o in found] == (
        ["print", "let"] if name == "lid" else ["print", "print", "let"]
    )
    for offer in found:
        made = reduce(
            lambda j, a: assign(j, *a), offer.filaments.items(), replace(job, colouring=offer.colouring)
        )
        findings = evaluator.kit(made).findings
        assert not [
            f for f in findings if f.severity == "stop" or f.title == "More filaments than are loaded"
        ], offer.text
    assert offers(evaluator, replace(job, printer=replace(job.printer, loaded=4))) == []
    kept, _ = read_job(job_bytes(replace(job, colouring=found[-1].colouring), sources), "a.cutkey")
    assert kept.colouring == found[-1].colouring


def test_a_colour_too_thin_to_cover_is_said():
    """Measured through the body: one layer where two are wanted; at two it is sound; a filament may want
    more."""
    shape = '<rect x="4" y="4" width="22" height="16" fill="#c03020"/>'

    def told(depth: float, **how):
        job, sources = job_of(Depth("flush", depth), shape)
        job = replace(job, colouring=Colouring("bodies", **how))
        return [f for f in known(sources).kit(job).findings if f.title == "Shows through"]

    (thin,) = told(0.2)
    assert thin.figure == pytest.approx(0.2, abs=1e-3) and thin.limit == pytest.approx(0.4)
    assert (
        told(0.4) == []
        and len(told(0.8, covers=(Cover("Brick PLA", 5),))) == 1
        and told(1.0, covers=(Cover("Brick PLA", 5),)) == []
    )
