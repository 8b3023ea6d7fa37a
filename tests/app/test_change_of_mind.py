"""The whole in the real window: picture to kit, another picture, another model, kit again; and a key
chain by keyboard alone."""

from __future__ import annotations

import pytest
import trimesh
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QSlider,
    QWidget,
)
from tests.app.test_keychain import four_colours
from tests.app.test_path import CTRL, LEFT, drag, drop, type_into
from tests.conftest import checker, png

from cutkey.core.addons.hole import Hole
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.model.cuts import Cut

SHIFT = Qt.KeyboardModifier.ShiftModifier


def volumes(path) -> dict[str, float]:
    """Volume of each colour in a written kit, as trimesh computes it."""
    out: dict[str, float] = {}
    for body in read_3mf(path).bodies:
        mesh = trimesh.Trimesh(body.mesh.vertices, body.mesh.triangles, process=True)
        assert mesh.is_watertight
        out[body.colour] = out.get(body.colour, 0.0) + float(mesh.volume)
    return out


def test_picture_to_kit_then_another_picture_another_model_and_the_kit_again(
    window, settle, qtbot, monkeypatch, tmp_path
):
    (tmp_path / "two.png").write_bytes(png(checker(200)))
    (tmp_path / "four.png").write_bytes(four_colours())
    trimesh.creation.box((90, 70, 6)).apply_translation((45, 35, 3)).export(tmp_path / "slab.stl")
    trimesh.creation.box((120, 70, 9)).apply_translation((60, 35, 4.5)).export(tmp_path / "wide.stl")
    folder = tmp_path / "kit"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(folder))
    place, stage, face = window.sheets["place"], window.stage, window.face

    def written() -> dict[str, float]:
        before = (folder / "kit.3mf").stat().st_mtime_ns if folder.exists() else 0
        settle(window)
        QTest.keyClick(window, Qt.Key.Key_E, CTRL)
        qtbot.waitUntil(
            lambda: (folder / "kit.3mf").exists() and (folder / "kit.3mf").stat().st_mtime_ns != before,
            timeout=60_000,
        )
        settle(window)
        return volumes(folder / "kit.3mf")

    drop(window, tmp_path / "two.png")
    settle(window)
    drop(window, tmp_path / "slab.stl")
    settle(window)
    QTest.mouseClick(place.add, LEFT)
    QTest.mouseClick(stage, LEFT, Qt.KeyboardModifier.NoModifier, stage.to_widget((40, 30, 6)).toPoint())
    settle(window)
    type_into(place.fields.width_, "40")
    settle(window)
    middle = face.to_widget(*face.main().at)
    drag(face, middle, face.to_widget(12.0, 6.0))
    settle(window)
    _, knob = face.hands.handles(face.to_widget)
    x, y = face.main().at
    drag(face, knob, face.to_widget(x - 25, y + 0.3))
    settle(window)
    placement = window.document.job.placements[0]
    assert placement.spin == 90 and placement.offset == pytest.approx((12, 6), abs=1)
    first = written()
    layers = 4 * window.document.job.printer.layer
    areas = [m.area for m in window.engine.graphics[placement.graphic].measures]
    raised = sum(first.values()) - 90 * 70 * 6
    assert raised == pytest.approx(sum(areas) * layers, rel=2e-3) and len(first) == 3
    # Another picture: place, turn, size and depth stay, the new colours have the old ones' rules.
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "four.png"), ""))
    QTest.keyClick(window, Qt.Key.Key_I, CTRL | SHIFT)
    qtbot.waitUntil(lambda: window.swapping.trial is not None, timeout=60_000)
    settle(window)
    window.swapping.keep()
    settle(window)
    (now,) = window.document.job.placements
    assert (now.spin, now.offset) == (
        placement.spin,
        placement.offset,
    ) and window.document.undo_text.startswith("use four.png")
    assert max(window.engine.graphics[now.graphic].size) == pytest.approx(40, abs=0.2)
    # Another model, wider and thicker: the graphic lies on its top, in the same part of it.
    drop(window, tmp_path / "wide.stl")
    settle(window)
    (there,) = window.document.job.placements
    assert there.normal == (0.0, 0.0, 1.0) and there.point[2] == pytest.approx(9)
    assert there.offset[0] == pytest.approx(12 * 120 / 90, abs=1.5)
    second = written()
    areas = [m.area for m in window.engine.graphics[now.graphic].measures]
    assert (
        sum(second.values()) - 120 * 70 * 9 == pytest.approx(sum(areas) * layers, rel=2e-3)
        and len(second) == 5
    )
    # All of it is taken back, and redone.
    job, steps = window.document.job, window.document.steps[1]
    for _ in range(steps):
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.document.undo_text == "" and window.document.job.graphics == ()
    for _ in range(steps):
        QTest.keyClick(window, Qt.Key.Key_Y, CTRL)
    assert window.document.job == job
    settle(window)


