"""How long the window's thread is held: a script of work on a model of half a million triangles, a tick
every two milliseconds.

`python -m bench.gaps [ROUNDS|MINUTESmin]` names the places in the code that held it longest, and how much of
the longest gap was the thread's own work rather than waiting for a processor or for another thread.
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
from typing import Any

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


class Gaps:
    """Watches the window's thread: a timer ticks in it, a signal looks where it is when the tick is late."""

    def __init__(self) -> None:
        from PySide6.QtCore import QTimer

        self.gaps: list[float] = []
        self.works: list[float] = []  # of each gap, what the thread itself worked, s
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

    def end(self) -> tuple[float, float, float]:
        """99th percentile, longest, s, and the share of time in gaps over 50 ms."""
        signal.setitimer(signal.ITIMER_REAL, 0)
        self._timer.stop()
        g = np.array(self.gaps[5:] or [0.0])
        return float(np.quantile(g, 0.99)), float(g.max()), float(g[g > 0.05].sum() / max(g.sum(), 1e-9))


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


def measure(
    window: Any, rounds: int = 3, small: bool = False, minutes: float = 0.0
) -> tuple[tuple[float, float, float], Counter[str]]:
    """Gaps of the script in a window."""
    found, where, _ = measured(window, rounds, small, minutes)
    return found, where


def measured(
    window: Any, rounds: int, small: bool, minutes: float
) -> tuple[tuple[float, float, float], Counter[str], tuple[float, float]]:
    """The same, and the thread's own work: 99th percentile and most in any gap, s."""
    job, sources = light() if small else heavy(500_000)
    gaps = Gaps()
    script(window, job, sources, rounds, minutes)
    works = np.array(gaps.works[5:] or [0.0])
    return gaps.end(), gaps.where, (float(np.quantile(works, 0.99)), float(works.max()))


if __name__ == "__main__":
    from cutkey.app.main import make_application
    from cutkey.app.window import Window

    application = make_application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    said = sys.argv[1] if len(sys.argv) > 1 else "3"
    long = float(said[:-3]) if said.endswith("min") else 0.0
    (p99, most, share), where, (own99, own) = measured(window, 0 if long else int(said), False, long)
    print(f"own work: 99 % under {own99 * 1000:.0f} ms, the most in one gap {own * 1000:.0f} ms")
    print(
        f"99 % of gaps under {p99 * 1000:.0f} ms, the longest {most * 1000:.0f} ms, {share:.1%} of the time"
        " in gaps over 50 ms"
    )
    for place, count in where.most_common(15):
        print(f"  {count * 10:5d} ms  {place}")
    window.engine.close()
    sys.stdout.flush()
    os._exit(0)
