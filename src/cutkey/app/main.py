"""Starting the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from cutkey.app import logbook
from cutkey.app.theme import theme

if TYPE_CHECKING:
    from cutkey.app.window import Window


def make_application() -> QApplication:
    """The application with its fonts and theme; the one there is, if there is one."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Cut Key")
    application.setStyle("Fusion")
    theme.load(application)
    return application


def start(job: Path | None, demo: str | None) -> tuple[QApplication, Window]:
    """The window, shown, with a job or a demo job on its way when one is named.

    Raises
    ------
    BadInput
        When the job cannot be opened or there is no such demo: said on the terminal before any window
        appears.
    """
    if demo is not None:
        from cutkey.demo.names import known_demo

        known_demo(demo)
    elif job is not None:
        from cutkey.core.model.file import open_job

        open_job(job)
    from cutkey.worker.client import Worker

    # The compute process takes as long to come up as the window does; on its own core it comes up beside it.
    worker = Worker()
    application = make_application()
    from cutkey.app.window import Window

    window = Window(worker)
    window.show()
    application.processEvents()
    QTimer.singleShot(0, window.stage.warm_up)
    if demo is not None:
        window.show_sheet("place")
        window.keeper.open_demo(demo)
    elif job is not None:
        window.keeper.open_path(job)
    window.keeper.offer_recovery()
    return application, window


def run(job: Path | None, demo: str | None) -> int:
    """Open the window and stay until it is closed; gives the exit code."""
    logbook.start()
    application, _window = start(job, demo)
    # Ctrl+C in the terminal closes the window; the timer lets Python see the signal.
    signal.signal(signal.SIGINT, lambda *_: application.quit())
    tick = QTimer()
    tick.start(250)
    tick.timeout.connect(lambda: None)
    return application.exec()
