"""What lies on the model is picked, moved, turned, sized, lined up, copied and taken off, on both views
of the Place sheet."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu, QPushButton
from tests.app.test_path import CTRL, LEFT, NONE, drag, drop
from tests.app.test_place import choose

from cutkey.core.addons.hole import Hole
from cutkey.core.addons.loop import Loop
from cutkey.core.checks.read import check_bodies
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.shells import bodies_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.edits import another_of_source, change_placement
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Copies
from cutkey.core.model.things import joined, part_of
from cutkey.demo.jobs import demo_job

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def place(window, settle):
    """The Place sheet with the demo's plate: lettering and a sprig on one face."""
    window.document.start(*demo_job("plate"))
    window.show_sheet("place")
    settle(window)
    return window.sheets["place"]


def of(window, k: int):
    return window.document.job.placements[k]


def test_handles_turn_and_size_on_both_views(window, place, settle):
    sprig = of(window, 1)
    place.pick((sprig.id,))
    for hands, to_widget, widget in (
        (window.face.hands, window.face.to_widget, window.face),
        (place.on_stage.hands, place.on_stage.to_widget, window.stage),
    ):
        place.actions.turn(-of(window, 1).spin)
        settle(window)
        _, knob = hands.handles(to_widget)
        x, y = hands.handled().at
        reach = (hands.handled().high[1] + 8) if widget is window.face else hands.handled().high[1]
        # From above the middle to its left: a quarter turn, and the guide of 15 degrees takes what is not
        # quite straight.
        drag(widget, knob, to_widget(x - reach, y + 0.4))
        assert of(window, 1).spin == 90 and window.document.undo_text == "turn the graphic"
        settle(window)
        width = window.document.job.graphics[1].width_mm
        thing = hands.handled()
        corners = thing.corners()
        fixed, taken = corners[0], corners[2]
        drag(widget, to_widget(*taken), to_widget(*(fixed + (taken - fixed) * 1.2)))
        assert window.document.undo_text == "change the size of the graphic"
        assert window.document.job.graphics[1].width_mm == pytest.approx(1.2 * width, abs=0.5)
        # The corner across stays, before and after the new size has been traced.
        assert hands.handled().corners()[0] == pytest.approx(fixed, abs=0.05)
        settle(window)
        assert hands.handled().corners()[0] == pytest.approx(fixed, abs=0.15)
        window.document.undo()
        settle(window)


def test_what_is_picked_on_the_stage_is_dragged_there_and_turning_the_stage_is_left_alone(
    window, place, settle
):
    stage, before, camera = window.stage, of(window, 0).offset, window.stage.camera
    words = place.on_stage.to_widget(*before)
    drag(stage, words, words + QPointF(25, 10))
    assert stage.camera != camera and of(window, 0).offset == before
    settle(window)
    QTest.mouseClick(stage, LEFT, NONE, place.on_stage.to_widget(*before).toPoint())
    assert window.desk.picked == (of(window, 0).id,)
    camera = stage.camera
    words = place.on_stage.to_widget(*before)
    wanted = (before[0] + 7.0, before[1] - 6.0)
    drag(stage, words, place.on_stage.to_widget(*wanted))
    assert stage.camera == camera and of(window, 0).offset == pytest.approx(wanted, abs=0.6)
    assert place.on_stage.hands.figures() == ""
    QTest.keyClick(stage, Qt.Key.Key_Escape)
    assert window.desk.picked == ()
    settle(window)


