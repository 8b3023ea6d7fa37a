"""Messages between two processes: small ones through a pipe, everything large through shared memory.

The pipe holds only a name and some numbers, so a sender never waits for a receiver that is busy.
"""

from __future__ import annotations

import contextlib
import itertools
import pickle
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from pathlib import Path
from typing import Any

from cutkey.core.alive import my_mark, runs

_ALIGN = 64
#: Bytes that may go through the pipe itself.
_SMALL = 2048
_SHARED = Path("/dev/shm")
_PREFIX = "cutkey-"
_numbers = itertools.count()


def send(connection: Connection, message: Any) -> None:
    """Send any picklable message.

    What is large is laid into one block of shared memory that the receiver frees.
    """
    buffers: list[pickle.PickleBuffer] = []
    body = pickle.dumps(message, protocol=5, buffer_callback=buffers.append)
    views = [b.raw() for b in buffers]
    if not views and len(body) <= _SMALL:
        connection.send_bytes(b"B" + body)
        return
    views.insert(0, memoryview(body))
    spans, end = [], 0
    for view in views:
        spans.append((end, end + view.nbytes))
        end += -(-view.nbytes // _ALIGN) * _ALIGN
    block = SharedMemory(f"{_PREFIX}{my_mark()}-{next(_numbers)}", create=True, size=end + 8 * len(spans))
    room = block.buf
    assert room is not None
    try:
        for view, (start, stop) in zip(views, spans, strict=True):
            room[start:stop] = view
        lengths = b"".join(view.nbytes.to_bytes(8, "little") for view in views)
        room[end : end + len(lengths)] = lengths
        connection.send_bytes(b"S" + f"{block.name} {end} {len(spans)}".encode())
    except BaseException:
        block.unlink()
        raise
    finally:
        del room
        block.close()


def receive(connection: Connection) -> Any:
    """The next message; raises EOFError when the other side is gone."""
    head = connection.recv_bytes()
    if head[:1] == b"B":
        return pickle.loads(head[1:])
    name, end, count = head[1:].decode().split()
    block = SharedMemory(name=name)
    try:
        assert block.buf is not None
        whole = bytearray(block.buf)
    finally:
        block.close()
        block.unlink()
    view, at, parts = memoryview(whole), 0, []
    for k in range(int(count)):
        length = int.from_bytes(view[int(end) + 8 * k : int(end) + 8 * k + 8], "little")
        parts.append(view[at : at + length])
        at += -(-length // _ALIGN) * _ALIGN
    return pickle.loads(parts[0], buffers=parts[1:])


def free_blocks(mark: str = "") -> None:
    """Free shared memory that nobody will receive any more: of one process, or of all that no longer run."""
    for path in _SHARED.glob(f"{_PREFIX}*"):
        owner = path.name.removeprefix(_PREFIX).rpartition("-")[0]
        if owner == mark if mark else not runs(owner):
            try:
                # Opened first, so that the keeper of shared memory knows that it is gone.
                block = SharedMemory(name=path.name)
                block.close()
                block.unlink()
            except FileNotFoundError:
                pass
            except (OSError, ValueError):  # its maker died before it had a size
                with contextlib.suppress(OSError):
                    path.unlink()
