"""Every module of bench/ runs in a small form, so that none can rot."""

from __future__ import annotations

import importlib
import itertools
from pathlib import Path

import numpy as np
import pytest
import shapely
import trimesh
from bench import (
    gaps,
    judging,
    pairs,
    quality_beds,
    quality_colours,
    quality_gallery,
    quality_jobs,
    quality_models,
    quality_pairs,
    quality_pictures,
    quality_shapes,
    quality_strangers,
    quality_svg,
    quality_thickness,
    strength,
)
from bench.__main__ import MODULES

from cutkey.demo import models

QUALITIES = {n for n in globals() if n.startswith("quality_")}
HELPERS = {"__init__", "__main__", "timing", "shapes", "openset", "strangers", "judging", "gallery", "pairs"}
DISC = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64" width="64" height="64"><rect width="64"'
    ' height="64" fill="#ffffff"/><circle cx="32" cy="32" r="20" fill="#c03020"/></svg>'
)
FLAG = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 72 72"><rect x="6" y="16" width="60" height="20"'
    ' fill="#c03020"/><rect x="6" y="36" width="60" height="20" fill="#2040a0"/></svg>'
)


def test_no_module_is_left_out():
    found = {p.stem for p in Path(importlib.import_module("bench").__file__).parent.glob("*.py")} - HELPERS
    assert found == {m.__name__.rpartition(".")[2] for m in MODULES} | QUALITIES | {"strength", "gaps"}


@pytest.mark.parametrize("module", MODULES, ids=lambda m: m.__name__)
def test_benchmarks_run(module):
    rows = module.run(small=True)
    assert rows and all(seconds > 0 and floor > 0 and name and of for name, seconds, floor, of in rows)


def test_promises_hold_in_a_small_form():
    promises = strength.run(small=True)
    assert [p for p in promises if not p.held] == [] and len(promises) == 7


def test_gaps_of_the_windows_thread_are_measured(window):
    found = gaps.measure(window, rounds=1, small=True)
    assert 0 < found.clock.p99 <= found.clock.most < 3 and 0 <= found.clock.share < 1
    assert 0 < found.own.most <= found.inside.most <= found.clock.most


def replace_truth(shown):
    """The same picture, said to be its mirror image."""
    return shown._replace(labels=shown.labels[:, ::-1].copy())


def test_qualities_run():
    count, rows = quality_models.measure([("demo/lid.stl", models.stl_of(models.jar_lid(), "lid"))])
    assert dict(count) == {"sound": 1} and len(rows) == 1
    assert quality_shapes.measure(sizes=(32,))
    assert quality_svg.measure(some=[("disc.svg", DISC)])["good"] == 1.0
    rows = quality_colours.measure(2, sizes=(128,), some={"signs": [("disc.svg", DISC), ("flag.svg", FLAG)]})
    assert {row: v["right"] for row, v in rows.items()} == {
        "signs, 128 px": "2 of 2",
        "signs, JPEG 40": "2 of 2",
        "signs, noise": "2 of 2",
    }
    found = quality_pictures.measure(1, ("palette given",), [("flag.svg", FLAG)])
    assert found["palette given"]["wrong"] < 0.01 and found["palette given"]["valid"]


def test_jobs_of_nothing_in_particular_are_mended():
    gallery = quality_gallery.measure(1, ("area mean", "sprite", "soft shadow"), own_only=True)
    assert [r.at_once.faults for found in gallery.values() for r in found] == [[], [], []]
    # Another drawing's truth is no match.
    (one,) = gallery["area mean"]
    other = replace_truth(one.shown)
    assert quality_gallery.try_one(other, clicks=False).at_once.faults
    counts, left = quality_jobs.measure(range(4, 6), write=True)
    assert left == [] and counts["written without a warning"] == counts["mended"] == 2


