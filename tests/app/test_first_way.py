"""A picture that is dropped on the window is traced in the way that suits it, and that is said."""

from __future__ import annotations

import numpy as np
import pytest
from bench.gallery import drawn, on_a_desk, saved, strokes_of
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from tests.app.test_path import LEFT, drop
from tests.conftest import png
from tests.core.test_first_trace import shadowed
from tests.core.test_gradients import button
from tests.core.test_light import BADGE, plain
from tests.core.test_light import shadowed as shadow_over
from tests.core.test_small_letters import page

from cutkey.app.widgets.basics import Card
from cutkey.core.model.table_edits import Widen
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.steps.shadow import RemoveShadow
from cutkey.core.steps.square import Square
from cutkey.core.steps.turn import Turn


def test_a_sprite_is_traced_by_squares_and_a_soft_shadow_is_kept_with_a_click(window, settle, tmp_path):
    sprite = np.full((12, 12, 3), 255, np.uint8)
    sprite[2:10, 3:9] = (200, 40, 40)
    sprite[4, 4] = sprite[4, 7] = sprite[7:9, 5:7] = (20, 20, 40)
    (tmp_path / "sprite.png").write_bytes(png(sprite))
    drop(window, tmp_path / "sprite.png")
    settle(window)
    assert window.desk.spec().trace.mode == "pixels" and "pixel art" in window.message.text
    assert window.sheets["trace"].settings.mode.choice == "pixels"
    rgb, alpha = shadowed()
    (tmp_path / "disc.png").write_bytes(saved(np.dstack([rgb, alpha]), "PNG"))
    drop(window, tmp_path / "disc.png")
    settle(window)
    notes = window.sheets["trace"].notes
    assert window.desk.spec().trace == TraceSettings() and len(window.desk.graphic_view().measures) == 1
    assert notes.soft.isVisibleTo(notes) and "soft shadow" in notes.subtitle.text()
    # What is looked at is the picture as it came, not the colour that stands for nothing.
    seen = window.desk.graphic_view().picture.pixels
    assert (seen[0, 0] == 255).all()
    QTest.mouseClick(notes.soft, LEFT)
    settle(window)
    assert window.desk.spec().trace.keep_soft and len(window.desk.graphic_view().measures) == 2
    assert window.document.undo_text == "change soft shadow"


def test_a_sheet_on_a_desk_is_squared_up_and_offered_again(window, settle, tmp_path):
    badge = drawn("strokes", strokes_of(8))
    photo = on_a_desk(badge, np.random.default_rng(7), (600, 800))
    (tmp_path / "desk.jpg").write_bytes(photo.data)
    drop(window, tmp_path / "desk.jpg")
    settle(window)
    spec = window.desk.spec()
    assert isinstance(spec.trace.steps[0], Square) and "squared up" in window.message.text
    assert 20 < spec.width_mm < 216
    # With the step taken out it is among the ways that suit the picture.
    trace = window.sheets["trace"]
    trace._set_steps("without", (), False)
    settle(window)
    QTest.mouseClick(trace.ways.ask, LEFT)
    settle(window)
    assert "sheet" in trace.ways.ways and len(trace.ways.ways) <= 5
    # What is chosen after the asking stays.
    trace._add_step(Turn(90.0))
    settle(window)
    QTest.mouseClick(trace.ways.ways["sheet"], LEFT)
    settle(window)
    steps = window.desk.spec().trace.steps
    assert isinstance(steps[0], Square) and Turn(90.0) in steps and trace.ways.ways["sheet"].isChecked()


def test_a_picture_that_is_still_traced_is_called_a_draft(window, settle, tmp_path):
    (tmp_path / "sprite.png").write_bytes(
        png(np.full((40, 40, 3), 255, np.uint8) - np.eye(40, dtype=np.uint8)[..., None] * 200)
    )
    drop(window, tmp_path / "sprite.png")
    settle(window)
    table = window.table
    ready = table.grab().toImage()
    table._view = table._view._replace(draft=True)
    assert table.grab().toImage() != ready


def test_a_hard_shadow_is_taken_out_by_a_step_that_can_be_switched_off(window, settle, tmp_path):
    photo = shadow_over(plain(BADGE), 0.3, 4.0).round().astype(np.uint8)
    (tmp_path / "photo.jpg").write_bytes(saved(photo, "JPEG", quality=92))
    drop(window, tmp_path / "photo.jpg")
    settle(window)
    assert [type(s) for s in window.desk.spec().trace.steps] == [RemoveShadow]
    assert "hard shadow" in window.message.text and "Remove shadow" in window.message.text
    assert len(window.desk.graphic_view().measures) == 3
    trace = window.sheets["trace"]
    trace._set_steps("off", (RemoveShadow(on=False),), False)
    settle(window)
    assert len(window.desk.graphic_view().measures) > 3
    # What suits it says so too.
    QTest.mouseClick(trace.ways.ask, LEFT)
    settle(window)
    assert "hard shadow" in trace.ways.subtitle.text()


