"""The compute process: messages, cancel, crashes, progress."""

from __future__ import annotations

import multiprocessing
import os
import signal
import subprocess
import sys
import threading
import time

import manifold3d as m3
import numpy as np
import pytest
from msgspec.structs import replace
from tests.conftest import written

from cutkey.core import stopping
from cutkey.core.alive import my_mark
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import Cancelled
from cutkey.core.memo import Memo, budget, size_of
from cutkey.core.model.cuts import Cut
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.demo import models
from cutkey.demo.jobs import demo_job
from cutkey.worker.channel import receive, send
from cutkey.worker.client import Worker
from cutkey.worker.messages import Done, Evaluate, Export, Failed, Progress, Propose, Result, Trial


@pytest.fixture
def start():
    workers = []

    def begin(sources):
        workers.append(Worker())
        workers[-1].sources = sources
        return workers[-1]

    yield begin
    for w in workers:
        w.close()


def collect(worker, seconds: float = 60) -> list:
    """Everything that arrives until nothing is outstanding."""
    out, end = [], time.monotonic() + seconds
    while worker.busy and time.monotonic() < end:
        worker.connection.poll(0.05)
        out += worker.messages()
        out += worker.overdue()
    return out


def blocks() -> list[str]:
    """Blocks of shared memory of this process that are not freed."""
    return [f for f in os.listdir("/dev/shm") if f.startswith(f"cutkey-{my_mark()}-")]


def dies(connection, last_words) -> None:
    raise SystemExit(3)


def heavy_job(segments: int = 900) -> tuple[Job, dict]:
    """A model of about two million triangles, cut into many sections: booleans that take seconds."""
    data = models.stl_of(m3.Manifold.sphere(100, segments), "heavy")
    source = Source(digest_bytes(data), "heavy.stl", "model")
    cuts = tuple(Cut(a, float(v)) for a in "xyz" for v in (-60, -20, 20, 60))
    return Job(sources=(source,), base=ModelBase(source.digest, "mm"), cuts=cuts), {source.digest: data}


def until(worker, test, seconds: float = 60) -> list:
    """Messages until one passes a test."""
    out, end = [], time.monotonic() + seconds
    while not any(map(test, out)) and time.monotonic() < end:
        worker.connection.poll(0.02)
        out += [*worker.messages(), *worker.overdue()]
    assert any(map(test, out)), out
    return out


def test_arrays_go_through_shared_memory_and_come_out_equal():
    here, there = multiprocessing.Pipe()
    rng = np.random.default_rng(1)
    message = {
        "a": rng.random((1000, 3)),
        "b": [np.arange(7, dtype=np.int32), "text", None],
        "empty": np.zeros((0, 3)),
        "n": 3,
    }
    send(here, message)
    got = receive(there)
    assert np.array_equal(got["a"], message["a"]) and np.array_equal(got["b"][0], message["b"][0])
    assert got["empty"].shape == (0, 3) and got["b"][1:] == ["text", None] and got["n"] == 3
    got["a"][0] = 0  # writable, and nobody else's
    send(here, "no arrays")
    assert receive(there) == "no arrays"
    # A pipe holds 64 KiB; nothing large may wait for a receiver that is busy.
    for _ in range(20):
        send(here, ("large", b"x" * 100_000, "y" * 50_000))
    assert all(receive(there)[1] == b"x" * 100_000 for _ in range(20))
    here.close()
    with pytest.raises(EOFError):
        receive(there)
    assert not blocks()


def test_an_evaluation_arrives_part_by_part_and_only_once(start):
    job, sources = demo_job("plate")
    worker = start(sources)
    number = worker.request(Evaluate, job, frozenset())
    answers = collect(worker)
    results = [m for m in answers if isinstance(m, Result)]
    # A coarse draft of each picture comes first, then the graphic itself.
    assert [r.part.split()[0] for r in results] == ["graphic"] * 4 + ["body", "design", "kit"]
    assert [r.value.draft for r in results[:4]] == [True, False] * 2
    assert results[0].value.size == pytest.approx(results[1].value.size, rel=0.02)
    results = [r for r in results if not (r.part.startswith("graphic") and r.value.draft)]
    assert all(r.number == number and r.value is not None for r in results)
    assert isinstance(answers[-1], Done)
    assert any(m.text.startswith("tracing") for m in answers if isinstance(m, Progress))
    kit = results[-1].value
    assert {p[1].name for u in kit.units for p in u.pieces} == {"Fog PLA", "Moss PLA", "Brick PLA"}
    moved = replace(job, placements=(job.placements[0], replace(job.placements[1], offset=(50.0, 0.0))))
    worker.request(Evaluate, moved, frozenset(r.key for r in results))
    again = [m for m in collect(worker) if isinstance(m, Result)]
    assert [m.value is None for m in again] == [True, True, True, False, False]


