"""How long the window's thread is held: a script of work on a model of half a million triangles, a tick
every two milliseconds.

`python -m bench.gaps [ROUNDS|MINUTESmin]` names the places in the code that held it longest, how much was the
thread's own work rather than waiting, and how long the gaps are without the time for which the host of a
virtual machine took the processor away (nothing that runs in the machine can shorten that).
"""

from __future__ import annotations

import os
import signal
import sys
import time
from collections import Counter
from collections.abc import Callable
from itertools import count as count_up
from types import FrameType
from typing import Any, NamedTuple

import manifold3d as m3
import numpy as np
from msgspec.structs import replace

from cutkey.core.digest import digest_bytes
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import change_cut, change_placement
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.demo.jobs import demo_job

#: A gap longer than this is looked into, s.
LOOK = 0.04


def heavy(triangles: int) -> tuple[Job, dict[str, bytes]]:
    """The lid's bee on a finely meshed dome, cut in four."""
    job, sources = demo_job("lid")
    dome = m3.Manifold.sphere(60, int(np.sqrt(triangles * 1.0))).trim_by_plane((0, 0, 1), 0)
    mesh = mesh_of(dome)
    data = stl_bytes(mesh.vertices, mesh.triangles, "dome")
    source = Source(digest_bytes(data), "dome.stl", "model")
    placement = replace(job.placements[0], point=(0.0, 0.0, 60.0), normal=(0.0, 0.0, 1.0), offset=(0.0, 0.0))
    job = replace(
        job,
        name="Dome",
        sources=(*job.sources, source),
        base=ModelBase(source.digest, "mm"),
        placements=(placement,),
    )
    job = replace(
        job, cuts=(Cut("x", 0.0), Cut("y", 0.0)), printer=replace(job.printer, bed=(90.0, 90.0, 90.0))
    )
    return job, {**sources, source.digest: data}


def light() -> tuple[Job, dict[str, bytes]]:
    """A plate cut in two: the same script on what is soon computed."""
    job, sources = demo_job("plate")
    return replace(job, cuts=(Cut("x", 0.0),)), sources


class Held(NamedTuple):
    """Gaps of a run."""

    p99: float  # 99th percentile, s
    most: float  # s
    share: float  # of the time, in gaps over 50 ms

    @classmethod
    def of(cls, gaps: np.ndarray) -> Held:
        """Of gaps (N,) in s, the first few left out."""
        g = gaps[5:] if len(gaps) > 5 else np.zeros(1)
        return cls(float(np.quantile(g, 0.99)), float(g.max()), float(g[g > 0.05].sum() / max(g.sum(), 1e-9)))

    def __str__(self) -> str:
        return (
            f"99 % under {self.p99 * 1000:.0f} ms, the longest {self.most * 1000:.0f} ms, {self.share:.1%} of"
            " the time in gaps over 50 ms"
        )


class Found(NamedTuple):
    """What a run of the script found."""

    clock: Held  # as a clock on the wall says
    inside: Held  # without what the host of the machine took away
    own: Held  # the thread's own work
    where: Counter[str]  # samples in long gaps by place in the code


class Processors:
    """What the host of a virtual machine took from the processor the calling thread is or was on.

    Source: proc(5), "steal" of /proc/stat in ticks of the clock, "processor" of /proc/self/task/[tid]/stat.
    """

    def __init__(self) -> None:
        self._all = os.open("/proc/stat", os.O_RDONLY)
        self._mine = os.open("/proc/thread-self/stat", os.O_RDONLY)
        self._tick = 1.0 / os.sysconf("SC_CLK_TCK")
        self._before, self._was_on = self._stolen(), self._on()

    def _on(self) -> int:
        return int(os.pread(self._mine, 1000, 0).rpartition(b")")[2].split()[36])

    def _stolen(self) -> list[int]:
        lines = os.pread(self._all, 1 << 16, 0).splitlines()[1:]
        return [int(line.split()[8]) for line in lines if line.startswith(b"cpu")]

    def taken(self) -> float:
        """Since it was last asked, s; a tick less than counted, so that it is never said to be more.

        A thread that waits for a processor that was taken away is moved to the other one in the end.
        """
        now, on = self._stolen(), self._on()
        ticks = max(now[k] - self._before[k] for k in (on, self._was_on))
        self._before, self._was_on = now, on
        return max(0, ticks - 1) * self._tick


