"""Starting the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from cutkey.app.theme import theme


def make_application() -> QApplication:
    """The application with its fonts and theme; the one there is, if there is one."""
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Cut Key")
    application.setStyle("Fusion")
    theme.load(application)
    return application


def run(job: Path | None, demo: str | None) -> int:
    """Open the window, with a job or a demo job when one is named; gives the exit code."""
    start = None
    if demo is not None:
        from cutkey.demo.jobs import demo_job

        start = demo_job(demo)
    elif job is not None:
        from cutkey.core.job.file import open_job

        # A bad file is said on the terminal before any window appears.
        open_job(job)
    application = make_application()
    from cutkey.app.window import Window

    window = Window()
    window.show()
    if start is not None:
        window.document.start(*start)
        window.show_sheet(1)
    elif job is not None:
        window.keeper.open_path(job)
    window.keeper.offer_recovery()
    # Ctrl+C in the terminal closes the window; the timer lets Python see the signal.
    signal.signal(signal.SIGINT, lambda *_: application.quit())
    tick = QTimer()
    tick.start(250)
    tick.timeout.connect(lambda: None)
    return application.exec()
