"""Colour by height on real jobs: the written file is sliced by another library, lists and weights are
closed forms."""

from __future__ import annotations

import csv
import io
import json
import math
from itertools import pairwise, permutations, product

import numpy as np
import pypdf
import pytest
import trimesh
from msgspec.structs import replace
from tests.conftest import written
from tests.known import known

from cutkey.cli.main import main
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.colouring.costs import fewest_changes
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.colour_ways import costs
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import write_job_kit
from cutkey.core.model.colouring import Colouring, Cover, Rung
from cutkey.core.model.cuts import Cut, Labels
from cutkey.core.model.edits import add_graphic, change_filament, place
from cutkey.core.model.filament import Filament
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.job import Assignment, Job, Source
from cutkey.core.model.placement import Depth
from cutkey.core.model.printer import Printer
from cutkey.demo.jobs import demo_job


@pytest.fixture(scope="module")
def plate(tmp_path_factory):
    """The hive plate by height, written."""
    job, sources = demo_job("plate")
    job = replace(job, colouring=Colouring("heights"))
    evaluator = known(sources)
    folder = tmp_path_factory.mktemp("kit") / "kit"
    report = write_job_kit(folder, job, evaluator)
    return job, evaluator, folder, report


def test_every_layer_of_the_written_file_has_one_filament(plate):
    """Slices by trimesh through the middles of the layers; volumes add up to the design's."""
    job, evaluator, folder, report = plate
    assert {f["severity"] for f in report["findings"]} == {"sound"}
    scene = trimesh.load(written(folder), file_type="3mf")
    bodies = dict(scene.geometry.items())
    base = min(m.bounds[0, 2] for m in bodies.values())
    heights = evaluator.heights(job)
    for layer in range(1, heights.stripes[-1].last + 1):
        z = base + 0.2 * (layer - 0.5)
        there = [
            name
            for name, mesh in bodies.items()
            if mesh.bounds[0, 2] < z < mesh.bounds[1, 2] and mesh.section((0, 0, 1), (0, 0, z))
        ]
        wanted = next(s.filament for s in heights.stripes if s.first <= layer <= s.last)
        assert len(there) == 1 and there[0].endswith(wanted), layer
    assert sum(m.volume for m in bodies.values()) == pytest.approx(evaluator.design(job).volume, rel=1e-5)


def test_the_changes_are_listed_for_machines_and_people(plate):
    job, evaluator, folder, report = plate
    stripes = evaluator.heights(job).stripes
    rows = list(csv.DictReader(io.StringIO((folder / "changes.csv").read_text())))
    assert [(r["from"], r["to"], int(r["layer"])) for r in rows] == [
        (a.filament, b.filament, b.first) for a, b in pairwise(stripes)
    ]
    assert all(float(r["height_mm"]) == pytest.approx(0.2 * (int(r["layer"]) - 1)) for r in rows)
    assert (
        report["changes"][0]["from"] == rows[0]["from"]
        and len(report["changes"]) == 3 == evaluator.heights(job).changes
    )
    words = (folder / "changes.txt").read_text()
    pages = "".join(p.extract_text() for p in pypdf.PdfReader(written(folder, ".pdf")).pages)
    assert words.startswith(f"Bed load 1: begin with {stripes[0].filament}") and "Filament changes" in pages
    assert all(
        f"before layer {r['layer']}, at" in words and f"{r['from']} to {r['to']}" in pages for r in rows
    )
    # As bodies again nothing of it is left.
    write_job_kit(folder, replace(job, colouring=Colouring()), evaluator)
    assert not (folder / "changes.csv").exists()


def test_a_change_set_by_hand_holds_or_is_said(plate):
    job, evaluator, _, _ = plate
    free = evaluator.heights(job)
    under, over = free.stripes[0], free.stripes[1]
    held = replace(
        job, colouring=replace(job.colouring, rungs=(Rung(under.high - 0.4, over.filament, under.filament),))
    )
    moved = evaluator.heights(held)
    assert (
        moved.stripes[0].last == under.last - 2
        and moved.stripes[1].first == over.first - 2
        and moved.notes == ()
    )
    wrong = replace(
        job,
        colouring=replace(
            job.colouring,
            rungs=(Rung(0.2, over.filament, under.filament), Rung(3.9, under.filament, over.filament)),
        ),
    )
    assert evaluator.heights(wrong).stripes == free.stripes and "by hand" in str(
        evaluator.heights(wrong).notes[0]
    )
    # Printed, the job is what its plan says, and planning it again changes nothing.
    printed = evaluator.as_printed(job)
    assert evaluator.as_printed(printed) is printed and [b.filament for b in printed.colouring.bands] == [
        s.filament for s in free.stripes
    ]
    saved, _ = read_job(job_bytes(held, evaluator.sources), "a.cutkey")
    assert saved == held


