"""Compute processes that are killed, hang, or die at birth."""

from __future__ import annotations

import os
import signal
import time
from multiprocessing.shared_memory import SharedMemory
from pathlib import Path

from tests.test_worker import blocks, collect, dies, heavy_job, start, until  # noqa: F401

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.job import Job
from cutkey.worker.client import BIRTHS
from cutkey.worker.messages import Done, Evaluate, Failed, Progress


def test_a_process_that_is_killed_tells_what_it_did_and_leaves_no_memory_behind(start):  # noqa: F811
    job, sources = heavy_job(400)
    worker = start(sources)
    for _ in range(3):
        worker.request(Evaluate, job, frozenset())
        until(worker, lambda m: isinstance(m, Progress) and m.text == "cutting")
        os.kill(worker.pid, signal.SIGKILL)
        failed = until(worker, lambda m: isinstance(m, Failed))[-1]
        assert (
            failed.kind == "crash"
            and "gave up while cutting (ended by SIGKILL" in failed.message
            and "the job is safe" in failed.message
        )
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    assert isinstance(collect(worker)[-1], Done) and not blocks()
    worker.inspect("hill.stl", "model", b"x" * 10_000_000)
    os.kill(worker.pid, signal.SIGKILL)
    failed = until(worker, lambda m: isinstance(m, Failed))[-1]
    assert failed.kind == "bad input" and failed.message.startswith("hill.stl could not be read")
    # What an earlier program left is freed when the next one starts.
    SharedMemory("cutkey-1-1-7", create=True, size=100).close()
    Path("/dev/shm/cutkey-1-1-8").touch()  # it was killed before the block had a size
    start({})
    assert not os.path.exists("/dev/shm/cutkey-1-1-7") and not os.path.exists("/dev/shm/cutkey-1-1-8")


def test_a_process_that_hangs_is_replaced(start, monkeypatch):  # noqa: F811
    monkeypatch.setattr("cutkey.worker.client.STILL", 0.6)
    job, sources = heavy_job(300)
    worker = start(sources)
    worker.request(Evaluate, job, frozenset())
    until(worker, lambda m: isinstance(m, Progress) and m.text == "cutting")
    first = worker.pid
    os.kill(first, signal.SIGSTOP)
    failed = until(worker, lambda m: isinstance(m, Failed), 10)[-1]
    assert failed.kind == "hung" and "while cutting" in failed.message and worker.pid != first
    # One that works, or waits for something to do, does not hang.
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    assert isinstance(collect(worker)[-1], Done)
    time.sleep(0.8)
    assert worker.overdue() == []


def test_a_process_that_dies_at_birth_is_tried_three_times_and_then_told(start, monkeypatch):  # noqa: F811
    with monkeypatch.context() as m:
        m.setattr("cutkey.worker.client.serve", dies)
        worker = start({})
        worker.request(Evaluate, Job(base=PlateBase()), frozenset())
        failed = until(worker, lambda m: isinstance(m, Failed), 30)[-1]
    assert (
        failed.kind == "down"
        and "ended with code 3" in failed.message
        and worker.restarts == BIRTHS - 1
        and not worker.busy
    )
    worker.revive()
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    assert isinstance(collect(worker)[-1], Done) and not worker.down
