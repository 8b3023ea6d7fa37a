"""A window in which something goes wrong, with the log begun as the program begins it; run by test_window
in a process of its own."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QDesktopServices
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from cutkey import __version__
from cutkey.app import logbook
from cutkey.app.main import make_application
from cutkey.demo.jobs import demo_job


def main(state: Path) -> None:
    from cutkey.app.window import Window

    opened: list[Path] = []
    QDesktopServices.openUrl = lambda url: opened.append(Path(url.toLocalFile()))  # type: ignore[method-assign]
    make_application()
    logbook.start()
    window = Window()
    window.show()

    def wait() -> None:
        end = time.monotonic() + 120
        while time.monotonic() < end and (window.engine.busy or not window.stage.settled):
            QApplication.processEvents()
            time.sleep(0.002)
        QApplication.processEvents()

    job, sources = demo_job("lid")
    window.document.start(job, sources)
    wait()
    # A question about a job whose graphic is not there ends in an exception of the compute process.
    dangling = replace(job, placements=(replace(job.placements[0], graphic="nobody"),), graphics=())
    window.engine.look(dangling, "graphic nobody", print)
    wait()
    assert "failed unexpectedly" in window.message.text
    names = {b.text(): b for b in window.message.findChildren(QPushButton) if b.isVisible()}
    QTest.mouseClick(names["copy what happened"], Qt.MouseButton.LeftButton)
    told = QApplication.clipboard().text()
    assert "Traceback" in told and "StopIteration" in told and __version__ in told, told
    assert job.sources[0].name not in told and sources[job.sources[0].digest][:20].hex() not in told
    next(a for a in window.commands.all if a.text() == "Show the log").trigger()
    assert opened == [state / "cutkey/cutkey.log"] and opened[0].stat().st_mode & 0o777 == 0o600
    for _ in range(40):
        logbook.note("crash", "x", "y" * 20_000)
    assert sum(p.stat().st_size for p in opened[0].parent.glob("cutkey.log*")) < 4.2 * logbook.LARGEST
    window._leaving = True
    window.close()
    print("well")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