def test_no_plan_is_said_with_who_is_in_the_way_and_what_helps(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    job, sources = demo_job("lid")
    job = replace(job, colouring=Colouring("heights"))
    evaluator = known(sources)
    plan = evaluator.heights(job)
    assert plan.stripes == () and "the model" in plan.among and len(plan.among) == 4
    assert "let heights differ by 1 mm" in str(plan.trouble) and "let one layer cover" in str(plan.trouble)
    # What is said to help does.
    assert evaluator.heights(replace(job, colouring=replace(job.colouring, travel=3.0))).changes == 3
    assert evaluator.heights(replace(job, colouring=replace(job.colouring, cover=1))).changes == 3
    stops = [f.title for f in evaluator.kit(job).findings if f.severity == "stop"]
    assert stops == ["No plan by height"]
    (tmp_path / "lid.cutkey").write_bytes(job_bytes(job, sources))
    assert (
        main(["colour", "lid.cutkey", "--report", "r.json"]) == 1
        and "no order of changes" in capsys.readouterr().out
    )
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["in_the_way"] == list(plan.among) and [c["way"] for c in report["costs"]] == [
        "bodies",
        "inlays",
    ]
    assert main(["colour", "lid.cutkey", "--way", "bodies"]) == 0
    assert main(["colour", "none.cutkey"]) == 2


def test_what_is_not_level_or_cut_across_is_refused_in_words():
    job, sources = demo_job("cap")
    plan = known(sources).heights(replace(job, colouring=Colouring("heights")))
    assert plan.stripes == () and str(plan.trouble).startswith("Lettering does not lie on a level face")
    job, sources = demo_job("plate")
    cut = replace(job, colouring=Colouring("heights"), cuts=(Cut("z", 2.0),))
    assert "Cut across the layers" in [f.title for f in known(sources).kit(cut).findings]


def test_costs_are_those_of_closed_forms(plate):
    job, evaluator, _, _ = plate
    rack = tuple(replace(f, price=20.0) for f in job.rack)
    found = {c.way: c for c in costs(evaluator, replace(job, rack=rack))}
    volume = evaluator.design(replace(job, colouring=Colouring())).volume
    bodies = found["bodies"]
    assert (
        bodies.grams == pytest.approx(volume * 1.24e-3)
        and found["heights"].changes == 3
        and bodies.changes > 3
    )
    # Metres from mass: m = g / (density x area of a round of 1.75 mm).
    for s in bodies.spools:
        assert s.metres == pytest.approx(s.grams / 1.24e-3 / (math.pi * 1.75**2 / 4) / 1000)
        assert s.price == pytest.approx(s.grams / 50)
    assert bodies.flushed == pytest.approx(bodies.changes * 80 * 1.24e-3)
    assert Filament("a", "#000000").metres(math.pi * 1.75**2 / 4 * 1000) == pytest.approx(1.0)


def test_fewest_changes_against_every_order():
    rng = np.random.default_rng(3)
    for _ in range(30):
        there = rng.random((3, 4)) < 0.6
        there[0, ~there.any(0)] = True
        orders = [list(permutations(np.flatnonzero(layer).tolist())) for layer in there.T]
        best = min(sum(a != b for a, b in pairwise(line)) for line in (sum(o, ()) for o in product(*orders)))
        assert fewest_changes(list(there)) == best


def test_a_filament_keeps_what_it_prints_under_another_name(plate):
    job = replace(plate[0], colouring=Colouring("heights", rungs=(Rung(1.0, "Soot PLA", "Fog PLA"),)))
    old = next(f for f in job.rack if f.name == "Soot PLA")
    new = change_filament(job, old, replace(old, name="Ink PETG", material="PETG"))
    assert (
        new.colouring.rungs[0].filament == "Ink PETG"
        and "Soot PLA" not in {f.name for f in new.rack}
        and len(new.rack) == len(job.rack)
    )


def simple(shapes: str, depths: tuple[Depth, ...], height: float = 2.0, **how):
    """A plate of 60 x 30 mm with a drawing on it, by height; black body, first layer as all others."""
    data = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="30mm" viewBox="0 0 60'
        f' 30">{shapes}</svg>'.encode()
    )
    source = Source(digest_bytes(data), "shapes.svg", "drawing")
    printer = Printer(first_layer=how.pop("first_layer", 0.0))
    job = Job(
        name="Badge",
        base=PlateBase(60.0, 30.0, height, 0.0),
        colouring=Colouring("heights", **how),
        printer=printer,
    )
    job = replace(job, assignments=(Assignment("body", "Soot PLA"),))
    job, spec = add_graphic(job, source, 50.0)
    job, placement = place(job, spec.id, (0.0, 0.0, height), (0.0, 0.0, 1.0), depths[0])
    job = replace(job, placements=(replace(placement, depths=depths),))
    return job, Evaluator({source.digest: data})


