"""The Split sheet in the real window: proposals, tabs on rulers, keys, the close-up, printers, pulling
apart, setting out."""

from __future__ import annotations

import lib3mf
import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton
from tests.app.test_path import type_into

from cutkey.app.sheets.split.printers import own_printers
from cutkey.app.theme import theme
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.job import Job
from cutkey.demo.jobs import demo_job

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def split(window, settle):
    """The Split sheet with a plate of 400 x 160 x 12 mm."""
    window.document.start(Job(name="Plate", base=PlateBase(400, 160, 12, 6), labels=Labels(on=False)), {})
    settle(window)
    window.show_sheet("split")
    settle(window)
    return window.sheets["split"]


def drag(widget, start: QPointF, end: QPointF) -> None:
    a, b = start.toPoint(), end.toPoint()
    QTest.mousePress(widget, LEFT, pos=a)
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(
            widget, QPoint(round(a.x() + (b.x() - a.x()) * share), round(a.y() + (b.y() - a.y()) * share))
        )
        QTest.qWait(10)
    QTest.mouseRelease(widget, LEFT, pos=b)


def choose(box, data: str) -> None:
    box.setCurrentIndex(box.findData(data))
    box.activated.emit(box.currentIndex())


def test_propose_take_another_plan_and_see_what_fits(window, split, settle):
    QTest.mouseClick(split.plans.button, LEFT)
    settle(window)
    job = window.document.job
    assert len(job.cuts) == 1 and job.cuts[0].axis == "x" and window.document.undo_text == "propose cuts"
    assert [s.fits for s in window.engine.kit.spots] == [True] * len(window.engine.kit.spots)
    others = [split.plans.row.itemAt(k).widget() for k in range(split.plans.row.count())]
    others = [b for b in others if isinstance(b, QPushButton)]
    assert len(others) == len(split.plans.plans) - 1
    if others:
        QTest.mouseClick(others[0], LEFT)
        settle(window)
        assert window.document.job.cuts == split.plans.plans[1].cuts
    window.document.undo()
    # A pinned cut stays where it is when cuts are proposed again.
    window.document.edit("cut", replace(job, cuts=(Cut("x", -60.0, pinned=True),)))
    settle(window)
    QTest.mouseClick(split.plans.button, LEFT)
    settle(window)
    assert window.document.job.cuts[0] == Cut("x", -60.0, pinned=True) and len(window.document.job.cuts) == 2


def test_tabs_are_pulled_from_the_ruler_moved_tilted_and_deleted(window, split, settle):
    stage = window.stage
    split.rulers.low, split.rulers.high = np.array(split.kit.low), np.array(split.kit.high)
    spare = split.rulers.spare("x")
    middle = (split.rulers._at("x", -200) + split.rulers._at("x", 200)) * 0.5
    drag(stage, spare, middle)
    settle(window)
    cut = window.document.job.cuts[0]
    assert cut.axis == "x" and abs(cut.at) < 6 and window.document.undo_text in ("move a cut", "add a cut")
    tab = split.rulers.tab(cut)
    drag(stage, tab, tab + QPointF(30, 0))
    settle(window)
    moved = window.document.job.cuts[0]
    assert moved.at > cut.at + 3 and split._picked == 0
    handle = split.rulers.handle(moved, split.kit.cuts[0].plane)
    drag(stage, handle, handle + QPointF(40, 0))
    settle(window)
    tilted = window.document.job.cuts[0]
    assert tilted.tilt != 0 and tilted.at == moved.at
    # The line on the stage goes where the handle was pulled.
    assert split.rulers.handle(tilted, split.kit.cuts[0].plane).x() > handle.x() + 10
    type_into(split.cuts.fields["tilt"], "0")
    settle(window)
    assert window.document.job.cuts[0].tilt == 0
    stage.setFocus()
    QTest.keyClick(window, Qt.Key.Key_Right)
    settle(window)
    assert window.document.job.cuts[0].at == moved.at + 1
    QTest.keyClick(window, Qt.Key.Key_Delete)
    settle(window)
    assert window.document.job.cuts == ()


