"""The whole path in the real window, from a dropped picture to the exported file, by mouse and keyboard."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QColor, QDragEnterEvent, QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QColorDialog, QComboBox, QFileDialog, QPushButton
from tests.conftest import checker, png

from cutkey.app.widgets.basics import Card
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.model.job import ModelBase
from cutkey.demo import models, pictures
from cutkey.demo.jobs import demo_job

NONE, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier
LEFT = Qt.MouseButton.LeftButton


def drop(window, *paths: Path) -> None:
    """Drop files on the window as a file manager does."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    middle = QPoint(600, 300)
    entered = QDragEnterEvent(middle, Qt.DropAction.CopyAction, data, LEFT, NONE)
    QApplication.sendEvent(window, entered)
    assert entered.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(middle), Qt.DropAction.CopyAction, data, LEFT, NONE))


def drag(widget, start: QPointF, end: QPointF, steps: int = 5) -> None:
    QTest.mousePress(widget, LEFT, NONE, start.toPoint())
    for k in range(1, steps + 1):
        QTest.mouseMove(widget, (start + (end - start) * (k / steps)).toPoint())
    QTest.mouseRelease(widget, LEFT, NONE, end.toPoint())


def type_into(field, text: str) -> None:
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def titles(layout) -> list[str]:
    cards = [layout.itemAt(k).widget() for k in range(layout.count())]
    return [c.title.text() for c in cards if isinstance(c, Card)]


def test_from_a_dropped_picture_to_the_exported_file(window, settle, qtbot, tmp_path, monkeypatch):
    (tmp_path / "sign.png").write_bytes(png(checker(300)))
    (tmp_path / "lid.stl").write_bytes(models.stl_of(models.jar_lid(), "lid"))
    # Trace: the picture arrives, its colours are listed, the width is typed in inches.
    drop(window, tmp_path / "sign.png")
    settle(window)
    trace = window.sheets["trace"]
    assert window.current == "trace" and titles(trace.colours.chips) == ["amber", "black"]
    type_into(trace.size.width_field, "1.5in")
    settle(window)
    assert window.engine.graphics[window.document.job.graphics[0].id].size[0] == pytest.approx(38.1)
    # Place: the model is dropped, the graphic is laid on the sunken field by two clicks.
    drop(window, tmp_path / "lid.stl")
    settle(window)
    place, stage = window.sheets["place"], window.stage
    assert window.current == "place" and "watertight" in place.body.card.subtitle.text()
    QTest.mouseClick(place.add, LEFT)
    QTest.mouseClick(stage, LEFT, NONE, stage.to_widget((6, -4, 13.4)).toPoint())
    settle(window)
    placed = window.document.job.placements[0]
    assert placed.point == pytest.approx((6, -4, 13.4), abs=0.6) and placed.normal == pytest.approx((0, 0, 1))
    assert place.face().origin == pytest.approx([6, -4, 13.4], abs=1e-4)
    # The distance to the field's left edge is typed into its dimension: (44 - 38.1) / 2 becomes 2.
    face = window.face
    assert face.distances()["left"] == pytest.approx(2.95, abs=0.01)
    qtbot.waitUntil(lambda: not face.figure_box("left").isEmpty())
    QTest.mouseClick(face, LEFT, NONE, face.figure_box("left").center().toPoint())
    QTest.keyClicks(face.dimensions.editor, "2")
    QTest.keyClick(face.dimensions.editor, Qt.Key.Key_Return)
    assert window.document.job.placements[0].offset == pytest.approx((-0.95, 0), abs=0.01)
    # Dragging it square on moves it by what the mouse moved.
    centre = face.to_widget(face.graphic_box().center().x(), face.graphic_box().center().y())
    drag(face, centre, face.to_widget(-0.95 + 1.2, 4.0))
    settle(window)
    assert window.document.job.placements[0].offset[1] == pytest.approx(4.0, abs=0.3)
    # Near the middle of the face it is drawn to it.
    assert window.document.job.placements[0].offset[0] == 0.0
    # Depth: amber flush by 0.6.
    amber = next(i for i in range(2) if place.fields.depths.itemAt(i).widget().title.text() == "amber")
    card = place.fields.depths.itemAt(amber).widget()
    mode = card.findChild(QComboBox)
    mode.setCurrentIndex(mode.findData("flush"))
    mode.activated.emit(mode.currentIndex())
    settle(window)
    rule = window.document.job.placements[0].depth_of("#e0a32a")
    assert rule.mode == "flush" and window.document.job.placements[0].depth_of("#1e1e1e").mode == "raised"
    # Split: a bed of 60 x 60 takes no lid of 82 mm; Proof stops, its mend proposes cuts.
    QTest.keyClick(window, Qt.Key.Key_3, CTRL)
    split = window.sheets["split"]
    for field in split.bed.bed[:2]:
        type_into(field, "60")
    type_into(split.bed.margin, "0")
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    proof = window.sheets["proof"]
    assert titles(proof.cards)[0].startswith("Larger than the bed") and not proof.write.isEnabled()
    mend = proof.cards.itemAt(0).widget().findChild(QPushButton)
    QTest.mouseClick(mend, LEFT)
    settle(window)
    assert window.current == "split" and {c.axis for c in window.document.job.cuts} == {"x", "y"}
    # Colour: the body is printed in Moss.
    QTest.keyClick(window, Qt.Key.Key_4, CTRL)
    colour = window.sheets["colour"]
    choice = colour.list.itemAt(0).widget().findChild(QComboBox)
    choice.setCurrentText("Moss PLA")
    choice.textActivated.emit("Moss PLA")
    settle(window)
    # Proof: export by keyboard and read the file back.
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    assert proof.write.isEnabled()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "kit"))
    QTest.keyClick(window, Qt.Key.Key_E, CTRL)
    settle(window)
    read = read_3mf(tmp_path / "kit" / "kit.3mf")
    assert not read.warnings and all(b.manifold for b in read.bodies)
    assert {f"{u.name} Moss PLA" for u in window.engine.kit.units if not u.is_key} <= {
        b.name for b in read.bodies
    }
    sections = {b.name.split(" ", 1)[1] for b in read.bodies if not b.name.startswith(("Dowel", "Bow-tie"))}
    assert sections == {"Moss PLA", "Honey PLA", "Soot PLA"}
    kit = window.engine.kit
    assert sum(b.volume * b.copies for b in read.bodies) == pytest.approx(
        kit.design_volume - kit.clearance_volume, rel=1e-6
    )
    assert (
        proof.done.title.text() == "Written"
        and "read back by two readers without a warning" in proof.done.subtitle.text()
    )
    # Undo leads all the way back, redo all the way forward again.
    end = window.document.job
    for _ in range(40):
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.document.job.graphics == () and not window.undo_button.isEnabled()
    for _ in range(40):
        QTest.keyClick(window, Qt.Key.Key_Y, CTRL)
    assert window.document.job == end
    settle(window)
    window.document.edit("rename", replace(window.document.job, name="Another"))
    settle(window)
    assert proof.done.title.text() == "Out of date" and "since kit was written" in proof.done.subtitle.text()
    window.document.undo()
    window.show_sheet("proof")
    settle(window)
    assert proof.done.title.text() == "Written"


