"""What is promised of jobs and files, tried by force: one line a promise. `python -m bench.strength [small]`.

Kills while a job is saved and a kit is written; a full disk; folders without rights; damaged and hostile
files; memory over many moves; a compute process killed, stopped and stillborn; random walks over all edits
and over the window; gaps of the window's thread.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from msgspec.structs import replace

from bench.fuzz.judge import run as fuzz
from bench.gaps import heavy, measure
from bench.walks.jobs import walk_jobs
from bench.walks.windows import walk_windows
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.model.edits import change_placement
from cutkey.core.model.file import open_job, save_job
from cutkey.core.model.job import Job
from cutkey.worker.client import Worker
from cutkey.worker.messages import Done, Evaluate, Failed, Progress


class Promise(NamedTuple):
    """One promise, whether it held, and what was measured."""

    text: str
    held: bool
    figures: str


_SAVES = """
import sys
from pathlib import Path
from cutkey.core.model.job import Job
from cutkey.core.model.file import save_job
for n in range(10**6):
    save_job(Path(sys.argv[1]), Job(name=f"save {n}"), {})
    print(n, flush=True)
"""


def kills_while_saving(times: int) -> Promise:
    """A process that saves without a pause is killed; the file is a whole job each time, and nothing else
    lies there."""
    whole = 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "job.cutkey"
        for k in range(times):
            with subprocess.Popen([sys.executable, "-c", _SAVES, str(path)], stdout=subprocess.PIPE) as saver:
                assert saver.stdout is not None
                saver.stdout.readline()
                time.sleep(0.0007 * (k % 40))
                saver.send_signal(signal.SIGKILL)
            open_job(path)
            save_job(path, Job(name="mine"), {})
            whole += [p.name for p in Path(folder).iterdir()] == ["job.cutkey"]
    return Promise(
        "a job file is the old one or the new one, however its writer ends",
        whole == times,
        f"{whole} of {times} kills",
    )


def full_disk() -> Promise:
    """Writing to a disk that is full: one sentence, and what was there stays."""
    with tempfile.TemporaryDirectory() as folder:
        disk = Path(folder) / "disk"
        disk.mkdir()
        if subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=256k", "tmpfs", str(disk)], check=False, capture_output=True
        ).returncode:
            return Promise("a full disk costs nothing", True, "not tried: no right to mount one here")
        try:
            path = disk / "job.cutkey"
            save_job(path, Job(name="old"), {})
            try:
                write_atomic(path, os.urandom(600_000))
                said = ""
            except BadInput as error:
                said = str(error)
            kept = open_job(path)[0].name == "old" and [p.name for p in disk.iterdir()] == ["job.cutkey"]
        finally:
            subprocess.run(["umount", str(disk)], check=False)
    return Promise(
        "a full disk costs nothing", kept and said.startswith("The disk is full"), said.partition(":")[0]
    )


def closed_folder() -> Promise:
    """An ordinary user writes to a folder without the right to."""
    code = (
        "import os, sys; from pathlib import Path\nfrom cutkey.core.errors import BadInput\nfrom"
        " cutkey.core.folders import staged\nfrom cutkey.core.files import"
        " write_atomic\nos.setuid(65534)\nfor f in (lambda: write_atomic(Path(sys.argv[1]) / 'a', b'x'),"
        " lambda: staged(Path(sys.argv[1]) / 'kit').__enter__()):\n    try: f()\n    except BadInput as"
        " error: print(error)\n"
    )
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o755)
        done = subprocess.run(
            [sys.executable, "-c", code, folder], capture_output=True, text=True, check=False
        )
        lines = done.stdout.splitlines()
        clean = not list(Path(folder).iterdir())
    if os.getuid() or (not lines and "Permission" in done.stderr):
        return Promise(
            "a folder without rights is one sentence", True, "not tried: this user cannot become another"
        )
    return Promise(
        "a folder without rights is one sentence",
        len(lines) == 2 and clean,
        f"{len(lines)} of 2 said, nothing left behind",
    )


def files_read(small: bool) -> Promise:
    """Damaged and hostile files."""
    count, bad = fuzz(small)
    what = (
        f"{sum(count.values())} files: {count['sentence']} sentences, {count['sound']} sound, {len(bad)}"
        " neither"
    )
    return Promise("every file ends in a sentence or a sound reading, within 10 s and 2 GB", not bad, what)


def _until(worker: Worker, test: Callable[[Any], bool], seconds: float = 120.0) -> Any:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        worker.connection.poll(0.02)
        for message in (*worker.messages(), *worker.overdue()):
            if test(message):
                return message
    raise TimeoutError


def memory(moves: int, triangles: int) -> Promise:
    """A graphic moved many times on a large model: what the compute process grows to."""
    job, sources = heavy(triangles)
    worker = Worker()
    worker.sources = sources
    job = replace(job, cuts=())
    peak = first = 0
    for k in range(moves):
        placement = replace(job.placements[0], offset=(0.1 * (k % 97), 0.1 * (k % 13)))
        worker.request(Evaluate, change_placement(job, placement), frozenset())
        ended = _until(worker, lambda m: isinstance(m, Done | Failed))
        assert isinstance(ended, Done), ended
        now = int(Path(f"/proc/{worker.pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
        first, peak = first or now, max(peak, now)
    worker.close()
    what = (
        f"{moves} moves on {triangles} triangles: {first / 2**30:.1f} GB after the first, {peak / 2**30:.1f}"
        " GB at most"
    )
    return Promise("memory stays within its budget", peak < 4 << 30, what)


def process() -> Promise:
    """The compute process killed and stopped: told, and the next request is answered; no shared memory is
    left."""
    job, sources = heavy(30_000)
    worker = Worker()
    worker.sources = sources
    told = []
    for _ in range(5):
        worker.request(Evaluate, job, frozenset())
        _until(worker, lambda m: isinstance(m, Progress))
        os.kill(worker.pid or 0, signal.SIGKILL)
        told.append(_until(worker, lambda m: isinstance(m, Failed)).message)
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    ended = _until(worker, lambda m: isinstance(m, Done | Failed))
    worker.close()
    left = [f for f in os.listdir("/dev/shm") if f.startswith(f"cutkey-{os.getpid()}-")]
    held = isinstance(ended, Done) and not left and all("job is safe" in t for t in told)
    return Promise(
        "a compute process that dies costs the running step only",
        held,
        f"5 kills told, {len(left)} blocks left in shared memory",
    )


def superseded(times: int, triangles: int) -> Promise:
    """Requests stopped at random moments: each lets go soon, none costs the process, and what comes out
    at the end is right."""
    job, sources = heavy(triangles)
    worker, pick, took = Worker(), random.Random(3), []
    worker.sources = sources
    worker.request(Evaluate, Job(base=PlateBase()), frozenset())
    _until(worker, lambda m: isinstance(m, Done | Failed))
    for k in range(times):
        moved = replace(job.placements[0], offset=(0.3 * k, 0.0))
        number = worker.request(Evaluate, change_placement(job, moved), frozenset())
        time.sleep(pick.uniform(0.05, 5.0))
        began = time.monotonic()
        worker.stop(number)
        ended = _until(worker, lambda m: isinstance(m, Done | Failed))
        took.append(time.monotonic() - began)
        if isinstance(ended, Failed) and ended.kind != "cancelled":
            return Promise(
                "a superseded step lets go and costs no finished one", False, f"{ended.kind}: {ended.detail}"
            )
    worker.request(Evaluate, job, frozenset())
    ended = _until(worker, lambda m: isinstance(m, Done | Failed))
    held = isinstance(ended, Done) and worker.restarts == 0
    worker.close()
    what = f"{times} stopped, {max(took):.2f} s at most until it let go"
    return Promise("a superseded step lets go and costs no finished one", held, what)


def edits(sequences: int) -> Promise:
    """Random walks over all edits."""
    walk_jobs(sequences, 14)
    return Promise(
        "undo all gives the start, redo all the end, saved and opened the same",
        True,
        f"{sequences} walks over all edits",
    )


def in_the_window(sequences: int, rounds: int, small: bool) -> list[Promise]:
    """Random walks over the window, and its gaps."""
    from cutkey.app.main import make_application
    from cutkey.app.window import Window

    make_application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    faults = walk_windows(window, sequences)
    found = measure(window, rounds, small)
    window.engine.close()
    walks = Promise(
        "no exception, no message without cause, whatever is pressed",
        not faults,
        f"{sequences} walks, {len(faults)} faults",
    )
    worst = ", ".join(place for place, _ in found.where.most_common(2))
    what = f"{found.inside} ({worst}); by the clock {found.clock.most * 1000:.0f} ms"
    return [
        walks,
        Promise(
            "the window's thread is held 50 ms at the 99th percentile, 100 ms at most",
            found.inside.p99 < 0.05 and found.inside.most < 0.1,
            what,
        ),
    ]


def run(small: bool = False) -> list[Promise]:
    """Every promise but those of the window, which need one."""
    return [
        kills_while_saving(2 if small else 300),
        full_disk(),
        closed_folder(),
        *([] if small else [files_read(False)]),
        memory(3 if small else 300, 8_000 if small else 500_000),
        process(),
        superseded(2 if small else 100, 8_000 if small else 500_000),
        edits(2 if small else 2000),
    ]


if __name__ == "__main__":
    little = "small" in sys.argv[1:]
    for promise in [*run(little), *in_the_window(10 if little else 2000, 1 if little else 8, little)]:
        print(f"{'held  ' if promise.held else 'BROKEN'}  {promise.text}: {promise.figures}", flush=True)
    sys.stdout.flush()
    os._exit(0)
