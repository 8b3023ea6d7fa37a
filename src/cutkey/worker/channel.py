"""Messages between two processes: small ones through a pipe, arrays through shared memory."""

from __future__ import annotations

import pickle
from multiprocessing.connection import Connection
from multiprocessing.shared_memory import SharedMemory
from typing import Any

_ALIGN = 64


def send(connection: Connection, message: Any) -> None:
    """Send any picklable message; its arrays are laid into one block of shared memory that the receiver frees."""
    buffers: list[pickle.PickleBuffer] = []
    body = pickle.dumps(message, protocol=5, buffer_callback=buffers.append)
    views = [b.raw() for b in buffers]
    spans, end = [], 0
    for view in views:
        spans.append((end, end + view.nbytes))
        end += -(-view.nbytes // _ALIGN) * _ALIGN
    if end == 0:
        connection.send((body, None, spans))
        return
    block = SharedMemory(create=True, size=end)
    room = block.buf
    assert room is not None
    try:
        for view, (start, stop) in zip(views, spans, strict=True):
            room[start:stop] = view
        connection.send((body, block.name, spans))
    except BaseException:
        block.unlink()
        raise
    finally:
        del room
        block.close()


def receive(connection: Connection) -> Any:
    """The next message; raises EOFError when the other side is gone."""
    body, name, spans = connection.recv()
    if name is None:
        return pickle.loads(body, buffers=[bytearray(0) for _ in spans])
    block = SharedMemory(name=name)
    try:
        assert block.buf is not None
        whole = bytearray(block.buf)
    finally:
        block.close()
        block.unlink()
    view = memoryview(whole)
    return pickle.loads(body, buffers=[view[a:b] for a, b in spans])
