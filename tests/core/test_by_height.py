"""Colour by height on real jobs: the written file is sliced by another library, lists and weights are closed forms."""

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

from cutkey.cli.main import main
from cutkey.core.colouring.costs import fewest_changes
from cutkey.core.engine.colour_ways import costs
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import write_job_kit
from cutkey.core.model.colouring import Colouring, Rung
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import change_filament
from cutkey.core.model.filament import Filament
from cutkey.core.model.file import job_bytes, read_job
from cutkey.demo.jobs import demo_job


@pytest.fixture(scope="module")
def plate(tmp_path_factory):
    """The hive plate by height, written."""
    job, sources = demo_job("plate")
    job = replace(job, colouring=Colouring("heights"))
    evaluator = Evaluator(sources)
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
        there = [name for name, mesh in bodies.items() if mesh.bounds[0, 2] < z < mesh.bounds[1, 2] and mesh.section((0, 0, 1), (0, 0, z))]
        wanted = next(s.filament for s in heights.stripes if s.first <= layer <= s.last)
        assert len(there) == 1 and there[0].endswith(wanted), layer
    assert sum(m.volume for m in bodies.values()) == pytest.approx(evaluator.design(job).volume, rel=1e-5)


def test_the_changes_are_listed_for_machines_and_people(plate):
    job, evaluator, folder, report = plate
    stripes = evaluator.heights(job).stripes
    rows = list(csv.DictReader(io.StringIO((folder / "changes.csv").read_text())))
    assert [(r["from"], r["to"], int(r["layer"])) for r in rows] == [(a.filament, b.filament, b.first) for a, b in pairwise(stripes)]
    assert all(float(r["height_mm"]) == pytest.approx(0.2 * (int(r["layer"]) - 1)) for r in rows)
    assert report["changes"][0]["from"] == rows[0]["from"] and len(report["changes"]) == 3 == evaluator.heights(job).changes
    words = (folder / "changes.txt").read_text()
    pages = "".join(p.extract_text() for p in pypdf.PdfReader(written(folder, ".pdf")).pages)
    assert words.startswith(f"Bed load 1: begin with {stripes[0].filament}") and "Filament changes" in pages
    assert all(f"before layer {r['layer']}, at" in words and f"{r['from']} to {r['to']}" in pages for r in rows)
    # As bodies again nothing of it is left.
    write_job_kit(folder, replace(job, colouring=Colouring()), evaluator)
    assert not (folder / "changes.csv").exists()


def test_a_change_set_by_hand_holds_or_is_said(plate):
    job, evaluator, _, _ = plate
    free = evaluator.heights(job)
    under, over = free.stripes[0], free.stripes[1]
    held = replace(job, colouring=replace(job.colouring, rungs=(Rung(under.high - 0.4, over.filament, under.filament),)))
    moved = evaluator.heights(held)
    assert moved.stripes[0].last == under.last - 2 and moved.stripes[1].first == over.first - 2 and moved.notes == ()
    wrong = replace(
        job, colouring=replace(job.colouring, rungs=(Rung(0.2, over.filament, under.filament), Rung(3.9, under.filament, over.filament)))
    )
    assert evaluator.heights(wrong).stripes == free.stripes and "by hand" in evaluator.heights(wrong).notes[0]
    # Printed, the job is what its plan says, and planning it again changes nothing.
    printed = evaluator.as_printed(job)
    assert evaluator.as_printed(printed) is printed and [b.filament for b in printed.colouring.bands] == [s.filament for s in free.stripes]
    saved, _ = read_job(job_bytes(held, evaluator.sources), "a.cutkey")
    assert saved == held


def test_no_plan_is_said_with_who_is_in_the_way_and_what_helps(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    job, sources = demo_job("lid")
    job = replace(job, colouring=Colouring("heights"))
    evaluator = Evaluator(sources)
    plan = evaluator.heights(job)
    assert plan.stripes == () and "the model" in plan.among and len(plan.among) == 4
    assert "let the heights differ more" in plan.trouble and "let one layer cover" in plan.trouble
    # What is said to help does.
    assert evaluator.heights(replace(job, colouring=replace(job.colouring, travel=3.0))).changes == 3
    assert evaluator.heights(replace(job, colouring=replace(job.colouring, cover=1))).changes == 3
    stops = [f.title for f in evaluator.kit(job).findings if f.severity == "stop"]
    assert stops == ["No plan by height"]
    (tmp_path / "lid.cutkey").write_bytes(job_bytes(job, sources))
    assert main(["colour", "lid.cutkey", "--report", "r.json"]) == 1 and "no order of changes" in capsys.readouterr().out
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["in_the_way"] == list(plan.among) and [c["way"] for c in report["costs"]] == ["bodies"]
    assert main(["colour", "lid.cutkey", "--way", "bodies"]) == 0
    assert main(["colour", "none.cutkey"]) == 2


def test_what_is_not_level_or_cut_across_is_refused_in_words():
    job, sources = demo_job("cap")
    plan = Evaluator(sources).heights(replace(job, colouring=Colouring("heights")))
    assert plan.stripes == () and plan.trouble.startswith("Lettering does not lie on a level face")
    job, sources = demo_job("plate")
    cut = replace(job, colouring=Colouring("heights"), cuts=(Cut("z", 2.0),))
    assert "Cut across the layers" in [f.title for f in Evaluator(sources).kit(cut).findings]


def test_costs_are_those_of_closed_forms(plate):
    job, evaluator, _, _ = plate
    rack = tuple(replace(f, price=20.0) for f in job.rack)
    found = {c.way: c for c in costs(evaluator, replace(job, rack=rack))}
    volume = evaluator.design(replace(job, colouring=Colouring())).volume
    bodies = found["bodies"]
    assert bodies.grams == pytest.approx(volume * 1.24e-3) and found["heights"].changes == 3 and bodies.changes > 3
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
    assert new.colouring.rungs[0].filament == "Ink PETG" and "Soot PLA" not in {f.name for f in new.rack} and len(new.rack) == len(job.rack)
