"""The Place sheet in the real window: bodies, add-ons, curved surfaces, the section, models that need
mending."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QPushButton
from tests.app.test_path import drag, drop, type_into

from cutkey.app.sheets.place.depth_card import DepthCard
from cutkey.core.addons import all_features
from cutkey.core.addons.border import Border
from cutkey.core.addons.half import Half
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.loop import Loop
from cutkey.core.addons.magnet import Magnet
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.polygon import PolygonBase
from cutkey.core.model.edits import change_placement
from cutkey.core.model.placement import Copies, Depth
from cutkey.demo.jobs import demo_job

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def place(window, settle):
    """The Place sheet with the demo's lid."""
    window.document.start(*demo_job("lid"))
    window.show_sheet("place")
    settle(window)
    return window.sheets["place"]


def choose(menu, start: str) -> None:
    next(a for a in menu.actions() if a.text().startswith(start)).trigger()


def put(combo: QComboBox, key: object) -> None:
    combo.setCurrentIndex(combo.findData(key))
    combo.activated.emit(combo.currentIndex())


def click_model(window, *place: float) -> None:
    QTest.mouseClick(window.stage, LEFT, NONE, window.stage.to_widget(place).toPoint())


def test_a_body_is_made_and_fitted_out(window, place, settle):
    choose(place.body.make.menu(), "Coin")
    settle(window)
    base = window.document.job.base
    assert isinstance(base, CoinBase) and window.document.undo_text == "make a coin"
    form = place.body.form
    type_into(form.fields["diameter"], "2in")
    put(form.fields["edge"], "chamfer")
    QTest.mouseClick(form.fields["both"], LEFT)
    settle(window)
    base = window.document.job.base
    assert (base.diameter, base.edge, base.both) == (50.8, "chamfer", True)
    assert window.engine.body.size == pytest.approx((50.8, 50.8, 4), abs=0.03)
    choose(place.body.addons.add.menu(), "Key-ring loop")
    assert place.hint.isVisible()
    click_model(window, 20.0, -8.0, 3.0)
    settle(window)
    (loop,) = window.document.job.addons
    assert isinstance(loop.feature, Loop) and not place.hint.isVisible()
    fields = place.body.addons._place.fields
    type_into(fields["right"], "27.5")
    settle(window)
    assert window.engine.body.size[0] == pytest.approx(25.4 + 27.5 + 4.5, abs=0.1)
    choose(place.body.addons.add.menu(), "Round hole")
    click_model(window, -20.0, 8.0, 3.0)
    settle(window)
    hole = window.document.job.addons[1]
    type_into(place.body.addons._place.fields["right"], "18")
    put(place.body.addons._copies.kind, "pair")
    settle(window)
    hole = window.document.job.addons[1]
    assert isinstance(hole.feature, Hole) and hole.copies.kind == "pair"
    # Where it was clicked, moved to the right.
    assert hole.offset == (18.0, pytest.approx(8.0, abs=0.3))
    gone = next(b for b in place.body.addons.findChildren(QPushButton) if b.text() == "remove")
    QTest.mouseClick(gone, LEFT)
    settle(window)
    assert [type(a.feature) for a in window.document.job.addons] == [
        Loop
    ] and window.document.undo_text == "remove round hole"
    choose(place.body.make.menu(), "Backing")
    settle(window)
    assert isinstance(window.document.job.base, BackingBase) and [
        type(a.feature) for a in window.document.job.addons
    ] == [Loop]
    choose(place.body.make.menu(), "Regular polygon")
    settle(window)
    type_into(place.body.form.fields["sides"], "5")
    settle(window)
    assert isinstance(window.document.job.base, PolygonBase) and window.document.job.base.sides == 5
    assert not window.engine.failed, window.message.text