def test_several_are_picked_moved_lined_up_and_spread(window, place, settle):
    face = window.face
    QTest.mouseClick(face, LEFT, NONE, face.to_widget(*of(window, 0).offset).toPoint())
    QTest.mouseClick(face, LEFT, SHIFT, face.to_widget(*of(window, 1).offset).toPoint())
    assert window.desk.picked == (of(window, 0).id, of(window, 1).id) and place.several.isVisible()
    assert not place.several.across.isEnabled() and "three or more" in place.several.across.toolTip()
    before = [p.offset for p in window.document.job.placements]
    QTest.keyClick(window.stage, Qt.Key.Key_Left, SHIFT)
    assert [p.offset[0] for p in window.document.job.placements] == pytest.approx([x - 1 for x, _ in before])
    QTest.mouseClick(place.several.lines["top"], LEFT)
    settle(window)
    tops = [t.box()[3] for t in face.hands.things]
    assert tops[0] == pytest.approx(tops[1], abs=1e-3) and window.document.undo_text == "line up"
    QTest.keyClick(window, Qt.Key.Key_D, CTRL)
    assert len(window.document.job.placements) == 4 and len(window.desk.picked) == 2
    settle(window)
    sprigs = [p for p in window.document.job.placements if p.graphic == of(window, 1).graphic]
    far = change_placement(window.document.job, replace(sprigs[1], offset=(-55.0, -20.0)))
    job, (third,) = joined(far, part_of(far, {sprigs[1].id}), (30.0, 5.0))
    window.document.edit("more", job)
    settle(window)
    place.pick((sprigs[0].id, sprigs[1].id, third))
    QTest.mouseClick(place.several.across, LEFT)
    settle(window)
    boxes = sorted(t.box() for t in face.hands.mine())
    gaps = [b[0] - a[2] for a, b in pairwise(boxes)]
    assert (
        len(gaps) == 2
        and gaps[0] == pytest.approx(gaps[1], abs=0.01)
        and window.document.undo_text == "spread"
    )
    window.document.undo()
    window.document.undo()
    settle(window)
    QTest.keyClick(window.stage, Qt.Key.Key_A, CTRL)
    assert len(window.desk.picked) == 4
    QTest.keyClick(window.stage, Qt.Key.Key_Delete)
    assert window.document.job.placements == () and window.document.undo_text == "take 4 things off the model"
    settle(window)


def test_add_ons_are_laid_by_keyboard_dragged_square_on_and_dimensioned(window, place, settle):
    choose(place.body.addons.add.menu(), "Round hole")
    assert place.hint.isVisible()
    side = place.hint.sides["top"]
    side.setFocus()
    QTest.keyClick(side, Qt.Key.Key_Space)
    settle(window)
    (hole,) = window.document.job.addons
    assert hole.normal == (0.0, 0.0, 1.0) and window.desk.picked == (hole.id,) and not place.hint.isVisible()
    face = window.face
    assert face.main().id == hole.id and not face.hands.handled().turnable
    QTest.mouseClick(face.fit_thing, LEFT)
    assert face._scale() > 20
    QTest.mouseClick(face.fit_face, LEFT)
    drag(face, face.to_widget(*face.main().at), face.to_widget(20.3, 11.2))
    settle(window)
    assert window.document.job.addons[0].offset == pytest.approx((20.3, 11.2), abs=1.0)
    face.grab()
    QTest.mouseClick(face, LEFT, NONE, face.figure_box("left").center().toPoint())
    QTest.keyClicks(face.dimensions.editor, "80")
    QTest.keyClick(face.dimensions.editor, Qt.Key.Key_Return)
    settle(window)
    # The hole of 3 mm begins 80 mm from the left edge of 140: its middle lies at 80 + 1.5 - 70.
    assert window.document.job.addons[0].offset[0] == pytest.approx(11.5, abs=0.01)
    # A graphic that is taken back while its side is looked for is not laid, and nothing breaks.
    job = window.document.job
    twin, added = another_of_source(job, job.graphics[0], 20.0)
    window.document.edit("another", twin)
    window.desk.graphic = added.id
    place.refresh()
    QTest.mouseClick(place.add, LEFT)
    QTest.mouseClick(place.hint.sides["bottom"], LEFT)
    window.document.undo()
    settle(window)
    assert window.document.job == job
    # A graphic goes on a named side as well; a second hole where the mouse is, from the menu there.
    QTest.mouseClick(place.add, LEFT)
    QTest.mouseClick(place.hint.sides["bottom"], LEFT)
    settle(window)
    assert of(window, -1).normal == (0.0, 0.0, -1.0)
    place.pick((hole.id,))
    menu = place._menu_at((-30.0, 12.0), "")
    add = next(m for m in menu.findChildren(QMenu) if m.title() == "Add here")
    choose(add, "Round hole")
    settle(window)
    assert window.document.job.addons[1].offset == pytest.approx((-30, 12), abs=0.06)
    # A loop beyond the edge widens the face, and moves neither its middle nor what lies on it: graphics and
    # add-ons count from the bare face. A hole taken hold of beside a graphic moves by what the mouse moves.
    loop = AddOn("loop0001", Loop(12.0, 3.0), (68.0, 0.0, 4.0), (0.0, 0.0, 1.0), (78.0, 0.0))
    window.document.edit("loop", replace(window.document.job, addons=(*window.document.job.addons, loop)))
    place.pick((of(window, 1).id,))
    settle(window)
    shown, bare = place.face(), window.engine.body.addons[0]
    assert shown.origin == pytest.approx(bare.origin) and float(shown.outline.points[:, 0].max()) > 80
    before = window.document.job.addons[1].offset
    thing = next(t for t in face.hands.things if t.id == window.document.job.addons[1].id)
    start = face.to_widget(*thing.at)
    scale = face._scale()
    drag(face, start, start + QPointF(14 * scale, 0))
    settle(window)
    assert window.document.job.addons[1].offset == pytest.approx((before[0] + 14, before[1]), abs=1.2)