def test_bad_input_a_doubtful_unit_and_an_export(start, tmp_path):
    job, sources = demo_job("lid")
    data = models.stl_of(models.jar_lid().scale((0.04,) * 3), "small")
    sources = {**sources, "small": data, "cut": data[:900]}
    worker = start(sources)
    small = replace(
        job, sources=(*job.sources, Source("small", "small.stl", "model")), base=ModelBase("small")
    )
    worker.request(Evaluate, small, frozenset())
    failed = collect(worker)[-1]
    assert isinstance(failed, Failed) and failed.kind == "unit" and "inch" in failed.detail
    cut = replace(job, sources=(*job.sources, Source("cut", "cut.stl", "model")), base=ModelBase("cut"))
    worker.request(Evaluate, cut, frozenset())
    failed = collect(worker)[-1]
    assert failed.kind == "bad input" and failed.message.startswith("cut.stl is cut short")
    worker.request(Export, job, tmp_path / "kit")
    answers = collect(worker)
    assert isinstance(answers[-1], Done) and written(tmp_path / "kit").exists()
    worker.inspect("cut.stl", "model", data[:900])
    assert collect(worker)[-1].message.startswith("cut.stl is cut short")
    worker.inspect("lid.stl", "model", models.stl_of(models.jar_lid(), "lid"))
    assert isinstance(collect(worker)[-1], Done)


def test_a_cancelled_boolean_ends_with_its_process_and_the_next_request_works(start):
    job, sources = heavy_job()
    worker = start(sources)
    number = worker.request(Evaluate, job, frozenset())
    first = worker.pid
    end = time.monotonic() + 60
    seen: list = []
    while not any(isinstance(m, Progress) and m.text == "cutting" for m in seen) and time.monotonic() < end:
        worker.connection.poll(0.05)
        seen += worker.messages()
    worker.cancel(number)
    begun = time.monotonic()
    lost = collect(worker)
    assert time.monotonic() - begun < 5
    assert [m.kind for m in lost if isinstance(m, Failed)] == ["cancelled"]
    assert worker.pid != first or worker.restarts == 0
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    assert isinstance(collect(worker)[-1], Done)


def test_plans_the_test_piece_and_the_kits_view_come_from_the_worker(start, tmp_path):
    worker = start({})
    job = Job(base=PlateBase(420, 160, 12, 6), cuts=(Cut("x", 0.0),))
    worker.request(Propose, job)
    plans = next(m.value.plans for m in collect(worker) if isinstance(m, Result))
    assert plans[0].sections == 2 and [c.axis for c in plans[0].cuts] == ["x"]
    worker.request(Trial, job, tmp_path / "try.3mf")
    assert [type(m) for m in collect(worker)] == [Result, Done] and (
        tmp_path / "try.3mf"
    ).stat().st_size > 2000
    worker.request(Trial, job, tmp_path / "nowhere" / "try.3mf")
    failed = collect(worker)[-1]
    assert (
        isinstance(failed, Failed)
        and failed.kind == "bad input"
        and "nowhere does not exist" in failed.message
    )
    worker.request(Evaluate, job, frozenset())
    kit = next(m.value for m in collect(worker) if isinstance(m, Result) and m.part == "kit")
    joint = kit.joints[0]
    assert (joint.name, joint.letter, joint.cut, joint.one_way) == ("A1|B1", "A", 0, True)
    # Everything a drawing needs crosses as arrays: footprints lie on the face, loose keys stand in the seam.
    low, high = joint.face.points.min(0), joint.face.points.max(0)
    for rings, key in zip(joint.footprints, joint.keys, strict=True):
        assert (rings.points >= low - 1e-6).all() and (rings.points <= high + 1e-6).all()
        assert rings.points.mean(0) == pytest.approx((key.u, key.v), abs=0.3)  # one is cut off by the face
    assert len(kit.loose) == len(joint.keys) and all(
        v.mesh.vertices[:, 0].min() < 0 < v.mesh.vertices[:, 0].max() for v in kit.loose
    )
    assert (
        kit.cuts[0].letter == "A"
        and any(word.good for word in kit.cuts[0].words)
        and kit.islands == 1
        and kit.setting is None
    )