def test_the_surface_copies_order_and_level_of_a_graphic(window, place, settle):
    window.document.start(*demo_job("cap"))
    settle(window)
    place.pick((window.document.job.placements[1].id,))
    settle(window)
    assert place.face().way == "project" and place.fields.follow.itemText(0) == "automatic: projected"
    assert place.face().grid is not None
    put(place.fields.follow, "flat")
    settle(window)
    assert place.face().way == "straight" and any(
        f.title == "Tall at the side" for f in window.engine.kit.findings
    )
    put(place.fields.follow, "wrap")
    settle(window)
    assert "no cylinder or cone" in window.message.text
    window.document.undo()
    put(place.fields.follow, "project")
    put(place.fields.copies.kind, "grid")
    type_into(place.fields.copies.fields["across"][0], "1")
    type_into(place.fields.copies.fields["up"][0], "2")
    type_into(place.fields.copies.fields["step y"][0], "8")
    settle(window)
    assert window.document.job.placements[1].copies == Copies("grid", (1, 2), (20.0, 8.0))
    assert window.engine.design is not None and not window.engine.failed
    earlier = next(b for b in place.left.findChildren(QPushButton) if b.text() == "earlier")
    QTest.mouseClick(earlier, LEFT)
    settle(window)
    assert [p.follow for p in window.document.job.placements] == ["project", "auto"]
    window.document.start(*demo_job("coin"))
    settle(window)
    tops = [float(mesh.vertices[:, 2].max()) for _, _, mesh in window.engine.design.parts]
    assert (
        max(tops) == pytest.approx(5.0, abs=1e-4)
        and sum(t == pytest.approx(5.0, abs=1e-4) for t in tops) >= 4
    )
    # A depth that is no whole number of layers offers the nearest ones, and a depth can reach a place that is
    # clicked.
    card = next(c for c in window.findChildren(DepthCard) if c.title.text() == "black")
    put(card.mode, "raised")
    type_into(next(c for c in window.findChildren(DepthCard) if c.title.text() == "black").mm, "0.7")
    settle(window)
    card = next(c for c in window.findChildren(DepthCard) if c.title.text() == "black")
    assert "not a whole number" in card.subtitle.text()
    QTest.mouseClick(next(b for b in card.findChildren(QPushButton) if b.text() == "4 layers"), LEFT)
    settle(window)
    assert window.document.job.placements[0].depth_of("#26241f").mm == pytest.approx(0.8)
    card = next(c for c in window.findChildren(DepthCard) if c.title.text() == "black")
    QTest.mouseClick(card.reach, LEFT)
    click_model(window, -24.6, 0.0, 5.0)
    settle(window)
    assert window.document.job.placements[0].depth_of("#26241f").mm == pytest.approx(1.2, abs=0.05)
    type_into(place.fields.margin, "10")
    settle(window)
    assert any(f.title == "Trimmed" for f in window.engine.kit.findings)


def test_which_way_lettering_reads_is_asked_and_kept(window, place, settle):
    def told():
        settle(window)
        return [f.title for f in window.engine.kit.findings if f.kind == "reading"]

    place.fields.mirror.click()
    assert told() == ["Which way does it read?"]
    for said, title in (("mirrored", "Reads the right way"), ("right", "Reversed text")):
        put(place.fields.reads, said)
        assert told() == [title] and window.document.job.graphics[0].reads == said
    put(place.fields.reads, "none")
    assert told() == []


@pytest.mark.parametrize("demo", ["plate", "cap"])
def test_the_depth_strip_says_what_was_asked_for(window, settle, demo):
    """On a plate and on a dome."""
    window.document.start(*demo_job(demo))
    window.show_sheet("place")
    settle(window)
    for depth, says in (
        (Depth("raised", 0.8), "+0.8 · 4 layers"),
        (Depth("recessed", 0.6), "−0.6 · 3 layers"),
        (Depth("flush", 0.8), "flush 0.8 · 4 layers"),
        (Depth("through"), "cut through"),
    ):
        job = window.document.job
        placement = replace(job.placements[0], depths=(depth,))
        window.document.edit("depth", change_placement(job, placement))
        settle(window)
        assert window.sheets["place"].depth_strip.step_text() == says


def test_the_section_is_dragged_turned_and_put_back(window, place, settle):
    face, strip = window.desk.face, place.depth_strip
    _, end = face.line_ends()
    target = face.to_widget(*(18 * math.cos(math.radians(45)), 18 * math.sin(math.radians(45))))
    drag(face, end, target)
    settle(window)
    assert face.line()[2] == pytest.approx(45, abs=1.5)
    cut = window.engine.section
    assert cut is not None and cut.line.angle == face.line()[2]
    # The line goes through the field's middle (6, -4), so across the lid of 41 mm radius it is a chord.
    off = abs(6 * math.sin(math.radians(face.line()[2])) + 4 * math.cos(math.radians(face.line()[2])))
    body = max(strip._face.section, key=lambda s: np.ptp(s[1].points[:, 0]))[1].points
    assert np.ptp(body[:, 0]) == pytest.approx(2 * math.sqrt(41**2 - off**2), abs=1.2)
    a, b = face.line_ends()
    grip = a + (b - a) * 0.13
    drag(face, grip, grip + QPointF(0, -25))
    settle(window)
    assert face.line()[:2] != (0.0, 0.0)
    assert window.document.undo_text == "" and not window.document.unsaved
    QTest.mouseDClick(face, LEFT, NONE, face.to_widget(15, 15).toPoint())
    settle(window)
    assert face.line() == (0.0, 0.0, 0.0) and place._line is None