def test_a_picture_is_pasted_and_a_plate_made_for_it(window, settle, qtbot):
    rgb = checker(100)
    QApplication.clipboard().setImage(
        QImage(rgb.tobytes(), 100, 100, 300, QImage.Format.Format_RGB888).copy()
    )
    QTest.keyClick(window, Qt.Key.Key_V, CTRL)
    settle(window)
    assert [g.name for g in window.document.job.graphics] == ["Pasted picture"]
    # A picture dragged out of another program comes without a file.
    data = QMimeData()
    data.setImageData(QImage(rgb.tobytes(), 100, 100, 300, QImage.Format.Format_RGB888).copy())
    QApplication.sendEvent(
        window, QDragEnterEvent(QPoint(600, 300), Qt.DropAction.CopyAction, data, LEFT, NONE)
    )
    QApplication.sendEvent(window, QDropEvent(QPointF(600, 300), Qt.DropAction.CopyAction, data, LEFT, NONE))
    settle(window)
    assert [g.name for g in window.document.job.graphics] == ["Pasted picture", "Dropped picture"]
    window.document.undo()
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    place = window.sheets["place"]
    next(a for a in place.body.make.menu().actions() if a.text().startswith("Plate")).trigger()
    settle(window)
    base = window.document.job.base
    assert isinstance(base, PlateBase) and base.width == pytest.approx(70)
    type_into(place.body.form.fields["height"], "2mm + 2mm")
    settle(window)
    assert window.document.job.base.height == 4
    QApplication.clipboard().clear()
    QTest.keyClick(window, Qt.Key.Key_V, CTRL)
    assert "no picture on the clipboard" in window.message.text


def test_cuts_are_dragged_added_and_deleted_on_the_stage(window, settle, qtbot):
    window.document.start(*demo_job("sign"))
    QTest.keyClick(window, Qt.Key.Key_3, CTRL)
    settle(window)
    split, stage = window.sheets["split"], window.stage
    number = next(n for n, c in enumerate(window.document.job.cuts) if c.axis == "x")
    cut = window.document.job.cuts[number]
    tab = split.rulers.tab(cut)
    assert split.grab(tab) is not None
    seen = []
    window.engine.updated.connect(
        lambda kind: seen.append((kind, window.engine.sections is not None, len(stage.items)))
    )
    drag(stage, tab, split.rulers._at("x", -120.0))
    settle(window)
    # New sections stand on the stage before their keys are set, and nothing of the kit before is drawn with
    # them.
    kinds = [kind for kind, _, _ in seen]
    assert (
        kinds.index("sections") < kinds.index("kit")
        and ("sections", True, 19) in seen
        and window.engine.sections is None
    )
    moved = window.document.job.cuts[number]
    assert moved.axis == "x" and moved.at == pytest.approx(-120, abs=1.5)
    assert window.document.undo_text == "move a cut"
    QTest.keyClick(stage, Qt.Key.Key_Right)
    assert window.document.job.cuts[number].at == pytest.approx(moved.at + 1)
    QTest.keyClick(stage, Qt.Key.Key_Delete)
    assert len(window.document.job.cuts) == 2
    settle(window)
    sizes = sorted(u.size[0] for u in window.engine.kit.units if not u.is_key)
    left = next(c.at for c in window.document.job.cuts if c.axis == "x")
    assert sizes[-1] == pytest.approx(260 + left, abs=0.1)
    findings = {f.kind: f.severity for f in window.engine.kit.findings}
    assert findings["fits bed"] == "stop" and window.tabs.tabs["proof"]._badge > 0
    split.apart.setValue(60)
    assert any(np.any(i.shift) for i in stage.items)
    split.apart.setValue(0)
    type_into(split.joints.fields["size"], "3")
    settle(window)
    assert window.document.job.keys.size == 3 and any(
        "Dowel 3 × 15" in u.name for u in window.engine.kit.units
    )