def test_a_crash_costs_the_running_step_and_nothing_else(start):
    job, sources = heavy_job(300)
    worker = start(sources)
    worker.request(Evaluate, job, frozenset())
    until(worker, lambda m: isinstance(m, Progress))
    os.kill(worker.pid, signal.SIGSEGV)
    failed = collect(worker)[-1]
    assert isinstance(failed, Failed) and failed.kind == "crash" and "the job is safe" in failed.message
    assert (
        "Segmentation fault" in failed.detail
        and "File " in failed.detail
        and "Extension modules" not in failed.detail
    )
    assert worker.restarts == 1
    worker.request(Evaluate, replace(job, cuts=()), frozenset())
    assert isinstance(collect(worker)[-1], Done)


def test_an_edit_in_the_middle_of_a_step_costs_no_finished_step(start):
    """Whatever the process is in the middle of, it lets go when the library it is in gives back, and
    keeps what was finished."""
    job, sources = demo_job("lid")
    job = replace(
        job, printer=replace(job.printer, bed=(60.0, 60.0, 60.0)), cuts=(Cut("x", 3.0), Cut("y", 2.0))
    )
    worker = start(sources)
    collect_all(worker, Job(base=PlateBase()))
    first, took = worker.pid, []
    for wait in (0.3, 0.8, 1.3, 1.8):
        number = worker.request(Evaluate, job, frozenset())
        time.sleep(wait)
        begun = time.monotonic()
        worker.stop(number)
        ended = collect(worker)[-1]
        took.append(time.monotonic() - begun)
        assert isinstance(ended, Done) or ended.kind == "cancelled"
    assert max(took) < 2.0
    whole = collect_all(worker, job)
    assert isinstance(whole[-1], Done) and worker.pid == first and worker.restarts == 0
    again = collect_all(worker, job)
    assert not [m for m in again if isinstance(m, Progress) and m.text in ("cutting", "checking")]