def test_small_letters_are_kept_and_narrow_places_widened_by_a_click(window, settle, tmp_path):
    rgb, count = page()
    (tmp_path / "page.png").write_bytes(saved(rgb, "PNG"))
    drop(window, tmp_path / "page.png")
    settle(window)
    trace = window.sheets["trace"]
    trace._change("width", width_mm=25.0)
    settle(window)
    notes = trace.notes
    assert f"{count} letters" in notes.subtitle.text() and notes.letters.isVisibleTo(notes)
    QTest.mouseClick(notes.letters, LEFT)
    settle(window)
    assert window.desk.spec().trace.despeckle_mm2 < 0.3 and not notes.letters.isVisibleTo(notes)
    assert sum(m.pieces for m in window.desk.graphic_view().measures) == count + 1
    # They are narrower than a line; widened, they are not.
    assert notes.widen.isVisibleTo(notes)
    QTest.mouseClick(notes.widen, LEFT)
    settle(window)
    assert isinstance(window.desk.spec().edits[-1], Widen)
    nozzle = window.desk.job.printer.nozzle
    assert min(m.narrowest for m in window.desk.graphic_view().measures) >= 0.9 * nozzle


def test_a_soft_gradient_is_one_colour_and_a_click_keeps_its_steps(window, settle, tmp_path):
    (tmp_path / "button.png").write_bytes(png(button()))
    drop(window, tmp_path / "button.png")
    settle(window)
    sheet, notes = window.sheets["trace"], window.sheets["trace"].notes
    assert window.desk.spec().trace == TraceSettings(join_gradients=True)
    assert "soft gradient" in window.message.text and "soft gradient" in notes.subtitle.text()
    assert len(window.desk.graphic_view().measures) == 3
    QTest.mouseClick(notes.gradients, LEFT)
    settle(window)
    assert window.desk.spec().trace == TraceSettings() and len(window.desk.graphic_view().measures) == 8
    assert "steps of a soft gradient" in notes.subtitle.text()
    assert window.document.undo_text == "change gradients"
    # It is among the ways that suit the picture too.
    QTest.mouseClick(sheet.ways.ask, LEFT)
    settle(window)
    QTest.mouseClick(sheet.ways.ways["gradients"], LEFT)
    settle(window)
    assert window.desk.spec().trace == TraceSettings(join_gradients=True)


def test_the_corners_of_a_sheet_are_dragged_on_the_picture_as_it_was(window, settle, tmp_path):
    photo = on_a_desk(drawn("strokes", strokes_of(8)), np.random.default_rng(7), (600, 800))
    (tmp_path / "desk.jpg").write_bytes(photo.data)
    drop(window, tmp_path / "desk.jpg")
    settle(window)
    trace, table = window.sheets["trace"], window.table
    found = window.desk.spec().trace.steps[0]
    card = trace.steps.findChildren(Card)[0]
    QTest.mouseClick(card, LEFT, pos=QPoint(30, 8))
    QTest.mouseClick(trace.steps.corners, LEFT)
    settle(window)
    # The whole photograph is shown, its corners where they were found.
    assert table._view.picture.pixels.shape[:2] == (800, 600)
    assert np.allclose(table.to_fractions(table.gesture.places), found.corners, atol=1e-6)
    at = [table.to_widget(x, -y).toPoint() for x, y in table.gesture.places]
    QTest.mousePress(table, LEFT, pos=at[0])
    QTest.mouseMove(table, at[0] + QPoint(8, 5))
    QTest.mouseMove(table, at[0] + QPoint(20, 10))
    QTest.mouseRelease(table, LEFT, pos=at[0] + QPoint(20, 10))
    QTest.keyClick(table, Qt.Key.Key_PageDown)
    QTest.keyClick(table, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    QTest.mouseClick(trace.steps.corners, LEFT)
    settle(window)
    moved = window.desk.spec().trace.steps[0]
    assert table.gesture is None and window.document.undo_text == "change square up"
    px = [(b[0] - a[0], b[1] - a[1]) for a, b in zip(found.corners, moved.corners, strict=True)]
    assert px[0][0] > 0.01 and px[0][1] > 0.005 and px[1][1] > 0.005 and abs(px[1][0]) < 1e-6
    assert px[2] == pytest.approx((0, 0), abs=1e-6) and moved.proportion == found.proportion
    assert table._view is window.desk.graphic_view()
    # Corners that cross are refused and stay in the hand; Esc leaves the step as it was.
    QTest.mouseClick(trace.steps.corners, LEFT)
    settle(window)
    gesture = table.gesture
    gesture.places[0], gesture.places[1] = gesture.places[1], gesture.places[0]
    QTest.keyClick(table, Qt.Key.Key_Return)
    assert "no rectangle" in window.message.text and table.gesture is gesture
    QTest.keyClick(table, Qt.Key.Key_Escape)
    settle(window)
    assert window.desk.spec().trace.steps[0] == moved and table._view is window.desk.graphic_view()