def test_any_two_choices_that_meet_are_built_as_they_were_made():
    # Twelve of the jobs: thin colours that touch themselves, wrapped rings, slivers that closed, a plan whose
    # mirrored cuts left a section too large.
    found = quality_pairs.measure(0, [3, 14, 19, 25, 26, 29, 72, 73, 75, 80])
    found += quality_pairs.measure(1, [8, 22])
    assert [(o.how, o.faults) for o in found] == [("written", ())] * 12
    # Every pair of choices that go together is in one of them.
    rows = pairs.rows(0)
    for (one, some), (other, others) in itertools.combinations(pairs.FACTORS.items(), 2):
        met = {(r[one], r[other]) for r in rows}
        for a, b in set(itertools.product(some, others)) - met:
            assert not pairs.goes({one: a, other: b}), (one, a, other, b)


def test_the_pairs_judge_sees_what_is_elsewhere_than_the_job_says():
    row = {
        **pairs.rows(0)[0],
        "body": "plate",
        "side": "top",
        "size": 110.0,
        "thick": 3.0,
        "mode": "raised",
    }
    row |= {"follow": "flat", "addon": "none", "cuts": "none", "way": "bodies", "bed": 235.0, "graphics": 1}
    row |= {"deep": 0.6, "down": False, "rack": "all", "nozzle": 0.4, "drawing": "emblem", "copies": "one"}
    assert quality_pairs.try_one(row, 0).faults == ()
    for wrong in ({"deep": 0.8}, {"spin": row["spin"] + 40}, {"mirror": not row["mirror"]}):
        job, files = pairs.job_of({**row, **wrong}, 0)
        told, _ = pairs.job_of(row, 0)
        assert quality_pairs.written_and_judged(job, files, told, row), wrong


def test_outlines_need_no_more_beds_than_boxes():
    rows = quality_beds.measure(4)
    assert all(own <= boxes and bad == 0 for _, _, boxes, own, _, bad in rows) and sum(
        r[3] for r in rows
    ) < 0.78 * sum(r[2] for r in rows)


def test_thickness_is_measured_against_its_definition():
    (row,) = quality_thickness.measure(
        [("demo/lid.stl", models.stl_of(models.jar_lid(), "lid"))], 1, count=60
    )
    assert row[1] > 5 and row[2] > 0.9 and not row[4]


def test_the_measures_of_the_bench_find_what_is_wrong():
    def box(x, y, z, at):
        mesh = trimesh.creation.box((x, y, z))
        mesh.apply_translation((at[0], at[1], at[2] + z / 2))
        return mesh

    up, plate, mark = np.array([0.0, 0, 1]), box(40, 30, 2, (0, 0, 0)), box(10, 10, 1, (0, 0, 2))
    lid = box(20, 20, 1, (0, 0, 3))
    assert judging.share_seen(mark, [plate], up) == 1.0 and judging.share_seen(mark, [plate, lid], up) == 0.0
    colours = {"plate": "white", "mark": "black"}
    for height, share in ((2.0, 0.0), (1.8, 1.0)):
        found = judging.film({"plate": plate, "mark": mark}, colours, [(height, "white", "black")], 0.2, 0.2)
        assert found == pytest.approx(share * 11 / 12, abs=0.05)
    halves = shapely.union_all([shapely.box(0, 0, 10, 10), shapely.box(15, 0, 25, 10)])
    for width, missing in ((0.2, 1.0), (0.3, 0.0)):
        neck = shapely.box(10, 5, 15, 5 + width)
        assert judging.necks(halves.union(neck)) == pytest.approx(missing, abs=0.05)
    solids = {
        n: judging.solid_of(box(10, 10, 10, (x, 0, 0))) for n, x in (("A1", 0), ("B1", 9.99), ("C1", 30))
    }
    shared, which = judging.shared_at_rest(solids)
    assert shared == pytest.approx(1.0) and which == "A1 and B1"


def test_strangers_models_are_judged_by_measures_of_the_benchs_own():
    data = models.stl_of(models.hive_plate(), "plate")
    count, faults = quality_strangers.measure([("demo/plate.stl", data)], few=True)
    assert faults == [] and count["commands"] == count["well"] == 5 and count["models"] == 1
