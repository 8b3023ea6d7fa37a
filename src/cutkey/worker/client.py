"""The window's end of the compute process; knows no Qt."""

from __future__ import annotations

import contextlib
import multiprocessing
import time
from collections.abc import Callable, Mapping
from multiprocessing.connection import Connection
from typing import Any

from cutkey.core.units import Unit
from cutkey.worker.channel import receive, send
from cutkey.worker.entry import serve
from cutkey.worker.messages import Evaluate, Export, Failed, Inspect, Propose, Stop, TakeSource, Trial

#: Seconds a cancelled request may take to notice by itself before its process is ended.
GRACE = 0.4
#: More deaths than this within ten seconds mean that it cannot start at all.
MOST_DEATHS = 8


class Worker:
    """Starts, feeds, cancels and replaces the compute process.

    Attributes
    ----------
    sources : mapping of digest to bytes
        Files of the job; each is sent once to each process.
    """

    def __init__(self) -> None:
        self.sources: Mapping[str, bytes] = {}
        self._number = 0
        self._running: dict[int, Any] = {}
        self._cancelled: dict[int, float] = {}
        self._deaths: list[float] = []
        self.restarts = 0
        self._start()

    def _start(self) -> None:
        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        self._process = context.Process(target=serve, args=(there,), daemon=True, name="cutkey-worker")
        self._process.start()
        there.close()
        self.connection: Connection = here
        self._sent: set[str] = set()

    @property
    def busy(self) -> bool:
        """Whether an answer is outstanding."""
        return bool(self._running)

    @property
    def pid(self) -> int | None:
        """Process number of the compute process."""
        return self._process.pid

    def request(self, kind: type[Evaluate] | type[Export] | type[Propose] | type[Trial], job: Any, *details: Any) -> int:
        """Send a request; gives its number, with which all parts of the answer are marked."""
        wanted = [s.digest for s in job.sources if s.digest not in self._sent]
        self._sent.update(wanted)
        return self._send(lambda n: kind(n, job, *details), [TakeSource(d, self.sources[d]) for d in wanted])

    def inspect(self, name: str, kind: str, data: bytes, unit: Unit = "", close: bool = False) -> int:
        """Ask whether a file can be used; it is done when it can, otherwise it fails with the sentence to show."""
        return self._send(lambda n: Inspect(n, name, kind, data, unit, close), [])

    def _send(self, make: Callable[[int], Any], before: list[TakeSource]) -> int:
        self._number += 1
        message = make(self._number)
        self._running[self._number] = message
        # When the process is gone, `messages` will notice, start another and report what was lost.
        with contextlib.suppress(OSError, EOFError):
            for source in before:
                send(self.connection, source)
            send(self.connection, message)
        return self._number

    def stop(self, number: int) -> None:
        """Ask a request to end at its next step."""
        if number in self._running:
            try:
                send(self.connection, Stop(number))
            except (OSError, EOFError):
                return

    def cancel(self, number: int) -> None:
        """End a request: by itself within `GRACE` seconds, otherwise with its process."""
        if number in self._running and number not in self._cancelled:
            self.stop(number)
            self._cancelled[number] = time.monotonic() + GRACE

    def overdue(self) -> list[Failed]:
        """End the process when a cancelled request did not end by itself; gives the requests that were lost."""
        now = time.monotonic()
        if any(now > limit for n, limit in self._cancelled.items() if n in self._running):
            return self._replace("cancelled", "")
        return []

    def messages(self) -> list[Any]:
        """Messages that have arrived; a process that died is replaced and its requests reported as failed."""
        out: list[Any] = []
        try:
            while self.connection.poll():
                message = receive(self.connection)
                if type(message).__name__ in ("Done", "Failed"):
                    self._running.pop(message.number, None)
                    self._cancelled.pop(message.number, None)
                out.append(message)
        except (EOFError, OSError):
            out += self._replace(
                "crash", "The geometry library gave up on this step; the job is safe. Undo the last change or simplify the model."
            )
        return out

    def _replace(self, kind: str, message: str) -> list[Failed]:
        lost = [Failed(n, kind, message) for n in self._running]
        self._end()
        self._running.clear()
        self._cancelled.clear()
        self.restarts += 1
        now = time.monotonic()
        self._deaths = [t for t in self._deaths if now - t < 10] + [now]
        if len(self._deaths) > MOST_DEATHS:
            raise RuntimeError("The compute process does not stay up; see the terminal for its message.")
        self._start()
        return lost

    def _end(self) -> None:
        self.connection.close()
        self._process.kill()
        self._process.join(2)

    def close(self) -> None:
        """End the compute process."""
        self._running.clear()
        self._end()