def test_a_cut_is_limited_to_a_section_and_given_a_seam(window, split, settle):
    window.document.edit("cuts", replace(window.document.job, cuts=(Cut("x", 0.0), Cut("y", 0.0))))
    settle(window)
    split._pick(1)
    choice = split.cuts.through
    choose(choice, "A1")
    settle(window)
    assert window.document.job.cuts[1].inside is not None
    assert [u.name for u in window.engine.kit.units if not u.is_key] == ["A1a", "A1b", "B1"]
    seam = split.cuts.seam
    choose(seam, "tabs")
    settle(window)
    kit = window.engine.kit
    assert {k.form.kind for j in kit.joints if j.cut == 1 for k in j.keys} == {"tabs"}
    assert not any(f.severity != "sound" for f in kit.findings)


def test_a_seam_is_bent_dragged_and_straightened(window, split, settle):
    window.document.edit("cut", replace(window.document.job, cuts=(Cut("x", 0.0),)))
    settle(window)
    QTest.mouseClick(split.cuts.bend, LEFT)
    settle(window)
    before = window.document.job.cuts[0].path
    assert len(before) == 3 and len(window.engine.kit.joints) == 4
    # What a plane would meet is not said of a seam that leaves it.
    assert window.engine.kit.cuts[0].words == []
    plane = split.kit.cuts[0].plane
    at = split.rulers.corner(plane, before[1])
    target = split.rulers.corner(plane, (before[1][0] + 5.0, 18.0))
    drag(window.stage, at, target)
    settle(window)
    after = window.document.job.cuts[0].path
    assert after[1] == pytest.approx((before[1][0] + 5.0, 18.0), abs=1.0) and (after[0], after[2]) == (
        before[0],
        before[2],
    )
    QTest.mouseClick(split.cuts.bend, LEFT)
    settle(window)
    assert len(window.document.job.cuts[0].path) == 4 and all(s.fits for s in window.engine.kit.spots)
    QTest.mouseClick(split.cuts.straighten, LEFT)
    settle(window)
    assert window.document.job.cuts[0].path == () and len(window.engine.kit.joints) == 1


def test_keys_are_chosen_fitted_and_dragged(window, split, settle):
    window.document.edit("cut", replace(window.document.job, cuts=(Cut("x", 0.0), Cut("x", 100.0))))
    settle(window)
    panel = split.joints
    choose(panel.kind, "tenon")
    settle(window)
    assert {k.form.kind for j in window.engine.kit.joints for k in j.keys} == {"tenon"}
    # Only the picked cut gets dowels of its own, pressed in.
    split._pick(0)
    choose(panel.scope, "cut")
    choose(panel.kind, "dowel")
    QTest.mouseClick(panel.fit.button("press"), LEFT)
    type_into(panel.fields["size"], "5")
    settle(window)
    kinds = [{k.form.kind for k in j.keys} for j in window.engine.kit.joints]
    assert kinds == [{"dowel"}, {"tenon"}] and window.document.job.keys.kind == "tenon"
    key = window.engine.kit.joints[0].keys[0]
    assert (key.form.size, key.form.clearance) == (5.0, 0.05)
    assert "One way only: yes" in panel.proved.text() and "Goes together: step" in panel.proved.text()
    # In the close-up a key is dragged along the face; the program can have it back.
    split._pick_joint(0)
    settle(window)
    strip = split.pages.joint
    assert split.pages.page_name == "joint" and strip.isVisible()
    at, count = strip.place_of(0), len(window.engine.kit.joints[0].keys)
    drag(strip, at, at + QPointF(30, 0))
    settle(window)
    joint = window.engine.kit.joints[0]
    assert (
        joint.by_hand
        and len(joint.keys) == count
        and joint.keys[0].u == pytest.approx(key.u + 30 / strip._scale(joint)[0], abs=0.11)
    )
    assert panel.auto.isVisible()
    QTest.mouseClick(panel.auto, LEFT)
    settle(window)
    assert window.engine.kit.joints[0].keys[0].u == key.u and not window.engine.kit.joints[0].by_hand
    # And on the stage.
    # One joint of a cut may differ from its others.
    window.document.edit("cut", replace(window.document.job, cuts=(*window.document.job.cuts, Cut("y", 0.0))))
    settle(window)
    number = next(n for n, j in enumerate(window.engine.kit.joints) if j.name == "A1|B1")
    split._pick_joint(number)
    choose(panel.scope, "joint")
    choose(panel.kind, "bowtie")
    settle(window)
    kinds = {j.name: j.keys[0].form.kind for j in window.engine.kit.joints if j.cut == 0}
    assert kinds == {"A1|B1": "bowtie", "A2|B2": "dowel"} and panel.scope.currentData() == "joint"
    for _ in range(3):
        window.document.undo()
    settle(window)
    p = window.stage.to_widget(window.engine.kit.joints[0].keys[0].centre)
    drag(
        window.stage,
        p,
        p
        + (window.stage.to_widget(joint.plane.lift(20, 0)) - window.stage.to_widget(joint.plane.lift(0, 0))),
    )
    settle(window)
    assert window.engine.kit.joints[0].keys[0].u == pytest.approx(key.u + 20, abs=1.0)


