"""Undo takes back one gesture, wherever the keyboard is, and shows where it was."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.changes import Change, change_between
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_source, assign, change_cut, change_placement, remove_graphic
from cutkey.core.model.job import Job
from cutkey.demo.jobs import demo_job

LEFT = Qt.MouseButton.LeftButton
UNDO = (Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def drag(widget, a: QPoint, by: QPoint) -> None:
    QTest.mousePress(widget, LEFT, pos=a)
    for k in range(1, 6):
        QTest.mouseMove(widget, a + by * (k / 5))
    QTest.mouseRelease(widget, LEFT, pos=a + by)


def test_two_drags_of_the_same_kind_are_two_steps(window, settle):
    window.document.start(
        Job(base=PlateBase(200, 120, 6), cuts=(Cut("y", 0.0), Cut("x", -30.0), Cut("x", 40.0))), {}
    )
    window.show_sheet("split")
    settle(window)
    view, document, first = window.sheets["split"], window.document, window.document.job
    for number in (1, 2):
        tab = view.rulers.tab(document.job.cuts[number]).toPoint()
        drag(window.stage, tab, QPoint(14, -6))
        settle(window)
    after = document.job
    assert [a.at != b.at for a, b in zip(first.cuts, after.cuts, strict=True)] == [False, True, True]
    document.undo()
    assert document.job.cuts[1] == after.cuts[1] and document.job.cuts[2] == first.cuts[2]
    document.undo()
    assert document.job.cuts == first.cuts


def test_undo_works_with_the_keyboard_in_a_field_and_shows_where_it_was(window, settle, qtbot):
    window.document.start(*demo_job("lid"))
    window.show_sheet("place")
    settle(window)
    window.activateWindow()
    view, document, first = window.sheets["place"], window.document, window.document.job
    field = view.fields.width_
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "41")
    # While a number is being typed, Ctrl+Z is the field's own.
    QTest.keyClick(field, *UNDO)
    assert document.job == first and field.text() != "41"
    field.selectAll()
    QTest.keyClicks(field, "41")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert document.job.graphics[0].width_mm == 41 and field.hasFocus()
    QTest.keyClick(field, *UNDO)
    assert document.job == first and field.hasFocus()
    QTest.keyClick(field, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert document.job.graphics[0].width_mm == 41
    # From another sheet, undo goes where it was.
    document.edit("colour", assign(document.job, "body", "Brick PLA"))
    document.edit("move", change_placement(document.job, replace(document.job.placements[0], spin=12.0)))
    window.show_sheet("proof")
    document.undo()
    assert window.current == "place" and window.desk.placement == document.job.placements[0].id
    document.undo()
    assert window.current == "colour"
    settle(window)


def test_thirty_steps_of_different_kinds_are_undone_redone_and_gone_to_from_the_list(window, settle):
    window.document.start(*demo_job("plate"))
    document, start = window.document, window.document.job
    jobs = [start]
    for k in range(30):
        job = document.job
        kinds = (
            lambda job=job, k=k: replace(job, base=PlateBase(70 + k, 50, 4)),
            lambda job=job, k=k: change_placement(
                job, replace(job.placements[k % len(job.placements)], spin=float(k))
            ),
            lambda job=job, k=k: replace(job, cuts=(*job.cuts, Cut("x", float(k)))),
            lambda job=job, k=k: (
                change_cut(job, 0, replace(job.cuts[0], tilt=float(k % 40)))
                if job.cuts
                else replace(job, name=str(k))
            ),
            lambda job=job, k=k: replace(job, printer=replace(job.printer, layer=round(0.1 + k / 500, 3))),
            lambda job=job, k=k: assign(job, "body", job.rack[k // 6].name),
        )
        document.edit(f"step {k + 1}", kinds[k % 6](), merge=k % 2 == 0)
        document.end_gesture()
        jobs.append(document.job)
    assert document.steps[0][1:] == [f"step {k}" for k in range(1, 31)] and document.steps[1] == 30
    for k in reversed(range(30)):
        QTest.keyClick(window, *UNDO)
        assert document.job == jobs[k], k
    for k in range(1, 31):
        document.redo()
        assert document.job == jobs[k]
    window.show_steps()
    popup = window.steps_popup
    assert popup.isVisible() and popup.list.count() == 31 and popup.list.currentRow() == 30
    # Read at night too: dark ground under the light letters.
    window.switch_theme()
    seen = popup.list.viewport().grab().toImage()
    assert seen.pixelColor(seen.width() - 4, 4).lightness() < 60
    window.switch_theme()
    popup.list.setCurrentRow(7)
    QTest.keyClick(popup.list, Qt.Key.Key_Return)
    assert not popup.isVisible() and document.job == jobs[7] and document.redo_text == "step 8"
    document.go_to(0)
    assert document.job == start
    window.engine.cancel()
    settle(window)


def test_an_action_chosen_from_the_finder_runs_once(window, qtbot):
    runs = []
    action = next(a for a in window.commands.all if a.text() == "Paper or night")
    action.triggered.disconnect()
    action.triggered.connect(lambda: runs.append(1))
    window.activateWindow()
    window.finder.setFocus()
    QTest.keyClicks(window.finder, "paper or")
    popup = window.finder.completer().popup()
    qtbot.waitUntil(popup.isVisible)
    QTest.keyClick(popup, Qt.Key.Key_Down)
    QTest.keyClick(popup, Qt.Key.Key_Return)
    QApplication.processEvents()
    assert runs == [1] and window.finder.text() == ""


@pytest.mark.parametrize(
    ("edit", "change"),
    [
        (lambda j: remove_graphic(j, j.graphics[0].id), Change("graphic", "FIRST")),
        (lambda j: replace(j, base=CoinBase()), Change("body")),
        (lambda j: replace(j, cuts=j.cuts[:-1]), Change("cut", number=1)),
        (lambda j: replace(j, keys=replace(j.keys, size=5.0)), Change("cut")),
        (lambda j: replace(j, printer=replace(j.printer, layer=0.15)), Change("printer")),
        (lambda j: replace(j, series="1-3"), Change("job")),
        (lambda j: j, None),
    ],
)
def test_what_differs_between_two_jobs(edit, change):
    job, _ = demo_job("sign")
    assert isinstance(job, Job) and add_source(job, job.sources[0]) == job
    got = change_between(job, edit(job))
    assert (got._replace(id="FIRST") if got and got.id else got) == change