CREAM, AMBER, SOOT = "#efe4c6", "#e0a32a", "#26241f"
FILL = f'<rect width="50" height="20" fill="{CREAM}"/>'
OUTLINE = f'{FILL}<rect x="10" y="5" width="20" height="8" fill="{SOOT}"/>'


def test_worked_cases_of_changes_by_height():
    """One colour up is one change; a first layer of its own keeps the layers and moves the heights."""
    job, evaluator = simple(FILL, (Depth("raised", 1.0),))
    plan = evaluator.heights(job)
    assert [(s.filament, s.first, s.last, s.high) for s in plan.stripes] == [
        ("Soot PLA", 1, 10, 2.0),
        ("Linen PLA", 11, 15, 3.0),
    ]
    assert plan.choices == () and plan.tops[1].gets == plan.tops[1].asked == pytest.approx(3.0)
    job, evaluator = simple(FILL, (Depth("raised", 1.0),), height=2.08, first_layer=0.28)
    plan = evaluator.heights(job)
    assert [(s.first, s.last, s.high) for s in plan.stripes] == [(1, 10, 2.08), (11, 15, 3.08)]
    # Thinner than a layer is a layer; off the grid goes to the nearest.
    job, evaluator = simple(FILL, (Depth("raised", 0.05),), cover=1)
    assert evaluator.heights(job).tops[1].gets == pytest.approx(2.2)
    job, evaluator = simple(FILL, (Depth("raised", 0.53),))
    assert evaluator.heights(job).tops[1].gets == pytest.approx(2.6)


def test_an_outline_may_turn_round_and_the_choice_is_shown():
    """Fewest changes: the outline in the body's colour sinks under the fill; one more change keeps the
    relief."""
    rules = (Depth("raised", 1.0), Depth("raised", 1.6, SOOT))
    job, evaluator = simple(OUTLINE, rules, travel=3.0)
    plan = evaluator.heights(job)
    assert plan.changes == 1 and {t.name: t.gets > 2 for t in plan.tops if t.placement}["Shapes, black"]
    assert (
        plan.choices[-1].changes == 2
        and plan.choices[-1].off == pytest.approx(0.0, abs=0.01)
        and plan.choices[-1].returns == 1
    )
    stuck = evaluator.heights(replace(job, colouring=replace(job.colouring, travel=0.2)))
    assert (
        stuck.stripes == () and len(stuck.among) == 3 and "let a colour come back once" in str(stuck.trouble)
    )
    back = evaluator.heights(replace(job, colouring=replace(job.colouring, travel=0.2, returns=1)))
    assert [s.filament for s in back.stripes] == ["Soot PLA", "Linen PLA", "Soot PLA"] and back.changes == 2
    assert {
        f.severity
        for f in evaluator.kit(replace(job, colouring=replace(job.colouring, travel=0.2, returns=1))).findings
    } == {"sound"}


def test_what_is_cut_through_has_no_top_and_pale_colours_get_their_cover():
    two = f'{FILL}<rect x="20" y="5" width="10" height="8" fill="{AMBER}"/>'
    job, evaluator = simple(two, (Depth("raised", 0.4), Depth("through", 0.0, AMBER)))
    plan = evaluator.heights(job)
    assert [t.colour for t in plan.tops if t.placement] == [CREAM] and plan.placements[0].depth_of(
        AMBER
    ).mode == "through"
    assert evaluator.kit(job).units[0].size[2] == pytest.approx(2.4)
    covered = replace(job, colouring=replace(job.colouring, covers=(Cover("Linen PLA", 5),)))
    assert evaluator.heights(covered).tops[1].gets == pytest.approx(3.0)
    # A recess with less floor than a layer has no top at all.
    job, evaluator = simple(FILL, (Depth("recessed", 1.9),), height=0.2)
    assert str(evaluator.heights(job).trouble).startswith("No layer is left for Shapes")


def test_bed_loads_with_the_same_changes_share_their_list(tmp_path):
    job, evaluator = simple(FILL, (Depth("raised", 0.4),))
    job = replace(
        job,
        cuts=(Cut("x", 0.0),),
        printer=replace(job.printer, bed=(45.0, 45.0, 100.0)),
        labels=Labels(on=False),
    )
    report = write_job_kit(tmp_path / "kit", job, evaluator)
    assert report["bed_loads"] > 1 and {c["layer"] for c in report["changes"]} == {11}
    words = (tmp_path / "kit" / "changes.txt").read_text().splitlines()
    assert words[0].startswith("Bed loads 1, 2") and sum("before layer 11" in w for w in words) == 1