def test_the_close_up_draws_the_face_and_the_key_to_scale(window, split, settle):
    cut = Cut("x", 0.0, keys=Keys("dowel", 6.0, 12.0))
    window.document.edit("cut", replace(window.document.job, cuts=(cut,), labels=Labels()))
    settle(window)
    split._pick_joint(0)
    strip = split.pages.joint
    scale, origin = strip._scale(split.joint())
    picture = strip.grab().toImage()
    ratio = picture.width() / strip.width()

    def colour(x: float, y: float) -> str:
        return picture.pixelColor(round(x * ratio), round(y * ratio)).name()

    key = split.joint().keys[0]
    at = strip.place_of(0)
    assert (at.x() - origin.x()) / scale == pytest.approx(key.u) and (
        origin.y() - at.y()
    ) / scale == pytest.approx(key.v)
    wash = theme.colour("ultramarine_wash").name()
    assert colour(at.x(), at.y()) == wash
    # The footprint is a socket of 6.3 mm: wash just inside of it, none just outside.
    assert colour(at.x() + 1.6 * scale, at.y()) == wash and colour(at.x() + 4.2 * scale, at.y()) != wash
    # The name is written on the face as on the part: from left to right.
    text, rings = split.joint().labels[0]
    assert text == "A1 A" and rings.points[:, 0].max() - rings.points[:, 0].min() > 8
    # Without a joint the strip says what to do.
    window.document.edit("none", replace(window.document.job, cuts=()))
    settle(window)
    assert split.joint() is None and not strip.grab().isNull()


def test_a_section_clicked_on_the_stage_brings_up_its_joints_one_after_the_other(window, split, settle):
    window.document.edit("cuts", replace(window.document.job, cuts=(Cut("x", 0.0), Cut("y", 0.0))))
    settle(window)
    kit = window.engine.kit
    unit = next(u for u in kit.units if u.name == "B1")
    top = np.array(unit.low) + np.array(unit.size) * (0.4, 0.7, 1.0)
    seen = []
    for _ in range(2):
        QTest.mouseClick(window.stage, LEFT, pos=window.stage.to_widget(top).toPoint())
        seen.append(split.joint().name)
    assert set(seen) == {"A1|B1", "B2|B1"} and split.right._heading.text().startswith("Joint")
    # Looked at from below and from the front the rulers change sides and the tabs stay on them.
    for turn, tilt in ((0, 90), (0, 0), (150, -40)):
        window.stage.look(turn, tilt)
        settle(window)
        for cut in window.document.job.cuts:
            if split.rulers.seen(cut.axis):
                assert split.rulers.value(cut.axis, split.rulers.tab(cut)) == pytest.approx(cut.at, abs=0.2)
                assert split.grab(split.rulers.tab(cut)) is not None


