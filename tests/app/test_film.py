"""The film of the print on the Proof sheet, by mouse and keyboard."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from tests.app.test_drawings import seen as pixels_of
from tests.app.test_drawings import share
from tests.app.test_path import LEFT, NONE, drag

from cutkey.app.theme import theme
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.model.job import Job
from cutkey.core.model.printer import Printer
from cutkey.demo.jobs import demo_job


@pytest.fixture
def seen(window, settle, qtbot):
    """Waits until the rehearsal and the layer that was asked for are there."""

    def wait() -> None:
        settle(window)
        hand = window.sheets["proof"].rehearsal
        qtbot.waitUntil(
            lambda: hand.view is not None and not hand.pending and not window.engine.busy, timeout=40_000
        )

    return wait


def test_the_film_shows_layers_and_findings_jump_to_theirs(window, seen, qtbot):
    window.document.start(*demo_job("lid"))
    window.show_sheet("proof")
    seen()
    film, sheet = window.film, window.sheets["proof"]
    assert film.isVisible() and film.layer == 71 == film.view.layers and film.view.number == 71
    assert {a.filament for a in film.view.areas} == {"Honey PLA", "Linen PLA", "Soot PLA"}
    (bridge,) = [t for t in sheet.rehearsal.view.found if t.finding.title == "A long bridge"]
    # The roof over the hollow, 77.2 mm across, spans from rim to rim.
    assert bridge.finding.figure == pytest.approx(77.2, abs=0.1) and window.tabs.tabs["proof"]._badge == 1
    assert next(c.text for c in window.block._cells if c.caption == "FINDINGS") == "0 stop, 1 look at"
    show = next(b for b in sheet.left.findChildren(QPushButton) if b.text() == "show the layer")
    QTest.mouseClick(show, LEFT)
    seen()
    assert film.view.number == 58 and len(film.view.hangs.rings()) == 1 and film._zoom > 1
    QTest.mouseDClick(film, LEFT, NONE, QPoint(100, 200))
    assert film._zoom == 1
    # What hangs is drawn over the layer, in plan at true scale: a disc of 76.8 mm on a bed of 235.
    shown = pixels_of(film)
    disc = math.pi / 4 * 76.8**2 * film._scale() ** 2
    assert share(shown, theme.colour("ultramarine").name(), 12) * shown.shape[0] * shown.shape[
        1
    ] == pytest.approx(disc, rel=0.05)
    film.slider.setFocus()
    QTest.keyClick(film.slider, Qt.Key.Key_Right)
    QTest.keyClick(film.slider, Qt.Key.Key_PageDown)
    seen()
    assert film.layer == film.view.number and film.layer != 58
    # It plays, layer by layer, and stops where it is told to.
    film.slider.setValue(60)
    seen()
    QTest.mouseClick(film.play, LEFT)
    qtbot.waitUntil(lambda: film.layer >= 63, timeout=20_000)
    QTest.mouseClick(film.play, LEFT)
    at = film.layer
    QTest.qWait(250)
    assert film.layer == at and not film._timer.isActive()
    # Nearer at the wheel, and dragged.
    where = QPointF(150, 200)
    film.wheelEvent(
        QWheelEvent(
            where,
            where,
            QPoint(),
            QPoint(0, 240),
            Qt.MouseButton.NoButton,
            NONE,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
    )
    old = film.at(0, 0)
    drag(film, QPointF(100, 200), QPointF(140, 230))
    assert film._zoom > 1.4 and (film.at(0, 0) - old - QPointF(40, 30)).manhattanLength() < 1
    # Another job, another film, and until it is known none; without one none.
    window.document.start(*demo_job("coin"))
    qtbot.waitUntil(lambda: film.view is None and sheet.rehearsal.view is None, timeout=10_000)
    seen()
    assert film.view.layers < 71
    window.document.start(Job(), {})
    qtbot.waitUntil(lambda: film.view is None and sheet.rehearsal.view is None, timeout=10_000)


def test_every_bed_has_its_film(window, seen):
    """Two sections on two beds: a click on a bed shows its film; a change is rehearsed anew."""
    printer = Printer(bed=(110.0, 110.0, 100.0))
    job = Job(
        name="Two",
        base=PlateBase(200.0, 60.0, 2.0, 0.0),
        cuts=(Cut("x", 0.0),),
        printer=printer,
        keys=Keys(kind="none"),
    )
    window.document.start(job, {})
    window.show_sheet("proof")
    seen()
    sheet, film = window.sheets["proof"], window.film
    assert (
        len(sheet.rehearsal.view.beds) == 2
        and film.bed == 1
        and "bed 2: 10 layers" in sheet.print_lines.text()
    )
    sheet.beds.grab()
    QTest.mouseClick(sheet.beds, LEFT, NONE, sheet.beds._boxes[1].center().toPoint())
    seen()
    assert film.view.bed == 2 and film.view.number == 10
    # Each bed is shown at its own place.
    points = film.view.areas[0].rings.points
    assert points[:, 0].min() >= 0 and points[:, 0].max() <= 110
    thicker = replace(window.document.job, base=PlateBase(200.0, 60.0, 3.0, 0.0))
    window.document.edit("thicker", thicker)
    seen()
    assert sheet.rehearsal.view.beds[0].layers == 15
