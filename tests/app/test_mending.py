"""Findings in the window: mended on trial, left with a reason, all at once, and the print on the stage."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton
from tests.app.test_film import seen  # noqa: F401
from tests.app.test_path import LEFT, type_into
from tests.core.test_lying import TEE, of_model
from tests.core.test_mends import FAULTS, plate

from cutkey.app.widgets.basics import Card
from cutkey.core.model.lying import Lay
from cutkey.core.model.placement import Depth
from cutkey.core.printing.resting import UP
from cutkey.core.words.kind import speak
from cutkey.demo.jobs import demo_job


def button_of(window, text: str) -> QPushButton:
    return next(
        b for b in window.sheets["proof"].left.findChildren(QPushButton) if b.text() == text and b.isVisible()
    )


def words_of(window) -> str:
    return " ".join(x.text() for x in window.sheets["proof"].left.findChildren(QLabel) if x.isVisible())


def two_pictures_differ(window) -> bool:
    shown = [
        x
        for x in window.sheets["proof"].left.findChildren(QLabel)
        if x.accessibleName() in ("before", "after")
    ]
    pictures = [x.pixmap().toImage().bits().tobytes() for x in shown]
    return len(pictures) == 2 and len(set(pictures)) == 2 and all(len(set(p)) > 20 for p in pictures)


def test_what_the_print_would_leave_hanging_is_laid_otherwise(window, seen, qtbot):  # noqa: F811
    """A finding of the rehearsal: the piece is shown as it lies and as it would, and what goes is
    measured on the print that is tried."""
    job, evaluator = of_model(TEE)
    window.document.start(replace(job, lays=(Lay("A1", UP),)), dict(evaluator.sources))
    window.show_sheet("proof")
    seen()
    qtbot.waitUntil(lambda: "Leans out over nothing" in words_of(window), timeout=30_000)
    QTest.mouseClick(button_of(window, "mend: lay it on another side"), LEFT)
    qtbot.waitUntil(lambda: "gone: " in words_of(window), timeout=30_000)
    assert "A1 is printed another way up" in words_of(window) and "new:" not in words_of(window)
    qtbot.waitUntil(lambda: two_pictures_differ(window), timeout=20_000)
    QTest.mouseClick(button_of(window, "mend it"), LEFT)
    seen()
    (lay,) = window.document.job.lays
    assert lay.unit == "A1" and lay.down != UP
    qtbot.waitUntil(
        lambda: "Rehearsed" in words_of(window) and "Leans out" not in words_of(window), timeout=30_000
    )


def test_a_mend_is_tried_seen_and_made(window, seen, qtbot):  # noqa: F811
    job, sources = FAULTS["bridges"][0]
    window.document.start(job, sources)
    window.show_sheet("proof")
    seen()
    sheet = window.sheets["proof"]
    assert "Falls out: Shapes" in words_of(window) and not sheet.write.isEnabled()
    QTest.mouseClick(button_of(window, "mend: hold it with bridges"), LEFT)
    qtbot.waitUntil(lambda: "gone: Falls out: Shapes" in words_of(window), timeout=30_000)
    # Nothing is changed yet; two pictures show the place before and after, and they differ.
    assert window.document.job == job and "bridges of 2 mm run across" in words_of(window)
    qtbot.waitUntil(lambda: two_pictures_differ(window), timeout=20_000)
    QTest.mouseClick(button_of(window, "leave it"), LEFT)
    seen()
    assert window.document.job == job and button_of(window, "mend: hold it with bridges").isEnabled()
    QTest.mouseClick(button_of(window, "mend: hold it with bridges"), LEFT)
    qtbot.waitUntil(lambda: "gone: Falls out: Shapes" in words_of(window), timeout=30_000)
    QTest.mouseClick(button_of(window, "mend it"), LEFT)
    seen()
    assert (
        window.document.job.placements[0].bridges == 2.0
        and window.document.undo_text == "hold it with bridges"
    )
    assert sheet.write.isEnabled() and "Falls out" not in words_of(window)
    # The width stands among the fields of the graphic, and goes with undo.
    window.show_sheet("place")
    fields = window.sheets["place"].fields
    assert fields.bridges.value == 2.0 and fields.bridges.isEnabled()
    type_into(fields.bridges, "3")
    assert window.document.job.placements[0].bridges == 3.0
    window.document.undo()
    window.document.undo()
    assert window.document.job == job


def test_a_finding_is_left_with_a_reason_and_free_mends_are_made_at_once(window, seen, qtbot):  # noqa: F811
    job, sources = FAULTS["turn over"][0]
    window.document.start(job, sources)
    window.show_sheet("proof")
    seen()
    QTest.mouseClick(button_of(window, "mend what costs nothing (1)"), LEFT)
    qtbot.waitUntil(lambda: not window.document.job.placements[0].mirror, timeout=30_000)
    seen()
    assert window.document.undo_text == "mend what costs nothing" and "Reversed text" not in words_of(window)

    job, sources = FAULTS["widen"][0]
    window.document.start(job, sources)
    seen()
    waiting = window.sheets["proof"].waiting
    QTest.mouseClick(button_of(window, "leave it so…"), LEFT)
    seen()
    field = next(
        f
        for f in window.sheets["proof"].left.findChildren(QLineEdit)
        if f.accessibleName() == "Why it may stay"
    )
    QTest.keyClicks(field, "a hint of a line")
    QTest.keyClick(field, Qt.Key.Key_Return)
    seen()
    (decision,) = window.document.job.accepted
    assert decision.reason == "a hint of a line" and "left so: a hint of a line" in words_of(window)
    assert window.sheets["proof"].waiting == waiting - 1
    QTest.mouseClick(button_of(window, "look at it again"), LEFT)
    seen()
    assert window.document.job.accepted == () and window.sheets["proof"].waiting == waiting


def test_the_stage_shows_the_bed_as_it_is_printed(window, seen):  # noqa: F811
    job, sources = plate('<path fill="#c03020" d="M2 2h26v6h-26z"/>', Depth("raised", 1.0), width=26.0)
    window.document.start(replace(job, name="Bed"), sources)
    window.show_sheet("proof")
    seen()
    assert {i.key.partition(" ")[0] for i in window.stage.items} != {"print"}
    window.film.stage.setFocus()
    QTest.keyClick(window.film.stage, Qt.Key.Key_Space)
    seen()
    window.film.slider.setValue(8)
    seen()
    items = window.stage.items
    assert all(i.key.startswith("print") for i in items) and [
        round(i.under, 2) for i in items if i.key[6:].isdigit()
    ] == [1.6, 1.6]
    # The face of the layer lies on top of what is printed, and only the plate has one there.
    (face,) = [i for i in items if i.key.startswith("print face")]
    assert (
        face.mesh.vertices[:, 2].max() == face.mesh.vertices[:, 2].min()
        and abs(face.mesh.vertices[:, 2].max() - 1.6) < 1e-5
    )
    window.film.stage.setChecked(False)
    seen()
    assert not any(i.key.startswith("print") for i in window.stage.items)


def test_a_bed_load_is_tried_on_the_stand_in_printer(window, seen, qtbot):  # noqa: F811
    """Two filaments, one at once: it asks for the change, goes on when it was made, fails when told to,
    and the film goes along."""
    job, sources = plate('<path fill="#c03020" d="M2 2h26v6h-26z"/>', Depth("raised", 1.0), width=26.0)
    window.document.start(replace(job, printer=replace(job.printer, loaded=1)), sources)
    window.show_sheet("proof")
    seen()
    card = window.sheets["proof"].stand_in
    card.speed.setCurrentIndex(2)
    QTest.mouseClick(card.go, LEFT)
    qtbot.waitUntil(lambda: card.machine is not None and card.machine.state == "waiting", timeout=20_000)
    card.tick()
    assert (
        card.asks.isVisibleTo(card)
        and "take " in card.asks.text()
        and card.go.text() == "go on"
        and window.film.layer == card.machine.layer
    )
    QTest.mouseClick(card.go, LEFT)
    assert card.machine.state == "printing" and len(card.machine.loaded) == 1
    next(a for a in card.fail.menu().actions() if a.text() == "Power is lost").trigger()
    qtbot.waitUntil(lambda: card.machine.state == "off", timeout=20_000)
    QTest.mouseClick(card.go, LEFT)
    qtbot.waitUntil(lambda: card.machine.state == "done", timeout=20_000)
    card.tick()
    assert "has printed Bed 1" in card.said.text() and card.bar.value() == 1000
    # Another job is another load: what was printed of the old one is over.
    window.document.start(job, sources)
    seen()
    assert card.machine is None and card.go.isEnabled() and card.go.text() == "print bed 1"
    assert card.bar.value() == 0 and "Bed 1" not in card.said.text()


def test_cards_come_a_few_in_a_turn_and_are_made_anew_only_when_they_show_something_else(window, seen, qtbot):  # noqa: F811
    job, sources = FAULTS["widen"][0]
    window.document.start(job, sources)
    window.show_sheet("proof")
    seen()
    sheet = window.sheets["proof"]
    qtbot.waitUntil(
        lambda: "Rehearsed" in words_of(window) or "Printed wider" in words_of(window), timeout=30_000
    )
    wanted = len(sheet.findings) + len(sheet.rehearsal.view.found)
    cards = lambda: [sheet.cards.itemAt(k).widget() for k in range(sheet.cards.count())]  # noqa: E731
    assert wanted > 9
    qtbot.waitUntil(lambda: sum(isinstance(c, Card) for c in cards()) == wanted, timeout=10_000)
    # What waits comes first, and opening the sheet again makes nothing anew.
    assert cards()[0].title.text().startswith("Too thin") and (before := cards())
    window.show_sheet("split")
    window.show_sheet("proof")
    qtbot.wait(50)
    assert cards() == before
    QTest.mouseClick(button_of(window, "mend: widen what is narrow"), LEFT)
    qtbot.waitUntil(lambda: "it costs" in words_of(window) or "trying it" in words_of(window), timeout=10_000)
    assert cards()[0] is not before[0]


def test_the_window_says_a_finding_in_another_language(window, seen, qtbot):  # noqa: F811
    speak({"watertight": lambda bodies: ("Dicht", f"{bodies} Körper geschlossen")})
    try:
        window.document.start(*demo_job("plate"))
        window.show_sheet("proof")
        seen()
        qtbot.waitUntil(lambda: "Dicht" in words_of(window), timeout=10_000)
        assert " Körper geschlossen" in words_of(window) and "Fits the bed" in words_of(window)
    finally:
        speak({})