def test_printers_are_kept_and_round_beds_and_keep_outs_count(window, split, settle):
    card = split.bed
    QTest.mouseClick(card.more, LEFT)
    QTest.mouseClick(card.shape.button("round"), LEFT)
    type_into(card.bed[0], "450")
    type_into(card.name, "Wide")
    settle(window)
    printer = window.document.job.printer
    assert (printer.name, printer.shape, printer.bed) == ("Wide", "round", (450.0, 450.0, 250.0))
    assert all(s.fits for s in window.engine.kit.spots)
    type_into(card.keep_out, "150, 150, 150, 150")
    settle(window)
    assert not all(s.fits for s in window.engine.kit.spots)
    QTest.mouseClick(card.keep, LEFT)
    assert "Wide" in [p.name for p in own_printers()]
    card.choice.setCurrentIndex(card.choice.findText("Bench 235", Qt.MatchFlag.MatchStartsWith))
    card.choice.activated.emit(card.choice.currentIndex())
    settle(window)
    assert window.document.job.printer.name == "Bench 235"
    card.choice.setCurrentIndex(card.choice.findText("Wide", Qt.MatchFlag.MatchStartsWith))
    card.choice.activated.emit(card.choice.currentIndex())
    QTest.mouseClick(card.drop, LEFT)
    assert "Wide" not in [p.name for p in own_printers()]


def test_the_clearance_test_piece_is_written(window, split, settle, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "try"), ""))
    QTest.mouseClick(split.bed.more, LEFT)
    QTest.mouseClick(split.bed.test, LEFT)
    settle(window)
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(tmp_path / "try.3mf"))
    assert model.GetMeshObjects().Count() == 2 and "try.3mf is written" in window.message.text


def test_the_slider_undoes_the_assembly_step_by_step(window, split, settle):
    window.document.edit("cuts", replace(window.document.job, cuts=(Cut("x", 0.0), Cut("y", 0.0))))
    settle(window)
    together = {i.key: i.shift for i in window.stage.items}
    assert all(s == (0, 0, 0) for s in together.values())
    split.apart.setValue(33)
    first = {i.key.split(" ")[0]: np.array(i.shift) for i in window.stage.items if i.key[0] in "AB"}
    assert "Step 3 of 3" in split.step.text()
    # Only the last push is undone: rows (or columns) as wholes.
    assert len({tuple(np.round(s, 3)) for s in first.values()}) == 2
    split.apart.setValue(100)
    end = {i.key.split(" ")[0]: tuple(np.round(i.shift, 3)) for i in window.stage.items if i.key[0] in "AB"}
    assert len(set(end.values())) == 4 and "Step 1 of 3" in split.step.text()
    assert sum(i.key.startswith("key ") for i in window.stage.items) == len(window.engine.kit.loose)
    # Another job is shown together.
    split._picked, split._joint = 1, 2
    window.document.start(*demo_job("plate"))
    assert (split.apart.value(), split._joint) == (0, -1) and split._picked < 1


def test_islands_are_set_out(window, settle):
    job, files = demo_job("wall")
    window.document.start(replace(job, gauge=replace(job.gauge, on=False)), files)
    settle(window)
    window.show_sheet("split")
    settle(window)
    split = window.sheets["split"]
    assert window.engine.kit.setting is None and split.kit.islands == 7
    QTest.mouseClick(split.gauge.on, LEFT, pos=QPoint(10, 10))
    settle(window)
    setting = window.engine.kit.setting
    assert setting.free == [] and len(setting.pieces) == 3 and split.pages.page_name == "setting"
    assert sum(i.key.startswith("spacer ") for i in window.stage.items) == 3
    assert [u.name for u in window.engine.kit.units if u.is_key] == ["Spacer 1", "Spacer 2", "Spacer 3"]
    type_into(split.gauge.form.fields["clearance"], "0.3")
    settle(window)
    assert window.document.job.gauge.clearance == 0.3
    ink = split.pages.setting.grab().toImage()
    assert any(
        ink.pixelColor(x, y).blue() > 150 > ink.pixelColor(x, y).red() + 60
        for x in range(0, 300, 2)
        for y in range(30, 170, 2)
    )
