"""The window answers while geometry runs in the other process."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from tests.test_worker import heavy_job

from cutkey.demo.jobs import demo_job

#: The window answers within this time, s.
ANSWER = 0.05


def test_the_window_answers_while_it_is_dragged_and_a_slow_boolean_runs(window, settle, qtbot):
    """Each answer is the time a moved mouse waits until the picture of the stage has followed."""
    window.document.start(*demo_job("lid"))
    window.show_sheet(1)
    settle(window)
    job, sources = heavy_job()
    window.document.sources.update(sources)
    window.document.edit("heavy", job)
    qtbot.waitUntil(lambda: "cutting" in window.block.now, timeout=60_000)
    stage = window.stage
    beats: list[float] = []
    pulse = QTimer()
    pulse.setInterval(5)
    pulse.timeout.connect(lambda: beats.append(time.perf_counter()))
    pulse.start()
    turn, waits = stage.camera.turn, []
    centre = QPoint(stage.width() // 2, stage.height() // 2)
    QTest.mousePress(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, centre)
    for k in range(40):
        before = stage.camera.turn
        begun = time.perf_counter()
        QTest.mouseMove(stage, centre + QPoint(6 * (k % 20) - 50, k % 7))
        qtbot.waitUntil(lambda b=before, first=k == 0: first or (stage.camera.turn != b and not stage._stale), timeout=5000)
        waits.append(time.perf_counter() - begun)
        qtbot.wait(4)
    assert window.engine.busy and "cutting" in window.block.now
    QTest.mouseRelease(stage, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, centre)
    pulse.stop()
    gaps = np.diff(beats)
    assert stage.camera.turn != turn
    assert np.percentile(gaps, 95) < ANSWER
    # The drawing itself, in software on two cores that the boolean uses too.
    assert np.median(waits) < 2 * ANSWER
    window.block.cancel.emit()
    qtbot.waitUntil(lambda: not window.engine.busy, timeout=10_000)
    window.document.undo()
    settle(window)
    assert window.engine.kit is not None and window.message.text == ""