def keyboard_to(window, wanted: QWidget, most: int = 400) -> None:
    """Go to a control with Tab alone."""
    for _ in range(most):
        if QApplication.focusWidget() is wanted:
            return
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)
    raise AssertionError(f"Tab does not come to {wanted.accessibleName()}")


def test_a_key_chain_by_keyboard_alone(window, settle, qtbot, monkeypatch, tmp_path):
    """No mouse: menus by their letters or the finder, fields and buttons by Tab, sides of the model by
    name."""
    (tmp_path / "badge.png").write_bytes(four_colours())
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "badge.png"), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "kit"))
    window.activateWindow()
    place = window.sheets["place"]
    QTest.keyClick(window, Qt.Key.Key_I, CTRL)
    qtbot.waitUntil(lambda: bool(window.document.job.graphics), timeout=60_000)
    settle(window)

    def type_at(field, text: str) -> None:
        keyboard_to(window, field)
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        settle(window)

    def pick_from(b: QPushButton, start: str) -> None:
        keyboard_to(window, b)
        menu = b.menu()
        monkeypatch.setattr(menu, "popup", lambda *a: None, raising=False)
        index = [a.text().startswith(start) for a in menu.actions()].index(True)
        menu.show()
        for _ in range(index + 1):
            QTest.keyClick(menu, Qt.Key.Key_Down)
        QTest.keyClick(menu, Qt.Key.Key_Return)
        menu.hide()
        window.activateWindow()
        settle(window)

    type_at(window.sheets["trace"].size.width_field, "60")
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    settle(window)
    pick_from(place.body.make, "Backing")
    assert isinstance(window.document.job.base, BackingBase)
    type_at(place.body.form.fields["height"], "1")
    type_at(place.fields.depths.itemAt(0).widget().mm, "2")
    alike = place.fields.depths.itemAt(0).widget().all
    keyboard_to(window, alike)
    QTest.keyClick(alike, Qt.Key.Key_Space)
    settle(window)
    pick_from(place.body.addons.add, "Round hole")
    keyboard_to(window, place.hint.sides["top"])
    QTest.keyClick(place.hint.sides["top"], Qt.Key.Key_Space)
    settle(window)
    type_at(place.body.addons._place.fields["up"], "24")
    QTest.keyClick(window, Qt.Key.Key_E, CTRL)
    qtbot.waitUntil(lambda: (tmp_path / "kit" / "kit.3mf").exists(), timeout=60_000)
    settle(window)
    (hole,) = window.document.job.addons
    assert (
        hole.feature == Hole(3.0)
        and hole.offset[1] == 24
        and {d.mm for d in window.document.job.placements[0].depths} == {2.0}
    )
    assert len(read_3mf(tmp_path / "kit" / "kit.3mf").bodies) == 5 and window.engine.design.size[
        2
    ] == pytest.approx(3.0, abs=1e-6)


def test_every_disabled_control_says_why(window, settle):
    """On every sheet, empty and with a job: what cannot be used tells the reason under the mouse."""
    from cutkey.demo.jobs import demo_job

    kinds = (QAbstractButton, QComboBox, QLineEdit, QSlider)

    def silent() -> list[str]:
        off = [w for kind in kinds for w in window.findChildren(kind) if w.isVisible() and not w.isEnabled()]
        # A part of something larger (a spin box's field, a group) is told of there.
        off = [
            w
            for w in off
            if w.parentWidget() is None or w.parentWidget().isEnabled() or w.property("tip") is not None
        ]
        return [w.accessibleName() for w in off if not w.toolTip() or w.toolTip() == w.property("tip")]

    for demo in ("", "lid", "plate"):
        if demo:
            job, sources = demo_job(demo)
            window.document.start(replace(job, cuts=(Cut("x", 10.0),)) if demo == "plate" else job, sources)
        for k in window.sheets:
            window.show_sheet(k)
            settle(window)
            assert silent() == [], (demo, k)
    menu = window.sheets["place"].cards._menu(window.document.job.placements[0].id)
    off = [a for a in menu.findChildren(QAction) if not a.isEnabled() and a.text()]
    assert all(a.toolTip() != a.text() for a in off) and menu.toolTipsVisible()
    # The right button asks what can be done on every drawing; released where it was pressed, so that it can
    # still move the stage.
    for k in window.sheets:
        window.show_sheet(k)
        settle(window)
        drawing = window.table if k == "trace" else window.stage
        QTest.mouseClick(
            drawing, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, drawing.rect().center()
        )
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu) and len(menu.actions()) >= 4, k
        assert "Look from above" in [a.text() for a in menu.actions()] or k in ("trace", "place")
        menu.close()
    window.show_sheet("colour")
    settle(window)
    menu = window.sheets["colour"].menu(window.stage.rect().center().toPointF())
    alone = next(a for a in menu.actions() if a.text().endswith(" alone"))
    alone.trigger()
    assert window.sheets["colour"].alone in alone.text() and {i.opacity for i in window.stage.items} == {
        1.0,
        0.08,
    }
