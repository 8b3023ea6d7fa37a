"""Actions on picked pieces and tools of the table, in the real window."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QPushButton
from tests.app.test_light_table import at, colours, middles, spec, table  # noqa: F401
from tests.app.test_path import drag, type_into

from cutkey.app.sheets.trace.piece_tools import insides
from cutkey.app.widgets.basics import Card
from cutkey.core.artwork.svg_read import read_svg
from cutkey.core.curves import bending
from cutkey.core.geometry.pieces import LINE, bezier
from cutkey.core.lettering.fonts import font_bytes, installed_fonts, kept_in_jobs
from cutkey.core.model import table_edits as e
from cutkey.core.model.file import open_job, save_job
from cutkey.core.steps.square import Square
from cutkey.core.steps.take_away import TakeAway
from cutkey.core.steps.turn import Turn

LEFT, NONE, SHIFT = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def pick(table, *places):  # noqa: F811
    table.pick(list(places))


def test_every_action_of_the_card_makes_its_edit(window, table, settle):  # noqa: F811
    view = window.sheets["trace"]
    place = middles(window)["#e0a32a"]
    for key, kind in (
        ("delete", e.Delete),
        ("absorb", e.Absorb),
        ("keep", e.Keep),
        ("fill", e.FillHoles),
        ("part", e.Part),
    ):
        pick(table, place)
        QTest.mouseClick(view.picked.buttons[key], LEFT)
        assert isinstance(spec(window).edits[-1], kind) and table.picks == []
        window.document.undo()
    type_into(view.picked.amount, "1.5")
    wanted = {
        "Round": e.Round,
        "Smooth": e.Smooth,
        "Move right": e.Move,
        "Move up": e.Move,
        "Duplicate": e.Move,
    }
    for start, kind in wanted.items():
        pick(table, place)
        next(a for a in view.picked.menu.actions() if a.text().startswith(start)).trigger()
        assert isinstance(spec(window).edits[-1], kind)
        window.document.undo()
    settle(window)
    assert spec(window).edits == () and colours(window) == {"#1e1e1e", "#e0a32a"}


def test_pieces_line_up(window, table, settle):  # noqa: F811
    places = middles(window)
    pick(table, *places.values())
    next(
        a for a in window.sheets["trace"].picked.menu.actions() if a.text() == "Line up at the top"
    ).trigger()
    settle(window)
    tops = [max(r[:, 1].max() for r in rings.rings()) for _, rings in window.desk.graphic_view().regions]
    assert tops[0] == pytest.approx(tops[1], abs=0.01)


def test_tools_cut_mirror_and_move_edges(window, table, settle):  # noqa: F811
    view = window.sheets["trace"]
    x, y = middles(window)["#e0a32a"]
    QTest.mouseClick(view.tools[2], LEFT)
    assert "cut along" in table.gesture.prompt
    drag(table, at(table, x, y + 25), at(table, x, y - 25))
    settle(window)
    amber = next(m for m in window.desk.graphic_view().measures if m.colour == "#e0a32a")
    assert amber.pieces == 2 and spec(window).edits[-1].width == window.document.job.printer.nozzle
    window.document.undo()
    settle(window)
    # The seam is dragged upwards: its left hand is the black disc.
    QTest.mouseClick(view.tools[3], LEFT)
    drag(table, at(table, 0, -20), at(table, 0.3, 20))
    settle(window)
    assert colours(window) == {"#1e1e1e"} and window.desk.graphic_view().measures[0].pieces == 2
    seam = spec(window).edits[-1]
    assert seam.first[0] == pytest.approx(seam.second[0], abs=1e-9)
    window.document.undo()
    settle(window)
    right = max(r[:, 0].max() for _, rings in window.desk.graphic_view().regions for r in rings.rings())
    QTest.mouseClick(view.tools[5], LEFT)
    drag(table, at(table, right, y), at(table, right + 3, y))
    settle(window)
    grown = max(r[:, 0].max() for _, rings in window.desk.graphic_view().regions for r in rings.rings())
    assert grown > right + 1 and table.gesture is not None
    QTest.keyClick(table, Qt.Key.Key_Escape)


def test_nodes_and_handles_are_moved_made_sharp_and_taken_out(window, table, settle):  # noqa: F811
    """By mouse, by keyboard and by the card; each is a step of undo, and what was bent stays bent when
    the picture is traced anew."""
    card = window.sheets["trace"].nodes
    QTest.mouseClick(window.sheets["trace"].tools[6], LEFT)
    settle(window)
    tool, before = card.tool, len(card.tool.nodes)
    assert (
        before > 5
        and table.gesture is tool
        and card.isVisible()
        and f"{before} nodes" in card.subtitle.text()
    )
    node = next(n for n in tool.nodes if bending.is_smooth(tool.curves.control, n))
    start = at(table, *node.place)
    drag(table, start, start + QPointF(20, 0))
    settle(window)
    assert window.document.undo_text == "move a node" and isinstance(spec(window).edits[-1], e.Bend)
    assert tool.picked.place == pytest.approx((node.place[0] + 20 * table.mm_per_px, node.place[1]), abs=0.05)
    assert len(card.tool.nodes) == before and card.buttons["smooth"].isEnabled()
    x, y = tool.picked.place
    QTest.keyClick(table, Qt.Key.Key_Up, SHIFT)
    settle(window)
    assert tool.picked.place == pytest.approx((x, y + 1), abs=1e-3) and len(spec(window).edits) == 2
    handle = tool._handles()[0][1]
    tip = at(table, *handle)
    drag(table, tip, tip + QPointF(0, 18))
    settle(window)
    assert window.document.undo_text == "move a handle" and tool.smooth
    QTest.mouseClick(card.buttons["corner"], LEFT)
    settle(window)
    assert (
        window.document.undo_text == "make a corner"
        and not tool.smooth
        and "a corner" in card.subtitle.text()
    )
    QTest.mouseClick(card.buttons["smooth"], LEFT)
    settle(window)
    assert tool.smooth
    QTest.keyClick(table, Qt.Key.Key_Delete)
    settle(window)
    assert len(tool.nodes) == before - 1
    long = np.hypot(*(tool.curves.control[:, 3] - tool.curves.control[:, 0]).T)
    k = int(np.argmax(np.where(tool.curves.kind == LINE, 0, long)))
    (edge,) = bezier(tool.curves.control[k, None], np.array([0.5]))
    QTest.mouseClick(table, LEFT, NONE, at(table, *edge).toPoint())
    assert tool.edge[0] == k and card.buttons["in"].isEnabled() and not card.buttons["out"].isEnabled()
    for button, count in (("in", before), ("straight", before)):
        QTest.mouseClick(card.buttons[button], LEFT)
        settle(window)
        assert len(tool.nodes) == count, button
    edits = spec(window).edits
    assert len(edits) == 8 and "8 times" in "".join(
        c.subtitle.text() for c in window.sheets["trace"].edits.findChildren(Card)
    )
    window.sheets["trace"]._set("clean", smooth=False)
    settle(window)
    assert not any("finds no piece" in str(n) for n in window.desk.graphic_view().notes)
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert card.tool is None and not card.isVisible() and table.gesture is None
    for _ in range(9):
        window.document.undo()
    settle(window)
    assert spec(window).edits == ()


def test_a_straightened_and_a_squared_picture(window, table, settle):  # noqa: F811
    view = window.sheets["trace"]
    view.pictures.take(Turn.tools()[0])
    box = table._image_box()
    a, b = (
        table.to_widget(box.left() + 5, box.center().y()),
        table.to_widget(box.right() - 5, box.center().y() + 4),
    )
    drag(table, a, b)
    settle(window)
    step = spec(window).trace.steps[0]
    d = b.toPoint() - a.toPoint()
    assert isinstance(step, Turn) and step.degrees == pytest.approx(
        -np.degrees(np.arctan2(d.y(), d.x())), abs=0.1
    )
    window.document.undo()
    settle(window)
    view.pictures.take(Square.tools()[0])
    # Clicked in any order; they are sorted clockwise from the upper left.
    for u, v in ((0.9, 0.9), (0.1, 0.1), (0.1, 0.9), (0.9, 0.1)):
        place = table.to_widget(box.left() + u * box.width(), box.top() + v * box.height())
        QTest.mouseClick(table, LEFT, NONE, place.toPoint())
    settle(window)
    square = spec(window).trace.steps[0]
    assert isinstance(square, Square)
    assert np.array(square.corners) == pytest.approx(
        np.array([(0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)]), abs=0.02
    )


def test_colours_are_kept_renamed_and_snapped(window, table, settle):  # noqa: F811
    panel = window.sheets["trace"].colours
    QTest.mouseClick(panel.keep, LEFT)
    assert set(spec(window).trace.palette) == {"#1e1e1e", "#e0a32a", "#ffffff"}
    settle(window)
    panel._light("#e0a32a")
    panel.name.setFocus()
    panel.name.selectAll()
    QTest.keyClicks(panel.name, "Honey")
    QTest.keyClick(panel.name, Qt.Key.Key_Return)
    settle(window)
    assert spec(window).trace.names == (("#e0a32a", "Honey"),)
    QTest.mouseClick(panel.snap, LEFT)
    settle(window)
    rack = {f.colour for f in window.document.job.rack}
    assert colours(window) <= rack
    QTest.mouseClick(panel.free, LEFT)
    assert spec(window).trace.palette == ()


def test_the_graphic_is_saved_as_a_drawing(window, table, settle, tmp_path, monkeypatch):  # noqa: F811
    out = tmp_path / "out.svg"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    window.files.save_drawing()
    settle(window)
    back = read_svg(out.read_bytes(), "out.svg")
    assert back.width_mm == pytest.approx(60, abs=0.01) and {r.colour for r in back.regions} == colours(
        window
    )
    assert "out.svg was written" in window.message.text
    window.table.start(None)
    window.sheets["trace"].pictures.take(TakeAway.tools()[0])
    box = table._image_box()
    QTest.mouseClick(table, LEFT, NONE, table.to_widget(box.left() + 1, box.top() + 1).toPoint())
    settle(window)
    assert isinstance(spec(window).trace.steps[0], TakeAway)


def bounds(window) -> list[tuple[float, float, float, float]]:
    """Outer boxes of all pieces, mm, from the left."""
    rings = [r for _, g in window.desk.graphic_view().regions for r in g.rings()]
    return sorted((r[:, 0].min(), r[:, 1].min(), r[:, 0].max(), r[:, 1].max()) for r in rings)


def test_pieces_are_spread_and_centred(window, table, settle):  # noqa: F811
    places = middles(window)
    menu = {a.text(): a for a in window.sheets["trace"].picked.menu.actions()}
    for far in ("70", "-70"):
        pick(table, places["#1e1e1e"])
        type_into(window.sheets["trace"].picked.amount, far)
        menu["Duplicate to the right by it"].trigger()
        settle(window)
    table.pick(list(insides(window.desk.graphic_view())))
    menu["Spread evenly sideways"].trigger()
    settle(window)
    boxes = bounds(window)
    gaps = [b[0] - a[2] for a, b in pairwise(boxes)]
    assert len(boxes) == 4 and max(gaps) - min(gaps) < 0.05
    table.pick(list(insides(window.desk.graphic_view())))
    menu["Centre on a level line"].trigger()
    settle(window)
    middle = [(b[1] + b[3]) / 2 for b in bounds(window)]
    assert max(middle) - min(middle) < 0.05


def test_line_work_gives_strokes_of_a_pasted_picture(window, table, settle):  # noqa: F811
    """A drawn ring of 8 px becomes a stroke of that width; pasted, so nothing is on disk."""
    y, x = np.mgrid[:200, :200]
    share = np.clip(4.5 - np.abs(np.hypot(x - 99.5, y - 99.5) - 70), 0, 1)
    ring = np.round(255 * (1 - share)).astype(np.uint8)
    QApplication.clipboard().setImage(
        QImage(ring.data, 200, 200, 200, QImage.Format.Format_Grayscale8).copy()
    )
    window.files.paste()
    settle(window)
    view = window.sheets["trace"]
    type_into(view.size.width_field, "74")
    view.settings.shape.setCurrentIndex(view.settings.shape.findData("linework"))
    view.settings.shape.activated.emit(view.settings.shape.currentIndex())
    settle(window)
    assert spec(window).trace.shape == "linework"
    found = next(m for m in window.desk.graphic_view().measures if m.colour == "#000000")
    assert found.narrowest == pytest.approx(4, rel=0.05)
    assert found.area == pytest.approx(np.pi * (37**2 - 33**2), rel=0.05)


def test_added_text_takes_an_installed_font_and_is_changed(window, table, settle, tmp_path):  # noqa: F811
    """The font goes along in the job where its licence lets it; the text is opened again, put round a
    circle and behind."""
    view = window.sheets["trace"]
    QTest.mouseClick(view.form_button, LEFT)
    form = view.added
    QTest.keyClicks(form.text, "MM")
    if installed_fonts():
        last = form.font_box.count() - 1
        form.font_box.setCurrentIndex(last)
        form.font_box.activated.emit(last)
        form.font_box.hidePopup()
        form.font_box.setCurrentText(min(installed_fonts()))
    chosen = form.font_box.currentText()
    kept = chosen in installed_fonts() and kept_in_jobs(font_bytes(chosen))
    assert (
        form.note.isVisible() == (chosen in installed_fonts())
        and ("kept in the job" in form.note.text()) == kept
    )
    QTest.mouseClick(form.done, LEFT)
    settle(window)
    added = spec(window).edits[-1]
    assert isinstance(added, e.AddText) and added.font == chosen and not added.behind
    assert (window.document.job.font(chosen) is not None) == kept
    again = next(b for b in view.edits.findChildren(QPushButton) if b.toolTip() == "Change it")
    QTest.mouseClick(again, LEFT)
    assert (
        form.isVisible()
        and form.text.text() == "MM"
        and form.done.text() == "change it"
        and not form.numbers["radius"][1].isVisible()
    )
    form.stands.setCurrentIndex(form.stands.findData("under"))
    type_into(form.numbers["radius"][0], "15")
    QTest.mouseClick(form.behind.button("behind"), LEFT)
    QTest.mouseClick(form.done, LEFT)
    settle(window)
    changed = spec(window).edits
    assert (
        len(changed) == 1
        and changed[0].behind
        and changed[0].around
        and changed[0].radius == -15
        and changed[0].font == chosen
    )
    assert window.document.undo_text == "change text" and form.done.text() == "add it"
    save_job(tmp_path / "a.cutkey", window.document.job, window.document.sources)
    job, sources = open_job(tmp_path / "a.cutkey")
    assert job == window.document.job and all(s.digest in sources for s in job.sources)
