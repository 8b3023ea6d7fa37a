"""The light table in the real window: preparation steps, picked pieces, tools, sizes, all by mouse and
keyboard."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QCheckBox, QPushButton
from tests.app.test_path import drag, drop, type_into
from tests.conftest import checker, png

from cutkey.app.widgets.basics import Card
from cutkey.core.model import table_edits as e
from cutkey.core.model.file import open_job, save_job
from cutkey.core.steps.crop import Crop
from cutkey.core.steps.light import EvenLight
from cutkey.core.steps.paint import Paint
from cutkey.core.steps.turn import Turn

LEFT, NONE, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


@pytest.fixture
def table(window, settle, tmp_path):
    """A window with the checker picture, 60 mm wide."""
    (tmp_path / "a.png").write_bytes(png(checker(200)))
    drop(window, tmp_path / "a.png")
    settle(window)
    window.table.wipe = 0.0
    return window.table


def colours(window) -> set[str]:
    return {m.colour for m in window.desk.graphic_view().measures}


def spec(window):
    return window.desk.spec()


def at(table, x: float, y: float) -> QPointF:
    """Widget place of a point in mm, y up."""
    return table.to_widget(x, -y)


def choose(window, text: str) -> None:
    """An entry of the menu of preparation steps."""
    menu = window.sheets["trace"].more.menu()
    next(a for a in menu.actions() if a.text() == text).trigger()


def middles(window) -> dict[str, tuple[float, float]]:
    """A place inside each colour, mm."""
    from cutkey.app.sheets.trace.piece_tools import colour_at, insides

    view = window.desk.graphic_view()
    return {colour_at(view, p): p for p in insides(view)}


def test_a_crop_is_dragged_switched_off_and_undone(window, table, settle):
    choose(window, "Crop to a rectangle")
    assert table.gesture.kind == "box" and table.wipe > 0.9
    box = table._image_box()
    drag(
        table,
        table.to_widget(box.left() + 1, box.top() + 1),
        table.to_widget(box.center().x(), box.bottom() - 1),
    )
    settle(window)
    step = spec(window).trace.steps[0]
    assert isinstance(step, Crop) and step.first == pytest.approx(
        (1 / box.width(), 1 / box.height()), abs=0.01
    )
    assert colours(window) == {"#1e1e1e"} and window.desk.graphic_view().picture.pixels.shape[
        1
    ] == pytest.approx(100, abs=3)
    card = window.sheets["trace"].steps.findChild(Card)
    QTest.mouseClick(card.findChild(QCheckBox), LEFT)
    settle(window)
    assert colours(window) == {"#1e1e1e", "#e0a32a"} and not spec(window).trace.steps[0].on
    assert window.document.undo_text == "change crop"
    window.document.undo()
    window.document.undo()
    settle(window)
    assert spec(window).trace.steps == () and table.wipe == 0.0


def test_steps_are_opened_changed_moved_and_removed(window, table, settle):
    choose(window, "Turn a quarter")
    choose(window, "Even light")
    settle(window)
    steps = window.sheets["trace"].steps
    card = next(c for c in steps.findChildren(Card) if c.title.text() == "Even light")
    earlier = next(b for b in card.findChildren(QPushButton) if b.text() == "earlier")
    QTest.mouseClick(earlier, LEFT)
    settle(window)
    assert [type(s) for s in spec(window).trace.steps] == [EvenLight, Turn]
    card = next(c for c in steps.findChildren(Card) if c.title.text() == "Turn" and not c.isHidden())
    QTest.mouseClick(card.title, LEFT)
    settle(window)
    card = next(c for c in steps.findChildren(Card) if c.property("picked") and not c.isHidden())
    field = card.findChild(window.sheets["trace"].settings.count.__class__)
    type_into(field, "180")
    settle(window)
    assert spec(window).trace.steps[1].degrees == 180
    # The amber square has changed sides.
    assert middles(window)["#e0a32a"][0] < 0
    gone = next(b for b in card.findChildren(QPushButton) if b.text() == "remove")
    QTest.mouseClick(gone, LEFT)
    settle(window)
    assert [type(s) for s in spec(window).trace.steps] == [EvenLight]


def test_a_brush_stays_in_the_hand_until_esc(window, table, settle):
    window.sheets["trace"].colours._light("#e0a32a")
    choose(window, "Paint over with a brush")
    assert table.gesture.ink == "#e0a32a"
    x, y = middles(window)["#1e1e1e"]
    for dy in (0.0, 4.0):
        drag(table, at(table, x - 8, y + dy), at(table, x + 8, y + dy))
    settle(window)
    assert [type(s) for s in spec(window).trace.steps] == [Paint, Paint] and table.gesture is not None
    before = next(m.area for m in window.desk.graphic_view().measures if m.colour == "#e0a32a")
    assert before > 1.05 * 30 * 22.5 * 0.4
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.gesture is None and table.wipe == 0.0


def test_pieces_are_picked_deleted_and_brought_back(window, table, settle):
    places = middles(window)
    QTest.mouseClick(table, LEFT, NONE, at(table, *places["#1e1e1e"]).toPoint())
    view = window.sheets["trace"]
    assert len(table.picks) == 1 and view.picked.isVisible()
    QTest.mouseClick(table, LEFT, SHIFT, at(table, *places["#e0a32a"]).toPoint())
    assert view.picked.subtitle.text() == "2 pieces"
    QTest.mouseClick(view.picked.buttons["join"], LEFT)
    settle(window)
    assert colours(window) == {"#1e1e1e"} and window.document.undo_text == "join"
    QTest.mouseClick(table, LEFT, NONE, at(table, *places["#e0a32a"]).toPoint())
    QTest.keyClick(window, Qt.Key.Key_Delete)
    settle(window)
    assert [m.pieces for m in window.desk.graphic_view().measures] == [1]
    # The edit is a card: switched off, the piece is back.
    card = view.edits.findChildren(Card)[0]
    QTest.mouseClick(card.findChild(QCheckBox), LEFT)
    settle(window)
    assert [m.pieces for m in window.desk.graphic_view().measures] == [2]


def test_a_piece_that_was_deleted_stays_deleted_at_another_size(window, table, settle):
    def area():
        return sum(m.area for m in window.desk.graphic_view().measures)

    table.pick([middles(window)["#e0a32a"]])
    QTest.keyClick(window, Qt.Key.Key_Delete)
    settle(window)
    left, width = area(), spec(window).width_mm
    type_into(window.sheets["trace"].size.width_field, str(1.5 * window.desk.graphic_view().size[0]))
    settle(window)
    assert (
        colours(window) == {"#1e1e1e"}
        and area() == pytest.approx(2.25 * left, rel=1e-3)
        and spec(window).width_mm > width
    )


def test_a_lasso_picks_and_a_number_grows(window, table, settle):
    view = window.sheets["trace"]
    QTest.mouseClick(view.tools[0], LEFT)
    x, y = middles(window)["#e0a32a"]
    corners = [at(table, x + a, y + b) for a, b in ((-15, -25), (15, -25), (15, 25), (-15, 25))]
    QTest.mousePress(table, LEFT, NONE, corners[0].toPoint())
    for p in corners[1:]:
        QTest.mouseMove(table, p.toPoint())
    QTest.mouseRelease(table, LEFT, NONE, corners[-1].toPoint())
    assert len(table.picks) == 1
    before = next(m.area for m in window.desk.graphic_view().measures if m.colour == "#e0a32a")
    type_into(view.picked.amount, "1/2")
    next(a for a in view.picked.menu.actions() if a.text().startswith("Grow")).trigger()
    settle(window)
    edit = spec(window).edits[0]
    assert isinstance(edit, e.Offset) and edit.mm == 0.5
    after = next(m.area for m in window.desk.graphic_view().measures if m.colour == "#e0a32a")
    w, h = np.sqrt(before * 75 / 100), np.sqrt(before * 100 / 75)
    assert after == pytest.approx((w + 1) * (h + 1), rel=0.01)


def test_two_places_and_their_true_distance_give_the_size(window, table, settle):
    view = window.sheets["trace"]
    QTest.mouseClick(view.tools[1], LEFT)
    drag(table, at(table, -20, 0), at(table, 20, 0))
    assert view.size.distance.isVisible() and view.size.distance.value == pytest.approx(40, abs=0.3)
    measured = view.size.distance.value
    type_into(view.size.distance, "25.7")
    settle(window)
    assert spec(window).width_mm == pytest.approx(60 * 25.7 / measured, rel=1e-4)
    # The height keeps the proportion, and inches are understood.
    w, h = window.desk.graphic_view().size
    type_into(view.size.height_field, "2in")
    settle(window)
    assert window.desk.graphic_view().size == pytest.approx((w * 50.8 / h, 50.8), rel=1e-3)


def test_text_is_added_in_front_and_a_plate_behind(window, table, settle):
    view = window.sheets["trace"]
    view.colours._light("#1e1e1e")
    QTest.mouseClick(view.form_button, LEFT)
    view.added.text.setPlainText("OK")
    type_into(view.added.numbers["size"][0], "5")
    type_into(view.added.numbers["x"][0], "13")
    QTest.mouseClick(view.added.done, LEFT)
    settle(window)
    black = next(m for m in window.desk.graphic_view().measures if m.colour == "#1e1e1e")
    assert black.pieces == 3 and spec(window).edits[0].text == "OK"
    view.added.kind.setCurrentIndex(view.added.kind.findData("rectangle"))
    assert not view.added.text.isVisible()
    QTest.mouseClick(view.added.behind.button("behind"), LEFT)
    type_into(view.added.numbers["width"][0], "80")
    type_into(view.added.numbers["x"][0], "0")
    QTest.mouseClick(view.added.done, LEFT)
    settle(window)
    assert window.desk.graphic_view().size[0] == pytest.approx(80, abs=0.01)


def test_the_ways_that_suit_a_picture_are_shown_and_one_click_takes_one(window, settle, qtbot, tmp_path):
    # Bars of ink on grey paper, lit from one side.
    y, x = np.mgrid[:160, :240]
    paper = np.where((y % 40 < 10) & (x > 30) & (x < 200), 40.0, 225.0) + np.random.default_rng(1).normal(
        0, 5, (160, 240)
    )
    lit = np.clip(paper * (0.45 + 0.55 * x / 240), 0, 255).astype(np.uint8)
    (tmp_path / "note.png").write_bytes(png(np.repeat(lit[..., None], 3, 2)))
    drop(window, tmp_path / "note.png")
    settle(window)
    card, before = window.sheets["trace"].ways, spec(window).trace
    QTest.mouseClick(card.ask, LEFT)
    qtbot.waitUntil(lambda: bool(card.ways), timeout=20_000)
    # It has no holes: its silhouette is what is dark, and told once.
    assert list(card.ways) == ["dark", "levels", "lines"] and "on paper" in card.subtitle.text()
    assert all("%" in b.text() and "1 colour" in b.text() for b in (card.ways["dark"], card.ways["lines"]))
    assert all(not b.icon().isNull() and b.isVisible() for b in card.ways.values())
    # What suits it best was taken at once.
    assert before.mode == "threshold" and before.steps == (EvenLight(),) and card.ways["dark"].isChecked()
    # Four bars of 169 x 10 px; with the light as it was the dark side would go with them.
    view = window.desk.graphic_view()
    assert sum(m.area for m in view.measures) * view.px_per_mm**2 == pytest.approx(4 * 1690, rel=0.05)
    # What was chosen since then stays.
    window.sheets["trace"]._add_step(Turn(2.0))
    settle(window)
    QTest.mouseClick(card.ways["lines"], LEFT)
    settle(window)
    assert spec(window).trace.steps == (EvenLight(), Turn(2.0)) and spec(window).trace.shape == "linework"
    for _ in range(2):
        window.document.undo()
    settle(window)
    assert spec(window).trace == before and card.ways and card.ways["dark"].isChecked()


def test_pixel_art_is_chosen_and_saved_and_a_field_that_went_with_the_background_is_noted(
    window, settle, tmp_path
):
    art = np.full((20, 20, 3), 255, np.uint8)
    art[:6] = (252, 252, 252)
    art[8:14, 6:14] = 0
    art[10, 8] = art[10, 11] = (200, 40, 40)
    (tmp_path / "art.png").write_bytes(png(np.kron(art, np.ones((12, 12, 1), np.uint8))))
    drop(window, tmp_path / "art.png")
    settle(window)
    trace = window.sheets["trace"]
    assert spec(window).trace.mode == "pixels"
    view = window.desk.graphic_view()
    # By squares every colour is its own, the pale field too; the card says the size that the file has.
    wanted = {"#fcfcfc": 120, "#000000": 46, "#c82828": 2}
    side = spec(window).width_mm / view.size[0] * view.size[0] / 20
    assert {m.colour: m.area for m in view.measures} == {
        c: pytest.approx(n * side * side, rel=1e-6) for c, n in wanted.items()
    }
    assert "240 × 240 px" in trace.picture.subtitle.text() and not trace.notes.isVisible()
    save_job(tmp_path / "art.cutkey", window.document.job, window.document.sources)
    QTest.mouseClick(trace.settings.mode.button("colours"), LEFT)
    settle(window)
    assert trace.notes.isVisible()
    assert "#fcfcfc, 30 % of the picture, is so like the background" in trace.notes.subtitle.text()
    job, _ = open_job(tmp_path / "art.cutkey")
    assert job.graphics[0].trace.mode == "pixels" and spec(window).trace.mode == "colours"


def test_the_worst_place_is_one_click_away_and_the_fringe_can_be_hidden(window, table, settle):
    view, colour_panel = window.sheets["trace"], window.sheets["trace"].colours
    assert "mean" in colour_panel.off.subtitle.text()
    shown = table.grab().toImage()
    QTest.mouseClick(view.marks["fringe"], LEFT)
    assert table.grab().toImage() != shown and "fringe" in table.marks
    QTest.mouseClick(view.marks["fringe"], LEFT)
    scale = table._scale
    QTest.mouseClick(colour_panel.worst, LEFT)
    assert table._scale > 2 * scale
    worst = window.desk.graphic_view().off.worst
    assert table.to_mm(table._area().center()).x() == pytest.approx(worst[0], abs=1e-3)


def test_a_second_graphic_of_a_picture_keeps_its_scale(window, table, settle):
    view = window.sheets["trace"]
    QTest.mouseClick(view.twin, LEFT)
    settle(window)
    first, second = window.document.job.graphics
    assert first.whole and second.whole and first.width_mm == second.width_mm
    size = window.desk.graphic_view().size
    assert size[0] == pytest.approx(60, rel=0.01)
    type_into(view.size.width_field, "30")
    settle(window)
    assert len({g.width_mm for g in window.document.job.graphics}) == 1
    assert window.desk.graphic_view().size[0] == pytest.approx(30, rel=0.01)


def test_a_draft_is_there_before_the_trace(window, qtbot, settle, tmp_path):
    """While a number is stepped, something is shown long before the whole trace is done."""
    (tmp_path / "a.png").write_bytes(png(checker(1000)))
    seen: list[bool] = []
    window.engine.updated.connect(
        lambda kind: seen.append(window.desk.graphic_view().draft) if window.desk.graphic_view() else None
    )
    drop(window, tmp_path / "a.png")
    settle(window)
    assert seen[0] is True and seen[-1] is False
    assert window.sheets["trace"].colours.off.subtitle.text() != "measuring…"


def test_what_no_nozzle_draws_joins_what_is_beside_it(window, settle, tmp_path):
    body = '<rect width="40" height="40" fill="#c03020"/><rect x="40" width="0.3" height="40" fill="#111"/>'
    body += '<rect x="40.3" width="39.7" height="40" fill="#2040a0"/>'
    (tmp_path / "a.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="40mm" viewBox="0 0 80 40">{body}</svg>'
    )
    drop(window, tmp_path / "a.svg")
    settle(window)
    view = window.sheets["trace"]
    assert (
        "1 colour has places narrower than 0.4 mm" in view.notes.subtitle.text()
        and view.printable.isVisible()
    )
    QTest.mouseClick(view.printable, LEFT)
    settle(window)
    assert "12 mm² joined other colours" in view.notes.subtitle.text() and view.printable.isHidden()
    assert len(window.desk.graphic_view().measures) == 2 and window.document.undo_text == "as printable"


def test_a_drawing_has_notes_and_its_open_lines_are_closed(window, settle, tmp_path):
    body = '<path d="M10 10h50v40" fill="none" stroke="#c00" stroke-width="2"/><image href="a.png"/>'
    (tmp_path / "a.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 80 80">{body}</svg>'
    )
    drop(window, tmp_path / "a.svg")
    settle(window)
    view = window.sheets["trace"]
    assert (
        "embedded pictures" in view.notes.subtitle.text() and "1 line is open" in view.notes.subtitle.text()
    )
    before = sum(m.area for m in window.desk.graphic_view().measures)
    QTest.mouseClick(view.close_lines, LEFT)
    settle(window)
    assert sum(m.area for m in window.desk.graphic_view().measures) > 3 * before
    assert view.more.isHidden() and view.settings.shape_card.isHidden()
