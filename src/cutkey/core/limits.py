"""Bounds within which strangers' files are read: time, memory, what a packed file may unpack to.

Whatever a reader runs into becomes one sentence. Time is that of the processor, so that a busy machine
refuses nothing that an idle one reads.
"""

from __future__ import annotations

import contextlib
import io
import os
import resource
import signal
import sys
import threading
import time
import zipfile
import zlib
from collections.abc import Callable, Iterator
from types import FrameType

from cutkey.core.errors import BadInput, TooMuch

#: Seconds of the processor's time after which a reader is stopped; where it cannot be (inside a library), the
#: process is ended.
SECONDS, STUCK = 8.0, 9.5
#: Bytes that reading one file may take beyond what the process has already.
MEMORY = 2 << 30
#: Bytes that a packed file may unpack to, and how many times its size when it is no small one.
UNPACKED, RATIO, SMALL = 1 << 30, 100, 64 << 20


class _TooLong(Exception):
    """The time is over."""


def _end(sentence: str) -> None:
    print(f"cutkey: {sentence}", file=sys.stderr, flush=True)
    os._exit(2)


#: What is done when a library does not come back: by default the sentence is said and the process ended.
on_stuck: Callable[[str], None] = _end
_inside = threading.local()


@contextlib.contextmanager
def reading(name: str) -> Iterator[None]:
    """Bounds for reading a file; whatever goes wrong inside is raised as one sentence.

    Raises
    ------
    BadInput
        When it takes too long or too much memory, or the reader runs into something it does not know.
    """
    if getattr(_inside, "on", False):
        yield
        return
    _inside.on = True
    slow = f"{name} takes too long to be read; simplify it where it was made, or save it in another format."
    done = threading.Event()
    try:
        with _alarm(), _memory():
            threading.Thread(target=_watch, args=(slow, done), daemon=True).start()
            yield
    except BadInput:
        raise
    except TooMuch as error:
        raise BadInput(f"{name} {error}") from None
    except _TooLong:
        raise BadInput(slow) from None
    except MemoryError:
        raise BadInput(
            f"{name} needs more memory than can be given to one file; open a smaller one."
        ) from None
    except RecursionError:
        raise BadInput(
            f"{name} is nested too deeply or refers to itself without end; save it again where it was made."
        ) from None
    except Exception as error:
        raise BadInput(
            f"{name} is damaged or holds what cannot be read; save it again where it was made."
        ) from error
    finally:
        done.set()
        _inside.on = False


def _watch(sentence: str, done: threading.Event) -> None:
    began = time.process_time()
    while not done.wait(0.1):
        if time.process_time() - began > STUCK:
            on_stuck(sentence)
            return


@contextlib.contextmanager
def _alarm() -> Iterator[None]:
    """Raise `_TooLong` when the time is over; only the first thread of a process can be woken so."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def ring(number: int, frame: FrameType | None) -> None:
        raise _TooLong

    before = signal.signal(signal.SIGPROF, ring)
    signal.setitimer(signal.ITIMER_PROF, SECONDS)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.signal(signal.SIGPROF, before)


@contextlib.contextmanager
def _memory() -> Iterator[None]:
    """Let the process grow by `MEMORY` at most."""
    before = resource.getrlimit(resource.RLIMIT_AS)
    with open("/proc/self/statm", encoding="ascii") as file:
        now = int(file.read().split()[0]) * resource.getpagesize()
    most = now + MEMORY
    if before[0] == resource.RLIM_INFINITY or before[0] > most:
        resource.setrlimit(resource.RLIMIT_AS, (most, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_AS, before)


def unpacked(data: bytes, name: str, otherwise: str) -> dict[str, bytes]:
    """Members of a zip file by name, within bounds.

    Parameters
    ----------
    otherwise : str
        What is said of it when it is no zip file or damaged; goes on from its name.

    Raises
    ------
    BadInput
        When it is none, damaged, locked, or unpacks to more than `UNPACKED`.
    """
    out: dict[str, bytes] = {}
    total = 0
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for entry in archive.infolist():
                if entry.flag_bits & 1:
                    raise BadInput(f"{name} is locked with a password; save it without one.")
                with archive.open(entry) as member:
                    # What an entry says of its own size need not be so.
                    room = UNPACKED - total
                    room = min(room, max(SMALL, RATIO * entry.compress_size))
                    parts, size = [], 0
                    while part := member.read(1 << 20):
                        size += len(part)
                        if size > room:
                            raise BadInput(
                                f"{name} unpacks to far more than it should; it is damaged or was made to do"
                                " harm."
                            )
                        parts.append(part)
                    body = b"".join(parts)
                total += len(body)
                out[entry.filename] = body
    except (
        zipfile.BadZipFile,
        zlib.error,
        OSError,
        EOFError,
        ValueError,
        NotImplementedError,
        RuntimeError,
        KeyError,
    ):
        raise BadInput(f"{name} {otherwise}") from None
    return out
