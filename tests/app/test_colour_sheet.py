"""The Colour sheet: ways, ladder, layers and rack, by mouse and keyboard."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton
from tests.app.test_drawings import seen, share
from tests.app.test_path import LEFT, NONE, drag, type_into

from cutkey.app.sheets.colour.assignment_card import AssignmentCard
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.edits import change_placement
from cutkey.demo.jobs import demo_job
from cutkey.worker.messages import Result


def test_colours_alone_and_the_layer_ladder(window, settle):
    window.document.start(*demo_job("panel"))
    window.document.edit(
        "bodies", replace(window.document.job, colouring=replace(window.document.job.colouring, way="bodies"))
    )
    window.show_sheet("colour")
    settle(window)
    strip, ladder = seen(window.sheets["colour"].strip), seen(window.ladder)
    used = {f.name: f.colour for u in window.engine.kit.units for _, f, _, _ in u.pieces}
    # The scales are sunk, which shows the panel itself: three filaments.
    assert len(used) == 3
    for name, colour in used.items():
        assert share(ladder, colour, 6) > 0.002, name
        # The top layer is drawn in plan: only what stands highest reaches it.
        assert (share(strip, colour, 6) > 0.0005) == (name == "Brick PLA"), name
    # 4 mm and 1.4 of marks, in layers of 0.2.
    assert window.engine.kit.high[2] - window.engine.kit.low[2] == pytest.approx(5.4)
    # Cards are made anew only when they show something else, and change the job as it is then.
    sheet = window.sheets["colour"]
    cards = [sheet.list.itemAt(k).widget() for k in range(sheet.list.count())]
    rack = sheet.rack.itemAt(0).widget()
    window.document.edit("rename", replace(window.document.job, name="Renamed"))
    settle(window)
    assert [sheet.list.itemAt(k).widget() for k in range(sheet.list.count())] == cards
    assert sheet.rack.itemAt(0).widget() is rack
    cards[0].filament.textActivated.emit("Fog PLA")
    settle(window)
    assert window.document.job.name == "Renamed" and window.document.job.assignments[-1].filament == "Fog PLA"
    assert sheet.list.itemAt(0).widget() is not cards[0]
    # They come in turns: none is missing or there twice.
    shown = [sheet.list.itemAt(k).widget().title.text() for k in range(sheet.list.count())]
    assert len(shown) == len(set(shown)) == len(window.engine.kit.filaments) > 2
    window.show_sheet("place")
    assert window.ladder.isHidden() and not window.face.isHidden()


def test_colours_by_height_are_planned_dragged_and_looked_at(window, settle, qtbot, tmp_path, monkeypatch):
    """The way, the ladder by mouse and keys, a change dragged and undone, a filament's price, the rack as
    a file."""
    window.document.start(*demo_job("plate"))
    window.show_sheet("colour")
    settle(window)
    sheet, ladder = window.sheets["colour"], window.ladder

    def asked() -> None:
        settle(window)
        qtbot.waitUntil(lambda: not (sheet.pending or sheet.trying or window.engine.busy), timeout=20_000)

    asked()
    assert [a.filament for a in sheet.layer.view.areas] == [
        "Fog PLA",
        "Moss PLA",
        "Brick PLA",
    ] and sheet.layer.view.widest == 0
    qtbot.waitUntil(
        lambda: {c.way for c in sheet.costs.costs} == {"bodies", "heights", "inlays"}, timeout=20_000
    )
    QTest.mouseClick(sheet.way.way.button("heights"), LEFT)
    asked()
    assert window.document.undo_text == "print colours: by height" and [s.last for s in ladder._stripes] == [
        16,
        18,
        20,
        22,
    ]
    assert (
        "3 changes" in sheet.way.plan.text() and "0.8 mm deep instead of 0.6 mm deep" in sheet.way.plan.text()
    )
    assert [a.filament for a in sheet.layer.view.areas] == [
        "Moss PLA"
    ] and window.engine.kit.heights.changes == 3
    # A click on the ladder shows the design up to that layer, arrows go on.
    QTest.mouseClick(ladder, LEFT, NONE, QPoint(40, round(ladder.y_of(1.0))))
    asked()
    assert ladder.layer == 5 and [a.filament for a in sheet.layer.view.areas] == ["Soot PLA"]
    assert all(
        i.under == pytest.approx(5.0 * 0.2, abs=0.3) or i.key.startswith("layer") for i in window.stage.items
    )
    assert sum(i.key.startswith("layer") for i in window.stage.items) == 1
    QTest.keyClick(ladder, Qt.Key.Key_Up)
    QTest.keyClick(ladder, Qt.Key.Key_PageUp)
    asked()
    assert ladder.layer == 16 and sheet.layer.view.number == 16
    QTest.keyClick(ladder, Qt.Key.Key_Escape)
    assert ladder.layer == 0 and not any(i.key.startswith("layer") for i in window.stage.items)
    # A change is dragged two layers down; while it is dragged the plan that follows is shown.
    rung = QPointF(150, ladder.y_of(3.2))
    drag(ladder, rung, QPointF(150, ladder.y_of(2.8)))
    asked()
    assert window.document.undo_text == "move a change" and ladder._stripes[0].last == 14
    assert window.document.job.colouring.rungs[0].filament == "Brick PLA" and sheet.way.free.isVisible()
    ladder.rung = 0
    QTest.keyClick(ladder, Qt.Key.Key_Up)
    asked()
    assert ladder._stripes[0].last == 15
    QTest.mouseClick(sheet.way.free, LEFT)
    asked()
    assert window.document.job.colouring.rungs == () and ladder._stripes[0].last == 16
    # So much cover leaves no room.
    type_into(sheet.way.numbers["cover"], "9")
    asked()
    assert (
        sheet.way.trouble.isVisible()
        and "no order of changes" in sheet.way.trouble.text()
        and window.tabs.tabs["proof"]._badge > 0
    )
    # What helps is offered, and done by a click.
    offers = [b for b in sheet.way.helps.findChildren(QPushButton) if b.isVisible()]
    QTest.mouseClick(offers[0], LEFT)
    asked()
    assert not sheet.way.trouble.isVisible() and window.engine.kit.heights.changes == 3
    window.document.undo()
    window.document.undo()
    asked()
    # One colour as an inlay, the rest by height; then the whole face down, layers counted from the face.
    card = next(c for c in sheet.right.findChildren(AssignmentCard) if c.way.accessibleName() == "Way of red")
    card.way.setCurrentIndex(card.way.findData("bodies"))
    card.way.activated.emit(card.way.currentIndex())
    asked()
    assert window.document.job.colouring.ways[0].way == "bodies" and window.engine.kit.heights.beside == (
        "Brick PLA",
    )
    qtbot.waitUntil(lambda: "mixed" in {c.way for c in sheet.costs.costs}, timeout=20_000)
    window.document.undo()
    up = [s.filament for s in ladder._stripes]
    QTest.mouseClick(sheet.way.down, LEFT)
    asked()
    assert window.document.undo_text == "print face down" and [s.filament for s in ladder._stripes] != up
    QTest.mouseClick(ladder, LEFT, NONE, QPoint(40, round(ladder.y_of(0.1))))
    asked()
    assert sheet.layer.view.face_down and ladder.layer == 1
    assert all(
        i.over == pytest.approx(window.engine.kit.high[2] - 0.2, abs=1e-4)
        for i in window.stage.items
        if not i.key.startswith("layer")
    )
    QTest.keyClick(ladder, Qt.Key.Key_Escape)
    window.document.undo()
    # Two at once: what makes do is offered.
    window.document.edit(
        "x",
        replace(
            window.document.job, printer=replace(window.document.job.printer, loaded=2), colouring=Colouring()
        ),
    )
    asked()
    qtbot.waitUntil(lambda: sheet.costs.more.isVisible(), timeout=20_000)
    QTest.mouseClick(
        next(b for b in sheet.costs.more.findChildren(QPushButton) if "print by height" in b.toolTip()), LEFT
    )
    asked()
    assert window.document.job.colouring.way == "heights" and window.document.undo_text.startswith(
        "print by height"
    )
    window.document.undo()
    window.document.undo()
    asked()
    sheet._show_alone("Moss PLA")
    price = sheet.picked.form.fields["price"]
    type_into(price, "25")
    asked()
    assert next(f for f in window.document.job.rack if f.name == "Moss PLA").price == 25
    type_into(sheet.picked.cover, "4")
    asked()
    assert (
        window.document.job.colouring.cover_of("Moss PLA") == 4
        and window.document.job.colouring.cover_of("Soot PLA") == 2
    )
    out = tmp_path / "mine.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(out), ""))
    sheet.racks.save()
    rack = window.document.job.rack
    sheet.racks.keep()
    window.document.edit("x", replace(window.document.job, rack=rack[:3]))
    sheet.racks.open()
    assert window.document.job.rack == rack
    window.document.undo()
    sheet.racks.take_kept()
    assert window.document.job.rack == rack
    out.write_text("[]")
    sheet.racks.open()
    assert "holds no rack" in window.message.text


def test_another_job_is_shown_whole_with_a_ladder_of_its_own(window, settle, qtbot):
    """Neither the layer that was looked at nor the filament that was shown alone is kept, and the stage
    is filled."""
    window.document.start(*demo_job("panel"))
    window.show_sheet("colour")
    settle(window)
    sheet = window.sheets["colour"]
    sheet.alone = "Moss PLA"
    window.ladder._choose(12)
    qtbot.waitUntil(
        lambda: not sheet.pending and any(i.key.startswith("layer ") for i in window.stage.items),
        timeout=20_000,
    )
    assert {i.opacity for i in window.stage.items} == {1.0, 0.08}
    window.document.start(*demo_job("lid"))
    settle(window)
    items = window.stage.items
    assert (
        items
        and {i.opacity for i in items} == {1.0}
        and not any(i.key.startswith("layer ") or np.isfinite(i.under) for i in items)
    )
    assert window.ladder.layer == 0 and 82 / window.stage.camera.mm_per_px > 0.6 * min(
        window.stage.width(), window.stage.height()
    )


def test_what_is_on_its_way_when_another_job_is_opened_is_not_shown_in_it(window, settle, qtbot):
    """A design of the job before, that arrives late: it was shown, and the stage kept its scale."""
    window.document.start(*demo_job("panel"))
    settle(window)
    design, job = window.engine.design, window.document.job
    window.document.edit("move", change_placement(job, replace(job.placements[0], offset=(0.5, 0.0))))
    qtbot.waitUntil(lambda: window.engine._running is not None, timeout=5_000)
    number = window.engine._running
    window.document.start(*demo_job("lid"))
    window.engine._result(Result(number, "design", "late", design))
    assert window.engine.design is None
    settle(window)
    assert window.engine.design is not None and window.engine.design.size[0] == pytest.approx(82, abs=0.1)