class Gaps:
    """Watches the window's thread: a timer ticks in it, a signal looks where it is when the tick is late."""

    def __init__(self) -> None:
        from PySide6.QtCore import QTimer

        self.gaps: list[float] = []
        self.works: list[float] = []  # of each gap, what the thread itself worked, s
        self.taken: list[float] = []  # of each gap, what the host took away, s
        self._processors = Processors()
        self._worked = time.thread_time()
        self.where: Counter[str] = Counter()
        self._last = time.perf_counter()
        self._timer = QTimer()
        self._timer.setInterval(2)
        self._timer.timeout.connect(self._tick)
        self._timer.start()
        signal.signal(signal.SIGALRM, self._look)
        signal.setitimer(signal.ITIMER_REAL, 0.01, 0.01)

    def _tick(self) -> None:
        now, worked = time.perf_counter(), time.thread_time()
        self.gaps.append(now - self._last)
        self.works.append(worked - self._worked)
        self.taken.append(self._processors.taken())
        self._last, self._worked = now, worked

    def _look(self, number: int, frame: FrameType | None) -> None:
        if time.perf_counter() - self._last > LOOK:
            # By hand: reading the lines of the stack would make the gap longer.
            while frame is not None and "/cutkey/" not in frame.f_code.co_filename:
                frame = frame.f_back
            if frame is not None:
                self.where[
                    f"{frame.f_code.co_filename.rpartition('/')[2]}:{frame.f_lineno} {frame.f_code.co_name}"
                ] += 1

    def end(self) -> Found:
        """Stop watching."""
        signal.setitimer(signal.ITIMER_REAL, 0)
        self._timer.stop()
        gaps, works, taken = (np.array(v) for v in (self.gaps, self.works, self.taken))
        # The clock of a thread goes on while the processor is taken from under it.
        inside = gaps - taken
        return Found(Held.of(gaps), Held.of(inside), Held.of(np.minimum(works, inside)), self.where)


def script(window: Any, job: Job, sources: dict[str, bytes], rounds: int, minutes: float = 0.0) -> None:
    """Work as a maker does it: sheets, turning, moving a graphic, a cut, undo; so many rounds, or for so
    long."""
    from PySide6.QtCore import QEvent, QPoint, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    def wait(seconds: float, until: Callable[[], bool] = lambda: False) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not until():
            QApplication.processEvents()
            # Outside of an event loop nobody else takes away what was to be deleted later.
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            time.sleep(0.001)

    def settled() -> bool:
        return not window.engine.busy and window.stage.settled

    window.document.start(job, sources)
    wait(120, settled)
    until = time.monotonic() + 60 * minutes
    for k in count_up():
        if time.monotonic() > until if minutes else k >= rounds:
            break
        for sheet in window.sheets:
            window.show_sheet(sheet)
            wait(0.4)
        window.show_sheet("split")
        stage, middle = window.stage, window.stage.rect().center()
        QTest.mousePress(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
        for n in range(20):
            QTest.mouseMove(stage, middle + QPoint(6 * n, 3 * n))
            wait(0.016)
        QTest.mouseRelease(
            stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle + QPoint(114, 57)
        )
        wait(0.5)
        cut = window.document.job.cuts[0]
        window.document.edit("move a cut", change_cut(window.document.job, 0, replace(cut, at=3.0 + k % 5)))
        wait(1.0)
        placement = window.document.job.placements[0]
        window.show_sheet("place")
        window.document.edit(
            "move", change_placement(window.document.job, replace(placement, offset=(2.0 + k % 7, 1.0)))
        )
        wait(2.0)
        window.document.undo()
        window.document.redo()
        wait(30, settled)


def measure(window: Any, rounds: int = 3, small: bool = False, minutes: float = 0.0) -> Found:
    """Gaps of the script in a window."""
    job, sources = light() if small else heavy(500_000)
    gaps = Gaps()
    script(window, job, sources, rounds, minutes)
    return gaps.end()


if __name__ == "__main__":
    from cutkey.app.main import make_application
    from cutkey.app.window import Window

    application = make_application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    # As the application does.
    window.stage.warm_up()
    said = sys.argv[1] if len(sys.argv) > 1 else "3"
    long = float(said[:-3]) if said.endswith("min") else 0.0
    found = measure(window, 0 if long else int(said), False, long)
    print(f"by the clock: {found.clock}")
    print(f"without what the host took away: {found.inside}")
    print(f"own work: {found.own}")
    for place, count in found.where.most_common(15):
        print(f"  {count * 10:5d} ms  {place}")
    window.engine.close()
    sys.stdout.flush()
    os._exit(0)
