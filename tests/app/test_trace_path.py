"""The Trace sheet by mouse: colours, the light table, thresholds, warnings."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from tests.app.test_path import LEFT, NONE, drag, drop, type_into
from tests.conftest import checker, png

from cutkey.app.table.chip import Chip


def test_colours_are_merged_by_dropping_one_on_another(window, settle, tmp_path):
    (tmp_path / "a.png").write_bytes(png(checker(120)))
    drop(window, tmp_path / "a.png")
    settle(window)
    trace = window.sheets["trace"]
    chips = [trace.colours.chips.itemAt(k).widget() for k in range(2)]
    amber, black = sorted(chips, key=lambda c: c.colour != "#e0a32a")
    data = QMimeData()
    data.setData("application/x-cutkey-colour", black.colour.encode())
    QApplication.sendEvent(amber, QDragEnterEvent(QPoint(5, 5), Qt.DropAction.MoveAction, data, LEFT, NONE))
    QApplication.sendEvent(amber, QDropEvent(QPointF(5, 5), Qt.DropAction.MoveAction, data, LEFT, NONE))
    settle(window)
    assert [m.colour for m in window.desk.graphic_view().measures] == ["#e0a32a"]
    QTest.mouseClick(trace.colours.separate, LEFT)
    settle(window)
    assert len(window.desk.graphic_view().measures) == 2


def test_the_light_table_wipes_zooms_and_picks_the_background(window, settle, qtbot, tmp_path):
    (tmp_path / "a.png").write_bytes(png(checker(200)))
    drop(window, tmp_path / "a.png")
    settle(window)
    table, trace = window.table, window.sheets["trace"]
    left = table.grab().toImage()
    drag(table, QPointF(table._split_x(), table.height() / 2), QPointF(40, table.height() / 2))
    assert table.wipe < 0.06
    assert table.grab().toImage() != left
    table.fit()
    amber = table.to_widget(*(np.array([0.25, 0.0]) * window.desk.graphic_view().size))
    assert table.colour_at(amber) == "#e0a32a"
    # The wheel zooms about the mouse: the place under it stays, the rest grows.
    where, scale = table.to_mm(amber), table._scale
    turn = QWheelEvent(
        amber,
        table.mapToGlobal(amber),
        QPoint(),
        QPoint(0, 360),
        Qt.MouseButton.NoButton,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(table, turn)
    assert table._scale > 1.5 * scale and table.to_mm(amber).x() == pytest.approx(where.x(), abs=1e-6)
    QTest.mouseDClick(table, LEFT, NONE, amber.toPoint())
    assert table._scale == pytest.approx(scale)
    # Take the amber square away too: only the disc is left.
    QTest.mouseClick(trace.settings.background.button("click"), LEFT)
    assert table.gesture is not None and table.wipe > 0.9
    QTest.mouseClick(table, LEFT, NONE, amber.toPoint())
    settle(window)
    assert {m.colour for m in window.desk.graphic_view().measures} == {"#1e1e1e"}
    assert window.document.undo_text == "take away" and table.gesture is None and table.wipe < 0.1


def test_threshold_and_levels_from_the_panel(window, settle, tmp_path):
    (tmp_path / "a.png").write_bytes(png(checker(120)))
    drop(window, tmp_path / "a.png")
    settle(window)
    trace = window.sheets["trace"]
    QTest.mouseClick(trace.settings.mode.button("threshold"), LEFT)
    settle(window)
    view = window.desk.graphic_view()
    assert view.picture.threshold is not None and len(view.measures) == 1
    strip = trace.histogram
    span = strip._span()
    drag(
        strip,
        QPointF(span.left() + span.width() * view.picture.threshold, 60),
        QPointF(span.left() + span.width() * 0.8, 60),
    )
    settle(window)
    assert window.desk.graphic_view().picture.threshold == pytest.approx(0.8, abs=0.02)
    # Now amber counts as dark too.
    assert [m.pieces for m in view.measures] == [1] and [
        m.pieces for m in window.desk.graphic_view().measures
    ] == [2]
    trace.settings.shape.setCurrentIndex(1)
    trace.settings.shape.activated.emit(1)
    settle(window)
    assert window.document.job.graphics[0].trace.shape == "silhouette"
    # Levels have several thresholds, each dragged by itself.
    QTest.mouseClick(trace.settings.mode.button("levels"), LEFT)
    settle(window)
    before = window.desk.graphic_view().picture.thresholds
    assert len(before) > 1
    drag(
        strip,
        QPointF(span.left() + span.width() * before[0], 60),
        QPointF(span.left() + span.width() * (before[0] - 0.05), 60),
    )
    settle(window)
    after = window.desk.graphic_view().picture.thresholds
    assert after[0] == pytest.approx(before[0] - 0.05, abs=0.02) and after[1:] == pytest.approx(
        before[1:], abs=1e-6
    )


def test_chips_warn_of_pieces_thinner_than_the_nozzle(window, settle, tmp_path):
    rgb = np.full((200, 200, 3), 255, np.uint8)
    rgb[20:180, 20:60] = rgb[98:100, 60:180] = (30, 30, 30)
    rgb[40:60, 100:104] = (200, 40, 30)
    (tmp_path / "thin.png").write_bytes(png(rgb))
    drop(window, tmp_path / "thin.png")
    settle(window)
    type_into(window.sheets["trace"].size.width_field, "10")
    settle(window)
    chips = [window.sheets["trace"].colours.chips.itemAt(k).widget() for k in range(2)]
    assert all(isinstance(c, Chip) for c in chips)
    assert [c.subtitle.property("role") for c in chips] == ["small", "warn"]


def test_a_large_picture_says_that_it_was_reduced(window, settle, tmp_path):
    (tmp_path / "large.png").write_bytes(png(np.kron(checker(250), np.ones((16, 16, 1), np.uint8))))
    drop(window, tmp_path / "large.png")
    settle(window)
    assert "3000 × 3000 px (reduced from 4000 × 4000)" in window.sheets["trace"].picture.subtitle.text()
    # What is under the mouse is told in the title block.
    table = window.table
    QTest.mouseMove(
        table, table.to_widget(*(np.array([0.25, 0.0]) * window.desk.graphic_view().size)).toPoint()
    )
    assert window.block.now.endswith("#e0a32a")


@pytest.mark.cold
def test_a_picture_that_is_being_traced_is_said_to_be_and_has_no_height_yet(window, settle):
    window.show_sheet("place")
    assert not window.engine.drafts
    window.keeper.open_demo("lid")
    window.show_sheet("trace")
    size, table = window.sheets["trace"].size, window.table
    assert window.desk.graphic_view() is None
    assert table.empty_text == "Bee is not worked out yet."
    assert size.height_field.text() == "–" and not size.width_field.isEnabled()
    # Nor is a filament said to print nothing, or taken off, before anybody knows.
    window.show_sheet("colour")
    rack = window.sheets["colour"].rack
    cards = [rack.itemAt(k).widget() for k in range(rack.count())]
    assert {card.subtitle.text() for card in cards} == {"not worked out yet"}
    assert all(not card.context().actions()[-1].isEnabled() for card in cards)
    assert window.stage.empty_text == "The model is not worked out yet."
    settle(window)
    window.show_sheet("trace")
    assert size.width_field.isEnabled() and size.height_field.value > 10
