"""Where the compute process begins; light, so that the window need not load what computes."""

from __future__ import annotations

import os
import signal
from multiprocessing.connection import Connection


def serve(connection: Connection) -> None:
    """Answer requests until the window is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # The booleans use every core; the window and its drawing go first.
    os.nice(19)
    from cutkey.worker.service import Service

    Service(connection).run()
