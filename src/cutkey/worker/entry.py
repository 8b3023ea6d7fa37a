"""Where the compute process begins; light, so that the window need not load what computes."""

from __future__ import annotations

import faulthandler
import os
import pickle
import signal
from multiprocessing.connection import Connection

from cutkey.worker.messages import Ready


def serve(connection: Connection, last_words: str) -> None:
    """Answer requests until the window is gone.

    Where a library ends the process, the file keeps what it was at.
    """
    words = open(last_words, "w", encoding="utf-8")  # noqa: SIM115  (open as long as the process lives)
    faulthandler.enable(words)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # The booleans use every core; the window and its drawing go first.
    os.nice(19)
    try:
        from cutkey.worker.service import Service
    except BaseException as error:
        # What keeps it from starting is for the window to say.
        connection.send_bytes(b"B" + pickle.dumps(Ready(f"{type(error).__name__}: {error}")))
        raise
    connection.send_bytes(b"B" + pickle.dumps(Ready()))
    Service(connection).run()