def test_copies_are_drawn_where_they_are_printed(window, place, settle):
    """Two in a row lie either side of the place they are named by, a ring is turned, a pair mirrored
    about the model's middle."""
    one = of(window, 1)
    for copies, wanted in (
        (Copies("grid", (2, 1), (20.0, 0.0)), [(42.0, -2.0, 0.0, False), (62.0, -2.0, 0.0, False)]),
        (Copies("ring", (2, 1)), [(52.0, -2.0, 0.0, False), (-52.0, 2.0, 180.0, False)]),
        (Copies("pair"), [(52.0, -2.0, 0.0, False), (-52.0, -2.0, 0.0, True)]),
    ):
        window.document.edit("copies", change_placement(window.document.job, replace(one, copies=copies)))
        settle(window)
        place.pick((one.id,))
        thing = window.face.main()
        assert [tuple(p) for p in thing.places] == [pytest.approx(w, abs=1e-6) for w in wanted]
        # The solids agree: as much of the flush colours on either side.
        xs = np.concatenate(
            [m.vertices[:, 0] for c, _, m in window.engine.design.parts if c not in ("body", "#1e1e1e")]
        )
        for x, *_ in wanted:
            assert np.abs(xs - x).min() < 5
        outlines = window.face.placed_outlines()
        middles = {round(float(o[:, 0].mean()) / 10) for o in outlines}
        assert {round(w[0] / 10) for w in wanted} <= middles


def test_parts_go_from_one_job_to_another_with_their_pictures(window, place, settle):
    place.pick((of(window, 1).id,))
    window.document.edit("hole", replace(window.document.job, addons=()))
    QTest.keyClick(window, Qt.Key.Key_C, CTRL)
    sprig = window.document.job.graphic(of(window, 1).graphic)
    window.document.start(Job(), {})
    window.show_sheet("place")
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_V, CTRL)
    assert "no model to lay it on yet" in window.message.text and window.document.job == Job()
    window.document.start(*demo_job("lid"))
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_V, CTRL)
    settle(window)
    pasted = window.document.job.graphic(of(window, -1).graphic)
    assert replace(pasted, id="") == replace(sprig, id="") and pasted.source in window.document.sources
    assert not window.engine.failed and window.document.undo_text == "paste"
    # On the Trace sheet the graphic itself is copied, and doubled.
    window.show_sheet("trace")
    window.desk.graphic = pasted.id
    QTest.keyClick(window, Qt.Key.Key_D, CTRL)
    assert [g.name for g in window.document.job.graphics].count(pasted.name) == 2
    assert window.desk.graphic == window.document.job.graphics[-1].id != pasted.id
    QTest.keyClick(window, Qt.Key.Key_C, CTRL)
    QTest.keyClick(window, Qt.Key.Key_V, CTRL)
    assert [g.name for g in window.document.job.graphics].count(pasted.name) == 3
    settle(window)