def test_a_library_that_is_being_loaded_is_loaded_whole(tmp_path, monkeypatch):
    (tmp_path / "slow_to_load.py").write_text(
        "import time\nfor _ in range(40):\n    time.sleep(0.01)\nloaded = True\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))
    before = signal.getsignal(stopping.ASK)
    stopping.listen()
    try:
        threading.Timer(0.1, os.kill, (os.getpid(), stopping.ASK)).start()
        with pytest.raises(Cancelled), stopping.stoppable(lambda: True):
            import slow_to_load  # type: ignore[import-not-found]

            time.sleep(5)
        assert slow_to_load.loaded
        # What must be done whole is, and it ends afterwards.
        done = []
        with pytest.raises(Cancelled), stopping.stoppable(lambda: True):
            with stopping.whole():
                os.kill(os.getpid(), stopping.ASK)
                time.sleep(0.05)
                done.append(1)
            done.append(2)
        assert done == [1]

        # What is asked while something is taken down is not lost with it.
        class Slow:
            def __del__(self) -> None:
                os.kill(os.getpid(), stopping.ASK)
                time.sleep(0.05)
                done.append(3)

        with pytest.raises(Cancelled), stopping.stoppable(lambda: True):
            gone = Slow()
            del gone
            time.sleep(5)
        assert done == [1, 3]
        with stopping.stoppable(lambda: False):
            os.kill(os.getpid(), stopping.ASK)
            time.sleep(0.05)
    finally:
        signal.signal(stopping.ASK, before)


def collect_all(worker, job) -> list:
    """Everything a request brings."""
    worker.request(Evaluate, job, frozenset())
    return collect(worker)


def test_an_older_evaluation_gives_way_to_a_newer_one(start):
    job, sources = demo_job("sign")
    worker = start(sources)
    old = worker.request(Evaluate, job, frozenset())
    new = worker.request(Evaluate, replace(job, cuts=()), frozenset())
    worker.stop(old)
    answers = collect(worker)
    ended = [(m.number, type(m)) for m in answers if isinstance(m, Done | Failed)]
    assert ended == [(old, Failed), (new, Done)]
    assert not any(isinstance(m, Result) and m.number == old and m.part == "kit" for m in answers)


@pytest.mark.parametrize(("angle", "shift"), [(0.0, 0.0), (30.0, 4.0), (90.0, -7.5)])
def test_a_section_has_the_areas_of_the_regions_it_goes_through(two_tone, angle, shift):
    """Along any line, against shapely: chords of the plate and of the regions times their heights."""
    import math

    import shapely

    from cutkey.core.bodies.plate import PlateBase
    from cutkey.core.geometry.facets import find_facets
    from cutkey.core.geometry.part import Part
    from cutkey.core.geometry.solid import mesh_of
    from cutkey.core.model.filament import BODY
    from cutkey.core.model.placement import Depth, Placement
    from cutkey.core.place.carve import carve, placed_regions
    from cutkey.core.place.site import site_of
    from cutkey.worker.shown import SectionLine
    from cutkey.worker.views import section_view

    body = PlateBase(60, 40, 5, 6).solid()
    where = Placement(
        "p",
        "g",
        (0, 0, 5),
        (0, 0, 1),
        (3.0, 1.0),
        10.0,
        depths=(Depth("recessed", 1.5), Depth("raised", 0.8, "#26241f")),
    )
    mesh = mesh_of(body)
    site = site_of(
        mesh,
        find_facets(mesh),
        np.array(where.point, float),
        np.array(where.normal, float),
        "auto",
        40,
        (20, 10),
    )
    parts = carve([Part(BODY, body)], two_tone, where, site).parts
    cut = section_view(
        where, site, body, [(p.colour, p.solid) for p in parts], SectionLine("p", shift, shift / 2, angle)
    )
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    line = shapely.LineString([(shift - 90 * c, shift / 2 - 90 * s), (shift + 90 * c, shift / 2 + 90 * s)])
    chord = {r.colour: line.intersection(r.geometry).length for r in placed_regions(two_tone, where)}
    area = {
        k: shapely.union_all([shapely.Polygon(r) for r in rings.rings()]).area for k, rings in cut.section
    }
    assert area[BODY] == pytest.approx(
        5 * line.intersection(site.facet.outline).length - 1.5 * chord["#e0a32a"], rel=1e-6
    )
    assert area.get("#26241f", 0.0) == pytest.approx(0.8 * chord["#26241f"], abs=1e-6)
    assert cut.floor == pytest.approx(5, abs=0.01)


GROWN = """
import os, manifold3d as m3
def rss(): return int(open("/proc/self/statm").read().split()[1]) * os.sysconf("SC_PAGE_SIZE")
m3.Manifold.sphere(10, 64).num_tri()
before = rss()
solids = [m3.Manifold.sphere(10 + k, 512) for k in range(6)]
assert sum(s.num_tri() for s in solids)
print(rss() - before)
"""


def test_results_are_kept_within_a_budget(monkeypatch):
    memo = Memo(1_000_000)
    for k in range(20):
        memo.get(str(k), lambda: (np.zeros(25_000), "text"))
    assert (
        len(memo.keys()) == 4 and memo.held <= 1_000_000 and memo.tight and "19" in memo and "15" not in memo
    )
    # A solid takes what its triangles take: within a factor of two of what a fresh process grows by.
    grown = subprocess.run([sys.executable, "-c", GROWN], capture_output=True, text=True, check=True).stdout
    assert 0.5 < size_of(m3.Manifold.sphere(10, 512)) * 6 / int(grown) < 2
    big = Memo(1)
    assert big.get("a", lambda: np.zeros(100)) is big.find("a"), "the newest always stays"
    quarter = budget()
    for said, factor in (("0.5", 2.0), ("lots", 1.0), ("nan", 1.0), ("40", 3.6)):
        monkeypatch.setenv("CUTKEY_MEMORY", said)
        assert budget() == pytest.approx(factor * quarter, rel=1e-6)