def test_models_of_other_kinds_are_mended_or_asked_about(window, place, settle, tmp_path):
    box = trimesh.creation.box((40, 30, 20))
    open_box = trimesh.Trimesh(
        box.vertices, np.delete(box.faces, np.flatnonzero(box.face_normals[:, 2] > 0.5), 0), process=False
    )
    open_box.export(tmp_path / "tray.ply")
    drop(window, tmp_path / "tray.ply")
    settle(window)
    assert "tray.ply is not watertight: a hole with 4 open edges" in window.message.text
    close = next(b for b in window.message.findChildren(QPushButton) if b.text() == "close the holes")
    QTest.mouseClick(close, LEFT)
    settle(window)
    assert window.document.job.base.close and "1 hole closed" in place.body.card.subtitle.text()
    plain = window.stage.grab().toImage()
    QTest.mouseClick(place.body.where, LEFT)
    assert place.body.where.isVisible() and window.stage.grab().toImage() != plain
    small = box.copy()
    small.apply_scale(1 / 25.4)
    small.export(tmp_path / "inch.obj")
    drop(window, tmp_path / "inch.obj")
    settle(window)
    inch = next(b for b in window.message.findChildren(QPushButton) if "inch" in b.text())
    QTest.mouseClick(inch, LEFT)
    settle(window)
    assert window.engine.body.size == pytest.approx((40, 30, 20), abs=1e-3)
    (tmp_path / "part.step").write_bytes(b"ISO-10303-21;")
    drop(window, tmp_path / "part.step")
    settle(window)
    assert "part.step is a STEP drawing" in window.message.text and window.engine.body.size == pytest.approx(
        (40, 30, 20), abs=1e-3
    )


def test_while_a_solid_is_made_the_graphic_is_seen_where_it_will_be(window, place, settle):
    """Dragging on the square-on view moves the outlines at once; they lie on the surface (a sphere of 60
    mm)."""
    from cutkey.app.hands.on_surface import on_surface

    window.document.start(*demo_job("cap"))
    settle(window)
    place.pick((window.document.job.placements[1].id,))
    settle(window)
    outlines = window.desk.face.placed_outlines()
    assert len(outlines) > 6
    points = np.concatenate([on_surface(place.face(), o, 0.0) for o in outlines])
    assert np.linalg.norm(points - [0, 0, -40], axis=1) == pytest.approx(60, abs=0.15)
    face = window.desk.face
    middle = face.to_widget(*window.document.job.placements[1].offset)
    drag(face, middle, middle + QPointF(12, -6))
    assert window.engine.busy
    before = points.mean(0)
    moved = np.concatenate([on_surface(place.face(), o, 0.0) for o in face.placed_outlines()]).mean(0)
    assert np.linalg.norm(moved - before) > 1
    window.stage.grab()
    settle(window)
    assert window.document.undo_text == "move the graphic"


def test_every_add_on_is_laid_by_two_clicks(window, place, settle):
    """Each kind on a plate: armed from the menu, put where the face is clicked, undone again; Esc disarms."""
    choose(place.body.make.menu(), "Plate")
    settle(window)
    window.document.edit("take the bee off", replace(window.document.job, placements=()))
    settle(window)
    whole = window.engine.kit.design_volume
    for kind in all_features():
        choose(place.body.addons.add.menu(), kind.title)
        click_model(window, 5.0, -3.0, 3.0)
        settle(window)
        assert [a.feature for a in window.document.job.addons] == [kind()] and not window.engine.failed, (
            window.message.text
        )
        volume = window.engine.kit.design_volume
        if kind is Border:
            assert volume > whole
        elif kind not in (Half, Loop, Magnet):
            assert volume < whole - 1
        window.document.undo()
        settle(window)
    assert window.document.job.addons == () and window.engine.kit.design_volume == pytest.approx(whole)
    choose(place.body.addons.add.menu(), "Magnet pocket")
    QTest.keyClick(window.stage, Qt.Key.Key_Escape)
    click_model(window, 5.0, -3.0, 3.0)
    assert window.document.job.addons == () and not place.hint.isVisible()


def test_a_dragged_graphic_is_drawn_to_edges_holes_and_others(window, place, settle):
    window.document.start(*demo_job("plate"))
    settle(window)
    face = window.desk.face
    assert len(face.hole_centres()) == 5 and [t.at for t in face.hands.things][1:] == [(52.0, -2.0)]
    words = window.document.job.placements[0]
    start = face.to_widget(*words.offset)
    near = 3 / face._scale()
    QTest.mouseClick(face, LEFT, NONE, (start + QPointF(1, 1)).toPoint())
    assert window.document.job.placements[0].offset == words.offset and window.document.undo_text == ""
    # Near the other graphic's height and the middle of the face.
    drag(face, start, face.to_widget(near, -2.0 - near))
    settle(window)
    assert window.document.job.placements[0].offset == (0.0, -2.0)
    # Flush with what is kept clear of the upper edge.
    box = face.graphic_box()
    flush = 30 - words.margin - box.height() / 2
    drag(face, face.to_widget(0.0, -2.0), face.to_widget(12.0, flush - near))
    settle(window)
    assert window.document.job.placements[0].offset[1] == pytest.approx(flush, abs=0.05)
    assert face.distances()["above"] == pytest.approx(3.0, abs=0.05)