def test_the_bodies_of_a_model_are_hidden_taken_away_and_coloured(window, settle, tmp_path):
    """A plate with two blocks beside it; then the same plate with one block more: what was placed stays."""
    plate, one, two, three = (
        trimesh.creation.box((60, 40, 4)),
        *(trimesh.creation.box((s, s, s)) for s in (10, 8, 6)),
    )
    for mesh, x in ((one, 45), (two, 60), (three, 75)):
        mesh.apply_translation((x, 0, 3))
    trimesh.util.concatenate([plate, one, two]).export(tmp_path / "three.stl")
    trimesh.util.concatenate([plate, one, two, three]).export(tmp_path / "four.stl")
    drop(window, tmp_path / "three.stl")
    settle(window)
    place = window.sheets["place"]
    cards = place.body.bodies
    assert [b.name for b in window.engine.body.bodies] == ["body 1", "body 2", "body 3"] and cards.isVisible()

    def press(k: int, text: str) -> None:
        QTest.mouseClick(
            next(b for b in cards.cards.itemAt(k).widget().findChildren(QPushButton) if b.text() == text),
            LEFT,
        )
        settle(window)

    press(1, "hide")
    assert [i.key for i in window.stage.items] == [
        "body 1",
        "body 3",
    ] and window.document.undo_text == "open three.stl"
    press(1, "show")
    press(2, "take away")
    assert window.document.undo_text == "take body 3 away"
    assert window.engine.kit.design_volume == pytest.approx(60 * 40 * 4 + 1000, rel=1e-6)
    cards._set_colour(window.engine.body.bodies[1], "#a04030")
    settle(window)
    volumes = {c: f.name for c, f in window.engine.kit.filaments.items()}
    assert volumes["#a04030"] == "Brick PLA"
    told = next(f for f in window.engine.kit.findings if f.title == "Bodies as you decided")
    assert told.severity == "sound" and "body 3 (512.0 mm³) was taken away" in told.text
    assert "what is left holds 10600.0 mm³" in told.text
    (wrong,) = check_bodies(["body 3 was taken away"], 10600.0 - 512, mesh_of_both(plate, one))
    assert wrong.severity == "stop"
    choose(place.body.addons.add.menu(), "Round hole")
    QTest.mouseClick(place.hint.sides["top"], LEFT)
    settle(window)
    addon = window.document.job.addons[0]
    drop(window, tmp_path / "four.stl")
    settle(window)
    job = window.document.job
    assert (
        job.addons == (addon,) and len(job.base.bodies) == 2 and window.document.undo_text == "open four.stl"
    )
    assert window.engine.kit.design_volume == pytest.approx(
        60 * 40 * 4 + 1000 + 216 - 1000 * 0 - _hole(addon), abs=60
    )
    # A look at a model says nothing of the next one's bodies.
    press(3, "hide")
    # A model without them: the rules go, and it is said.
    trimesh.creation.box((60, 40, 4)).export(tmp_path / "plate.stl")
    drop(window, tmp_path / "plate.stl")
    settle(window)
    assert (
        window.document.job.base.bodies == ()
        and not cards.isVisible()
        and window.document.job.addons == (addon,)
    )
    assert "2 decisions about bodies" in window.message.text and not cards.hidden


def mesh_of_both(*parts: trimesh.Trimesh) -> Mesh:
    both = trimesh.util.concatenate(parts)
    return Mesh(np.array(both.vertices), np.array(both.faces))


def _hole(addon) -> float:
    assert isinstance(addon.feature, Hole)
    return float(np.pi * 1.5**2 * 10)


def test_bodies_are_told_apart_as_the_solid_library_does(window):
    import manifold3d as m3

    loose = m3.Manifold.compose(
        [m3.Manifold.cube([4, 4, 4]), m3.Manifold.sphere(3, 32).translate([10, 0, 0])]
    )
    assert sorted(b.volume() for b in bodies_of(loose)) == pytest.approx(
        sorted(b.volume() for b in loose.decompose())
    )