def test_the_rack_and_one_filament_alone(window, settle, monkeypatch):
    window.document.start(*demo_job("lid"))
    QTest.keyClick(window, Qt.Key.Key_4, CTRL)
    settle(window)
    colour = window.sheets["colour"]
    type_into(colour.name, "Heather PLA, #8a6fa8")
    settle(window)
    assert window.document.job.rack[0].name == "Heather PLA"
    # One that is on the rack is not put there twice; a colour is chosen instead of typed, for a new one and
    # for one that is there.
    type_into(colour.name, "Heather PLA")
    assert "no filament of the rack has yet" in window.message.text
    monkeypatch.setattr(QColorDialog, "getColor", lambda *a, **k: QColor("#123456"))
    colour._choose_new()
    type_into(colour.name, "Night PLA")
    assert (window.document.job.rack[0].name, window.document.job.rack[0].colour) == ("Night PLA", "#123456")
    menu = next(c for c in colour.left.findChildren(Card) if c.title.text() == "Heather PLA").context()
    next(a for a in menu.actions() if a.text() == "Another colour…").trigger()
    assert (
        window.document.job.rack[1].colour == "#123456"
        and window.document.undo_text == "change the colour of Heather PLA"
    )
    assert [a.isEnabled() for a in menu.actions()] == [True, True, True]
    first = next(
        c
        for c in (colour.rack.itemAt(k).widget() for k in range(colour.rack.count()))
        if c.title.text() == "Honey PLA"
    )
    QTest.mouseClick(first, LEFT)
    assert {i.opacity for i in window.stage.items} == {1.0, 0.08}


def test_the_stage_shows_turns_and_finds_what_is_clicked(window, settle, qtbot):
    window.document.start(*demo_job("lid"))
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    settle(window, 0.4)
    stage = window.stage
    picture = stage.grab().toImage()
    p = stage.to_widget((-30, 20, 14)).toPoint()
    moss = picture.pixelColor(p)
    assert moss.green() > moss.blue() + 15 and moss.alpha() == 255
    hit = stage.pick(QPointF(p))
    assert (
        hit is not None
        and hit.point == pytest.approx([-30, 20, 14], abs=0.6)
        and hit.normal == pytest.approx([0, 0, 1], abs=1e-6)
    )
    assert stage.pick(QPointF(3, 3)) is None
    before = stage.camera
    drag(stage, QPointF(100, 100), QPointF(160, 130))
    assert stage.camera.turn != before.turn and stage.camera.tilt != before.tilt
    assert stage.to_widget(stage.camera.target).x() == pytest.approx(stage.width() / 2)
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    assert stage.camera.tilt == 90
    assert len({i.key for i in stage.items}) == 4


def test_a_model_can_be_changed_for_another_and_everything_follows(window, settle, tmp_path):
    """The same graphic on another model: nothing is imported twice."""
    window.document.start(*demo_job("lid"))
    settle(window)
    (tmp_path / "plate.stl").write_bytes(models.stl_of(models.hive_plate(), "plate"))
    drop(window, tmp_path / "plate.stl")
    settle(window)
    assert isinstance(window.document.job.base, ModelBase)
    assert window.engine.design.size == pytest.approx((140, 60, 4.8), abs=1e-3)
    assert len(window.document.job.placements) == 1 and window.engine.design.placed[0].floor == pytest.approx(
        4, abs=1e-3
    )


def test_pictures_of_the_demo_can_be_taken_in_one_go(window, settle, tmp_path):
    for name, data in (
        ("bee.png", pictures.png_bytes(pictures.bee())),
        ("sprig.png", pictures.png_bytes(pictures.sprig())),
    ):
        (tmp_path / name).write_bytes(data)
    drop(window, tmp_path / "bee.png", tmp_path / "sprig.png")
    settle(window)
    assert [g.name for g in window.document.job.graphics] == ["Bee", "Sprig"]
    trace = window.sheets["trace"]
    trace.picker.setCurrentIndex(0)
    trace.picker.activated.emit(0)
    assert window.desk.spec().name == "Bee" and titles(trace.colours.chips) == ["black", "cream", "amber"]
    QTest.mouseClick(trace.delete, LEFT)
    settle(window)
    assert [g.name for g in window.document.job.graphics] == ["Sprig"]
