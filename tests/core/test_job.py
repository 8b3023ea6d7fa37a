"""The job document: file, history, and that only what changed is computed again."""

from __future__ import annotations

import io
import json
import zipfile

import pytest
from msgspec.structs import replace
from tests.known import known

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest
from cutkey.core.engine.evaluate import Evaluator, evaluate
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.model.edits import assign, change_placement, place, remove_graphic, set_depth
from cutkey.core.model.filament import Filament
from cutkey.core.model.file import SCHEMA, job_bytes, open_job, save_job
from cutkey.core.model.history import History
from cutkey.core.model.job import Assignment, Job
from cutkey.core.model.placement import Depth
from cutkey.demo.jobs import JOBS, demo_job


def rewritten(data: bytes, **parts: bytes | None) -> bytes:
    """A job file with some members replaced or left out."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(out, "w") as target:
        for name in source.namelist():
            key = "source" if name.startswith("sources/") else name.partition(".")[0]
            content = parts.get(key, source.read(name))
            if content is not None:
                target.writestr(name, content)
    return out.getvalue()


@pytest.fixture(scope="module")
def plate():
    return demo_job("plate")


def test_a_job_comes_back_as_it_was(plate, tmp_path):
    job, sources = plate
    job = replace(
        job,
        cuts=(Cut("x", 3.5),),
        keys=Keys(size=3),
        rack=(Filament("Ünï PLA", "#123456"),),
        assignments=(Assignment("body", "Ünï PLA"),),
    )
    save_job(tmp_path / "a.cutkey", job, sources)
    again, files = open_job(tmp_path / "a.cutkey")
    assert again == job and files == sources
    assert [p.name for p in tmp_path.iterdir()] == ["a.cutkey"]
    empty = Job(base=PlateBase())
    save_job(tmp_path / "a.cutkey", empty, {})
    assert open_job(tmp_path / "a.cutkey") == (empty, {})


@pytest.mark.parametrize(
    ("what", "why"),
    [
        (lambda d, j: b"", "0 bytes"),
        (lambda d, j: d[: len(d) // 2], "damaged"),
        (lambda d, j: b"not a zip", "damaged"),
        (lambda d, j: rewritten(d, job=b"{}"), "not a Cut Key job"),
        (
            lambda d, j: rewritten(d, job=json.dumps({"schema": SCHEMA + 1, "job": {}}).encode()),
            "newer Cut Key",
        ),
        (
            lambda d, j: rewritten(
                d, job=json.dumps({"schema": SCHEMA, "job": {"cuts": [{"axis": "w", "at": 1}]}}).encode()
            ),
            "damaged",
        ),
        (lambda d, j: rewritten(d, source=b"other bytes"), "its copy of"),
        (lambda d, j: rewritten(d, source=None), "its copy of"),
    ],
)
def test_a_bad_job_file_is_refused_in_one_sentence(plate, tmp_path, what, why):
    (tmp_path / "bad.cutkey").write_bytes(what(job_bytes(*plate), plate[0]))
    with pytest.raises(BadInput, match=why) as error:
        open_job(tmp_path / "bad.cutkey")
    assert str(error.value).startswith("bad.cutkey")


def test_a_failed_save_leaves_the_old_file(tmp_path, monkeypatch):
    target = tmp_path / "job.cutkey"
    target.write_bytes(b"old")
    monkeypatch.setattr(
        "os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device"))
    )
    with pytest.raises(BadInput, match="The disk is full"):
        write_atomic(target, b"new")
    assert target.read_bytes() == b"old" and [p.name for p in tmp_path.iterdir()] == ["job.cutkey"]
    with pytest.raises(BadInput, match="does not exist; make the folder"):
        write_atomic(tmp_path / "missing" / "x", b"")


def test_undo_and_redo_without_end():
    history = History(Job())
    for k in range(500):
        history.edit(f"step {k}", replace(history.job, name=str(k)))
    history.edit("nothing", history.job)
    assert history.undo_text == "step 499" and history.redo_text == ""
    for _ in range(600):
        history.undo()
    assert history.job == Job() and history.undo_text == "" and history.redo_text == "step 0"
    history.redo()
    history.edit("another way", replace(history.job, name="x"))
    assert history.redo_text == "" and history.job.name == "x"


def test_a_drag_is_one_step():
    history = History(Job())
    history.edit("move", replace(history.job, name="a"), "drag 1")
    history.edit("move", replace(history.job, name="b"), "drag 1")
    history.edit("turn", replace(history.job, name="c"), "drag 2")
    history.undo()
    assert history.job.name == "b"
    history.undo()
    assert history.job.name == "Untitled"
    # Dragged back to where it was: nothing was done.
    history.edit("move", replace(history.job, name="a"), "drag 3")
    history.edit("move", Job(), "drag 3")
    assert history.job == Job() and history.undo_text == ""


def test_a_job_of_an_older_schema_keeps_its_keys_cuts_and_paper(tmp_path, plate):
    save_job(tmp_path / "old.cutkey", *plate)
    old = {
        "name": "Old",
        "cuts": [{"axis": "x", "at": 3.5}],
        "keys": {"kind": "dowel", "diameter": 3.0, "depth": 8.0},
    }
    old |= {"gauge": {"on": True, "paper": "Letter"}}
    data = rewritten(
        (tmp_path / "old.cutkey").read_bytes(), job=json.dumps({"schema": 3, "job": old}).encode()
    )
    (tmp_path / "old.cutkey").write_bytes(data)
    job, _ = open_job(tmp_path / "old.cutkey")
    assert job.cuts == (Cut("x", 3.5),) and job.keys == Keys("dowel", 3.0, 8.0) and job.labels.on
    assert job.gauge.on and job.files.paper == "Letter"


def test_only_what_changed_is_computed_again(plate):
    job, sources = plate
    evaluator = Evaluator(sources)
    evaluator.kit(job)
    before = evaluator.memo.computed
    evaluator.kit(job)
    assert evaluator.memo.computed == before
    moved = change_placement(job, replace(job.placements[1], offset=(50.0, -1.0)))
    evaluator.kit(moved)
    # Design, its bodies and their four checks, bare sections, split, sides and kit; no picture is traced, no
    # model read, no face searched.
    assert evaluator.memo.computed == before + 12
    evaluator.kit(replace(moved, keys=Keys(clearance=0.2)))
    assert evaluator.memo.computed == before + 15
    evaluator.kit(job)
    assert evaluator.memo.computed == before + 15


@pytest.mark.parametrize("name", JOBS)
def test_every_demo_job_is_finished_and_sound(name):
    job, sources = demo_job(name)
    kit = known(sources).kit(job)
    # The comb of the panel is meant to run over its edge.
    assert [f.title for f in kit.findings if f.severity != "sound"] == (
        ["Trimmed"] if name == "panel" else []
    )
    assert kit.piece_volume + kit.clearance_volume == pytest.approx(kit.design_volume, rel=1e-9)


def test_evaluation_reports_progress_and_can_be_left(plate):
    job, sources = plate
    seen = []

    class Enough(Exception):
        pass

    def progress(fraction, text):
        seen.append((fraction, text))
        if text == "checking":
            raise Enough

    with pytest.raises(Enough):
        evaluate(job, sources, progress)
    assert {"placing Lettering", "cutting", "checking"} <= {t for _, t in seen}
    assert evaluate(Job(), {}) is None


def test_edits_give_new_jobs(plate):
    job, _ = plate
    graphic = job.graphics[0].id
    more, placement = place(job, graphic, (0, 0, 4), (0, 0, 1))
    assert len(more.placements) == 3 and len(job.placements) == 2
    assert len(remove_graphic(more, graphic).placements) == 1
    rules = set_depth(set_depth(placement, Depth("flush", 0.4, "#000000")), Depth("through", 0, "#000000"))
    assert rules.depth_of("#000000").mode == "through" and rules.depth_of("#ffffff").mode == "raised"
    twice = assign(assign(job, "body", "A"), "body", "B")
    assert twice.assigned("body") == "B" and len(twice.assignments) == 1


def test_digests_tell_values_apart():
    assert digest(1, 2) != digest(12) and digest("1") != digest(1) and digest(Keys()) == digest(Keys())
    assert digest(Keys()) != digest(Keys(size=5))
