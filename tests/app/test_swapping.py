"""Another picture, another body: tried in the real window by mouse and keyboard, kept, left and undone."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from tests.conftest import png

from cutkey.app.stage.picking import Hit
from cutkey.core.addons.loop import Loop
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.addon import AddOn
from cutkey.core.model.edits import place
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Depth
from cutkey.demo.jobs import demo_job

LEFT = Qt.MouseButton.LeftButton


def flag(colours, size=(120, 90)) -> bytes:
    """Stripes side by side on white."""
    w, h = size
    rgb = np.full((h, w, 3), 255, np.uint8)
    edges = np.linspace(w * 0.1, w * 0.9, len(colours) + 1).astype(int)
    for c, a, b in zip(colours, edges[:-1], edges[1:], strict=True):
        rgb[h // 5 : 4 * h // 5, a:b] = c
    return png(rgb)


@pytest.fixture
def flagged(window, settle):
    """A flag of red, black and amber on a plate, each with a depth of its own."""
    window.intake.take_picture("flag.png", flag([(200, 40, 40), (20, 20, 20), (224, 163, 42)]))
    settle(window)
    window.desk.commands["take_body"]("make a plate", PlateBase(80, 60, 4))
    settle(window)
    job, placement = place(window.document.job, window.document.job.graphics[0].id, (0, 0, 4), (0, 0, 1))
    red, black, amber = (
        next(c for c, _ in window.engine.graphics[placement.graphic].regions if near(c, want)) for want in RGB
    )
    depths = (Depth("raised", 0.8), Depth("recessed", 0.4, black), Depth("raised", 2.0, amber))
    window.document.edit("lay", replace(job, placements=(replace(placement, depths=depths),)))
    settle(window)
    return window, red, black, amber


RGB = ((200, 40, 40), (20, 20, 20), (224, 163, 42))


def near(colour: str, want) -> bool:
    return max(abs(int(colour[i : i + 2], 16) - w) for i, w in zip((1, 3, 5), want, strict=True)) < 40


def choose(monkeypatch, path) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))


def test_another_picture_is_tried_settled_by_dragging_kept_and_undone(
    flagged, settle, qtbot, monkeypatch, tmp_path
):
    window, _, black, amber = flagged
    before = window.document.job
    # Blue and green stand for red and amber, elsewhere and of other areas; black stays.
    (tmp_path / "other.png").write_bytes(
        flag([(20, 20, 22), (40, 70, 190), (40, 70, 190), (60, 150, 70)], (150, 60))
    )
    choose(monkeypatch, tmp_path / "other.png")
    window.show_sheet("trace")
    QTest.mouseClick(window.sheets["trace"].other, LEFT)
    qtbot.waitUntil(lambda: window.swapping.trial is not None, timeout=30_000)
    settle(window)
    trial, strip, document = window.swapping.trial, window.sheets["trace"].swap, window.document
    assert (
        strip.isVisible()
        and trial.matches[next(c for c, _ in trial.new.regions if near(c, (20, 20, 22)))] == black
    )
    placement = document.job.placements[0]
    assert (placement.id, placement.point) == (before.placements[0].id, before.placements[0].point)
    assert (
        document.job.graphics[0].name == "Other"
        and document.job.graphics[0].width_mm == before.graphics[0].width_mm
    )
    # Green is dragged onto amber: it takes its depth.
    green = next(c for c, _ in trial.new.regions if near(c, (60, 150, 70)))
    steps = document._history._at
    QTest.mousePress(strip, LEFT, pos=strip.place_of(green).toPoint())
    QTest.mouseMove(strip, strip.place_of_old(amber).toPoint() + QPoint(2, 30))
    QTest.mouseRelease(strip, LEFT, pos=strip.place_of_old(amber).toPoint() + QPoint(2, 50))
    assert window.swapping.trial.matches[green] == amber
    assert document.job.placements[0].depth_of(green) == Depth("raised", 2.0, green)
    assert document._history._at == steps  # still the one step
    # By keyboard: the next colour up and down the row of old ones.
    strip.setFocus()
    strip._picked = green
    QTest.keyClick(strip, Qt.Key.Key_Down)
    assert (
        green not in window.swapping.trial.matches and document.job.placements[0].depth_of(green).colour == ""
    )
    QTest.keyClick(strip, Qt.Key.Key_Up)
    assert window.swapping.trial.matches[green] == amber
    settle(window)
    QTest.mouseClick(strip.keep, LEFT)
    assert window.swapping.trial is None and not strip.isVisible()
    kit = window.engine.kit
    assert kit is not None and not [f for f in kit.findings if f.severity == "stop"]
    document.undo()
    assert document.job == before
    document.redo()
    assert document.job.graphics[0].name == "Other"
    # Left instead of kept: as before, and nothing remains of the trial.
    document.undo()
    QTest.mouseClick(window.sheets["trace"].other, LEFT)
    qtbot.waitUntil(lambda: window.swapping.trial is not None, timeout=30_000)
    QTest.mouseClick(strip.leave, LEFT)
    settle(window)
    assert document.job == before and window.swapping.trial is None and window.engine.current("kit")


def test_another_edit_settles_a_trial_and_a_bad_picture_changes_nothing(
    flagged, settle, qtbot, monkeypatch, tmp_path
):
    window, *_ = flagged
    before = window.document.job
    (tmp_path / "broken.png").write_bytes(b"\x89PNG not really")
    choose(monkeypatch, tmp_path / "broken.png")
    window.files.other_picture()
    qtbot.waitUntil(lambda: "broken.png" in window.message.text, timeout=10_000)
    assert window.document.job == before and window.swapping.trial is None
    (tmp_path / "two.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9"'
        ' fill="#141414"/></svg>'
    )
    choose(monkeypatch, tmp_path / "two.svg")
    window.files.other_picture()
    # What is decided while the new picture is read is not lost.
    window.document.edit(
        "finer", replace(window.document.job, printer=replace(window.document.job.printer, layer=0.15))
    )
    qtbot.waitUntil(lambda: window.swapping.trial is not None, timeout=30_000)
    assert window.document.job.printer.layer == 0.15
    assert window.document.job.source(window.document.job.graphics[0].source).kind == "drawing"
    window.document.edit("rename", replace(window.document.job, name="Settled"))
    assert window.swapping.trial is None and not window.sheets["trace"].swap.isVisible()
    settle(window)


def test_what_was_asked_about_one_job_is_not_answered_into_another(window, settle, qtbot):
    window.intake.take_picture("flag.png", flag(RGB))
    window.document.start(Job(base=PlateBase(40, 40, 3)), {})
    settle(window)
    assert window.document.job.graphics == ()
    window.sheets["place"].body.add_addon(
        Loop(), Hit("body", np.array([0.0, 10.0, 3.0]), np.array([0.0, 0.0, 1.0]))
    )
    window.document.start(Job(base=PlateBase(50, 40, 3)), {})
    settle(window)
    assert window.document.job.addons == ()


def test_another_body_keeps_graphics_and_add_ons_where_they_belong(window, settle, qtbot):
    """A new backing used to drop the key-ring loop without a word."""
    job, sources = demo_job("cap")
    loop = AddOn("l", Loop(), (0.0, 0.0, 4.0), (0.0, 0.0, 1.0), offset=(0.0, 30.0))
    job = replace(job, base=PlateBase(70, 60, 4), addons=(loop,), placements=(), cuts=())
    window.document.start(job, sources)
    window.show_sheet("place")
    settle(window)
    before = window.document.job
    window.sheets["place"].body._make(BackingBase)
    qtbot.waitUntil(lambda: isinstance(window.document.job.base, BackingBase), timeout=30_000)
    settle(window)
    moved = window.document.job.addons[0]
    assert (
        moved.id == "l"
        and moved.feature == loop.feature
        and moved.point[2] == pytest.approx(window.document.job.base.height)
    )
    assert "same side" in window.message.text
    top = window.engine.body.mesh.box[1]
    assert moved.offset[1] == pytest.approx(30.0, rel=0.6) and top[1] > 0 and window.engine.kit is not None
    window.document.undo()
    assert window.document.job == before
    settle(window)
