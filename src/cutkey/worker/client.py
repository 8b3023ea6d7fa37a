"""The window's end of the compute process; knows no Qt."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
import tempfile
import time
from collections.abc import Callable, Mapping
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from cutkey.core.alive import mark_of, my_mark
from cutkey.core.stopping import ASK
from cutkey.core.units import Unit
from cutkey.worker.channel import free_blocks, receive, send
from cutkey.worker.entry import serve
from cutkey.worker.messages import (
    Done,
    Draw,
    Evaluate,
    Export,
    Failed,
    Inspect,
    Look,
    Progress,
    Propose,
    Ready,
    Stop,
    TakeSource,
    Trial,
)

#: Seconds a cancelled request may take to notice by itself before its process is ended.
GRACE = 0.4
#: So often in a row it may die before it has said that it is there.
BIRTHS = 3
#: Seconds without any work done after which a process that has something to do hangs.
STILL = 20.0


class Worker:
    """Starts, feeds, cancels and replaces the compute process.

    Attributes
    ----------
    sources : mapping of digest to bytes
        Files of the job; each is sent once to each process.
    down : str
        Why it does not stay up, "" when it does; nothing is computed then until `revive`.
    """

    def __init__(self) -> None:
        self.sources: Mapping[str, bytes] = {}
        self._number = 0
        self._running: dict[int, Any] = {}
        self._cancelled: dict[int, float] = {}
        self.restarts = 0
        self.down = ""
        self._stillborn = 0
        self._why = ""  # what it said of its own death
        self._folder = tempfile.TemporaryDirectory(prefix="cutkey-")
        self._last_words = Path(self._folder.name) / "last-words"
        free_blocks()
        self._start()

    def _start(self) -> None:
        context = multiprocessing.get_context("spawn")
        here, there = context.Pipe()
        self._process = context.Process(
            target=serve, args=(there, str(self._last_words)), daemon=True, name="cutkey-worker"
        )
        self._process.start()
        there.close()
        self.connection: Connection = here
        self._mark = mark_of(self._process.pid or 0)
        self._sent: set[str] = set()
        self._ready = False
        self.doing = ""  # what it said it is at
        self._work, self._since = -1, time.monotonic()
        self._ask = 0.0  # when to look next whether it works

    @property
    def busy(self) -> bool:
        """Whether an answer is outstanding."""
        return bool(self._running)

    @property
    def pid(self) -> int | None:
        """Process number of the compute process."""
        return self._process.pid

    def request(
        self, kind: type[Draw | Evaluate | Export | Look | Propose | Trial], job: Any, *details: Any
    ) -> int:
        """Send a request; gives its number, with which all parts of the answer are marked."""
        wanted = [s.digest for s in job.sources if s.digest not in self._sent]
        self._sent.update(wanted)
        return self._send(lambda n: kind(n, job, *details), [TakeSource(d, self.sources[d]) for d in wanted])

    def inspect(self, name: str, kind: str, data: bytes, unit: Unit = "", close: bool = False) -> int:
        """Ask whether a file can be used.

        It is done when it can, otherwise it fails with the sentence to show.
        """
        return self._send(lambda n: Inspect(n, name, kind, data, unit, close), [])

    def _send(self, make: Callable[[int], Any], before: list[TakeSource]) -> int:
        self._number += 1
        message = make(self._number)
        if not self._running:
            self._since = time.monotonic()
        self._running[self._number] = message
        # When the process is gone, `messages` will notice, start another and report what was lost.
        with contextlib.suppress(OSError, EOFError):
            for source in before:
                send(self.connection, source)
            send(self.connection, message)
        return self._number

    def stop(self, number: int) -> None:
        """Ask a request to end where it is."""
        if number in self._running:
            with contextlib.suppress(OSError, EOFError):
                send(self.connection, Stop(number))
                if self.pid is not None:
                    os.kill(self.pid, ASK)

    def cancel(self, number: int) -> None:
        """End a request: by itself within `GRACE` seconds, otherwise with its process."""
        if number in self._running and number not in self._cancelled:
            self.stop(number)
            self._cancelled[number] = time.monotonic() + GRACE

    def overdue(self) -> list[Failed]:
        """End a process that did not stop by itself when it was asked to, or that hangs.

        Gives the requests that were lost.
        """
        now = time.monotonic()
        if any(now > limit for n, limit in self._cancelled.items() if n in self._running):
            return self._replace("cancelled", "")
        if self._running and now > self._ask and not self._moves() and now - self._since > STILL:
            what = f" while {self.doing}" if self.doing else ""
            return self._replace(
                "hung",
                f"The compute process stood still for {STILL:.0f} s{what} and was started again; the job is"
                " safe.",
            )
        return []

    def _moves(self) -> bool:
        """Whether the process has used time on a processor since it was last asked.

        Or would if there were any to be had.
        """
        self._ask = time.monotonic() + min(1.0, STILL / 4)
        try:
            fields = (
                Path(f"/proc/{self.pid}/stat")
                .read_text(encoding="utf-8", errors="replace")
                .rpartition(")")[2]
                .split()
            )
            work = int(fields[11]) + int(fields[12])
        except (OSError, ValueError, IndexError):
            return True
        if work != self._work or fields[0] == "R":
            self._work, self._since = work, time.monotonic()
            return True
        return False

    def messages(self) -> list[Any]:
        """Messages that have arrived; a process that died is replaced and its requests reported as failed."""
        out: list[Any] = []
        try:
            while not self.down and self.connection.poll():
                message = receive(self.connection)
                if isinstance(message, Ready):
                    self._ready, self._stillborn, self._why = True, 0, message.trouble
                    continue
                if isinstance(message, Progress):
                    self.doing = message.text
                elif isinstance(message, Done | Failed):
                    self._running.pop(message.number, None)
                    self._cancelled.pop(message.number, None)
                out.append(message)
        except (EOFError, OSError):
            out += self._died()
        return out

    def _died(self) -> list[Failed]:
        self._process.join(2)
        reason = self._why or _ended(self._process.exitcode)
        if not self._ready or self._why:
            self._stillborn += 1
            if self._stillborn >= BIRTHS:
                self.down = (
                    f"The compute process does not start ({reason}); nothing can be computed, and the job is"
                    " safe."
                )
                lost = self._lose("down", self.down)
                self._end()
                return lost or [Failed(0, "down", self.down)]
            waiting = list(self._running.values())
            self._replace("again", "")
            # Whatever it was asked is asked again of the next one.
            for message in waiting:
                self._ask_again(message)
            return []
        reading = next((m.name for m in self._running.values() if isinstance(m, Inspect)), "")
        if reading:
            return self._replace(
                "bad input",
                f"{reading} could not be read: its reader gave up ({reason}); open a smaller or another"
                " file.",
            )
        what = f" while {self.doing}" if self.doing else " on this step"
        return self._replace(
            "crash",
            f"The geometry library gave up{what} ({reason}); the job is safe. Undo the last change or"
            " simplify the model.",
            self._said_last(),
        )

    def _said_last(self) -> str | None:
        """Where in the code a library ended the process, without the list of libraries."""
        try:
            return (
                self._last_words.read_text(encoding="utf-8", errors="replace")
                .partition("\nExtension modules")[0]
                .strip()
                or None
            )
        except OSError:
            return None

    def _ask_again(self, message: Any) -> None:
        self._running[message.number] = message
        sources = (
            [s.digest for s in message.job.sources if s.digest not in self._sent]
            if hasattr(message, "job")
            else []
        )
        self._sent.update(sources)
        with contextlib.suppress(OSError, EOFError):
            for d in sources:
                send(self.connection, TakeSource(d, self.sources[d]))
            send(self.connection, message)

    def revive(self) -> None:
        """Try anew to start a process that did not stay up."""
        if self.down:
            self.down, self._stillborn, self._why = "", 0, ""
            self.restarts += 1
            self._start()

    def _lose(self, kind: str, message: str, detail: str | None = None) -> list[Failed]:
        lost = [Failed(n, kind, message, detail) for n in self._running]
        self._running.clear()
        self._cancelled.clear()
        return lost

    def _replace(self, kind: str, message: str, detail: str | None = None) -> list[Failed]:
        lost = self._lose(kind, message, detail)
        self._end()
        self.restarts += 1
        self._start()
        return lost

    def _end(self) -> None:
        self.connection.close()
        self._process.kill()
        self._process.join(2)
        # Nobody will take what it sent, nor what was sent to it.
        free_blocks(self._mark)
        free_blocks(my_mark())

    def close(self) -> None:
        """End the compute process."""
        self._running.clear()
        self._end()
        self._folder.cleanup()


def _ended(code: int | None) -> str:
    """How a process ended, in words."""
    if code is None:
        return "it was not heard of again"
    if code < 0:
        name = signal.Signals(-code).name if -code in set(signal.Signals) else str(-code)
        return f"ended by {name}" + (", perhaps for want of memory" if -code == signal.SIGKILL else "")
    return f"ended with code {code}"
