"""What keeps work safe and people informed: messages, files, recovery, themes, keys."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from tests.app.test_path import CTRL, LEFT, NONE, drop, type_into
from tests.conftest import png

from cutkey.app.drafting import dimension
from cutkey.app.theme import theme
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.cuts import Cut
from cutkey.core.model.file import save_job
from cutkey.core.model.job import Job
from cutkey.demo import models
from cutkey.demo.jobs import demo_job


def press(window, text: str) -> None:
    """Press a button of the message strip."""
    found = [b for b in window.message.findChildren(QPushButton) if b.text() == text and not b.isHidden()]
    assert found, [b.text() for b in window.message.findChildren(QPushButton)]
    QTest.mouseClick(found[-1], LEFT)


def huge(path: Path) -> None:
    Image.new("1", (20_000, 20_000)).save(path)


BAD = {
    "truncated.stl": (
        lambda p: p.write_bytes(models.stl_of(models.jar_lid(), "x")[:4000]),
        "truncated.stl is cut short",
    ),
    "letter.png": (lambda p: p.write_text("no picture"), "letter.png is not a picture"),
    "empty.svg": (
        lambda p: p.write_text('<svg xmlns="http://www.w3.org/2000/svg"/>'),
        "empty.svg holds no filled shape",
    ),
    "zero.3mf": (lambda p: p.write_bytes(b""), "zero.3mf is empty"),
    "huge.png": (huge, "huge.png is 20000 × 20000 px"),
    "zero.cutkey": (lambda p: p.write_bytes(b""), "zero.cutkey is empty"),
    "notes.txt": (lambda p: p.write_text("hello"), "notes.txt is no picture"),
    "blank.png": (
        lambda p: p.write_bytes(png(np.full((30, 30, 3), 255))),
        "blank.png has nothing on its background",
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_are_refused_on_the_page_and_nothing_is_lost(name, window, settle, tmp_path):
    make, why = BAD[name]
    make(tmp_path / name)
    window.document.start(*demo_job("cap"))
    settle(window)
    before, kit = window.document.job, window.engine.kit
    drop(window, tmp_path / name)
    settle(window)
    assert why in window.message.text and window.message.text.endswith(".") and window.message.isVisible()
    if name == "blank.png":
        # It is a picture, only nothing can be traced in it: undo is offered.
        press(window, "undo")
        settle(window)
        assert window.message.text == ""
    assert window.document.job == before and window.engine.kit is kit


def test_a_model_in_inches_asks_on_the_page(window, settle, tmp_path):
    (tmp_path / "inch.stl").write_bytes(models.stl_of(models.jar_lid().scale((1 / 25.4,) * 3), "lid"))
    drop(window, tmp_path / "inch.stl")
    settle(window)
    assert "drawn in inches (82 × 82 × 14 mm)" in window.message.text and window.document.job.base is None
    press(window, "it is in inch")
    settle(window)
    assert window.document.job.base.unit == "inch" and window.engine.body.size == pytest.approx(
        (82, 82, 14), abs=1e-3
    )
    assert window.message.text == ""


def test_esc_stops_a_long_computation_and_the_old_result_stays(window, settle, qtbot):
    from tests.test_worker import heavy_job

    window.document.start(*demo_job("cap"))
    settle(window)
    job, sources = heavy_job(700)
    window.document.sources.update(sources)
    kit = window.engine.kit
    window.document.edit("heavy", job)
    qtbot.waitUntil(lambda: window.block._fraction > 0.3, timeout=60_000)
    assert window.block._cancel.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not window.engine.busy, timeout=10_000)
    assert window.engine.kit is kit and window.document.job == job and window.block._fraction < 0
    window.document.undo()
    settle(window)
    assert window.message.text == ""


@pytest.mark.cold
def test_the_worker_may_die_and_the_next_edit_works(window, settle, qtbot):
    window.document.start(*demo_job("cap"))
    qtbot.waitUntil(lambda: window.block._fraction > 0.1, timeout=20_000)
    os.kill(window.engine.worker_pid, signal.SIGKILL)
    qtbot.waitUntil(lambda: "the job is safe" in window.message.text, timeout=20_000)
    window.document.edit("rename", replace(window.document.job, name="Still here"))
    settle(window)
    assert window.engine.kit is not None and window.message.text == ""


def test_number_fields_understand_units_and_refuse_nonsense(qtbot):
    field = NumberField("Width", "mm", 1, 500, 1.0)
    qtbot.addWidget(field)
    field.show()
    field.set_value(20)
    heard: list[float] = []
    field.committed.connect(heard.append)
    field.stepped.connect(heard.append)
    type_into(field, "2in")
    assert heard == [50.8] and field.text() == "50.8 mm"
    type_into(field, "wide")
    assert field.property("wrong") and "not a number" in field.toolTip() and heard == [50.8]
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "50.8 mm" and not field.property("wrong")
    type_into(field, "900")
    assert "Between 1 and 500" in field.toolTip()
    QTest.keyClick(field, Qt.Key.Key_Escape)
    QTest.keyClick(field, Qt.Key.Key_Up)
    QTest.keyClick(field, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert heard[1:] == [51.8, 41.8]


def test_sheets_by_key_finder_and_theme(window, settle):
    window.document.start(*demo_job("cap"))
    for k, sheet in enumerate(window.sheets):
        QTest.keyClick(window, Qt.Key.Key_1 + k, CTRL)
        assert window.current == sheet and window.tabs.tabs[sheet].isChecked()
    QTest.keyClick(window, Qt.Key.Key_K, CTRL)
    assert QApplication.focusWidget() is window.finder or window.finder.hasFocus()
    window.finder.setText("from above")
    window.finder.returnPressed.emit()
    assert window.stage.camera.tilt == 90
    settle(window)
    paper = window.grab().toImage().pixelColor(30, 700)
    window.switch_theme()
    settle(window)
    night = window.grab().toImage().pixelColor(30, 700)
    window.switch_theme()
    assert paper.lightness() > 200 and night.lightness() < 60 and theme.name == "paper"


def cut_plate() -> tuple[Job, dict[str, bytes]]:
    """The demo's hive plate in two sections: everything there is of a job, and soon there."""
    job, sources = demo_job("plate")
    return replace(job, cuts=(Cut("x", 10.0),)), sources


def test_every_control_has_a_name_and_no_text_is_threshold(window, settle):
    from PySide6.QtWidgets import QAbstractButton, QComboBox, QLineEdit, QSlider

    window.document.start(*cut_plate())
    for k in window.sheets:
        window.show_sheet(k)
        settle(window)
        for kind in (QAbstractButton, QComboBox, QLineEdit, QSlider):
            for control in window.findChildren(kind):
                if (
                    control.isVisible()
                    and control.parent() is not None
                    and not control.objectName().startswith("qt_")
                ):
                    assert control.accessibleName() or getattr(control, "text", str)(), (k, control)
        for b in window.findChildren(QPushButton):
            if b.isVisible() and b.text():
                assert b.fontMetrics().horizontalAdvance(b.text()) <= b.width() - 4, (k, b.text())


def test_a_dimension_writes_its_figure_between_or_beside(qtbot):
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QImage, QPainter

    image = QImage(200, 100, QImage.Format.Format_RGB32)
    image.fill(theme.colour("sheet"))
    painter = QPainter(image)
    wide = dimension(painter, QPointF(20, 50), QPointF(180, 50), "160")
    narrow = dimension(painter, QPointF(20, 80), QPointF(30, 80), "10")
    painter.end()
    assert wide.center().x() == pytest.approx(100) and narrow.left() >= 30


def test_a_job_named_on_the_command_line_opens(tmp_path):
    save_job(tmp_path / "a.cutkey", replace(Job(), name="A", base=PlateBase()), {})
    script = tmp_path / "run.py"
    script.write_text(
        "from PySide6.QtCore import QTimer\nimport cutkey.app.keeper as k\ndef say(w):\n   "
        " print(w.document.job.name, w.isVisible(), flush=True); w._leaving = True; w.close()\nif __name__"
        " == '__main__':\n    old = k.Keeper.offer_recovery\n    k.Keeper.offer_recovery = lambda self:"
        " (old(self), QTimer.singleShot(200, lambda: say(self._window)))\n    from cutkey.cli.main import"
        f" main\n    raise SystemExit(main([{str(tmp_path / 'a.cutkey')!r}]))\n"
    )
    done = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, timeout=60)
    assert done.stdout == "A True\n" and done.returncode == 0, done.stderr


def test_clicking_a_finding_shows_its_place(window, settle, tmp_path):
    rgb = np.full((200, 200, 3), 255, np.uint8)
    rgb[20:180, 20:60] = rgb[20:180, 140:180] = rgb[98:101, 60:140] = (30, 30, 30)
    (tmp_path / "neck.png").write_bytes(png(rgb))
    drop(window, tmp_path / "neck.png")
    settle(window)
    type_into(window.sheets["trace"].size.width_field, "15")
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    place = window.sheets["place"]
    settle(window)
    place.body._make(PlateBase)
    settle(window)
    QTest.mouseClick(place.add, LEFT)
    QTest.mouseClick(window.stage, LEFT, NONE, window.stage.to_widget((0, 0, 3)).toPoint())
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_5, CTRL)
    proof = window.sheets["proof"]
    finding = proof.findings[0]
    # 3 px of 160 px at 15 mm: 0.28 mm.
    assert finding.kind == "thin" and finding.figure == pytest.approx(0.28, abs=0.05) and finding.limit == 0.4
    card = proof.cards.itemAt(0).widget()
    QTest.mouseClick(next(b for b in card.findChildren(QPushButton) if b.text() == "show the place"), LEFT)
    assert window.stage.to_widget(finding.place).toPoint() == QPoint(
        window.stage.width() // 2, window.stage.height() // 2
    ) or (window.stage.camera.target == finding.place)


def test_an_edit_that_makes_no_sense_is_refused_and_the_job_stays(window, settle):
    window.document.start(*demo_job("cap"))
    settle(window)
    job = window.document.job
    window.document.edit("break it", replace(job, graphics=job.graphics[1:]))
    assert (
        window.document.job == job
        and "That was not done: a placement belongs to a graphic" in window.message.text
    )
    window.document.edit("blow it up", replace(job, base=PlateBase(float("inf"))))
    assert window.document.job == job and window.document.undo_text == ""


@pytest.mark.cold
def test_a_compute_process_that_does_not_come_up_or_hangs_is_told(window, settle, qtbot, monkeypatch):
    from tests.test_worker import dies

    with monkeypatch.context() as m:
        m.setattr("cutkey.worker.client.serve", dies)
        os.kill(window.engine.worker_pid, signal.SIGKILL)
        window.document.edit("plate", replace(window.document.job, base=PlateBase()))
        qtbot.waitUntil(lambda: "does not start (ended with code 3)" in window.message.text, timeout=60_000)
        assert not window.engine.busy and window.block._fraction < 0
        window.document.edit("plate", replace(window.document.job, base=PlateBase(50.0)))
        assert "does not start" in window.message.text
    press(window, "try again")
    settle(window)
    assert window.engine.body is not None and window.engine.body.size[0] == 50
    # One that stands still is replaced, and what it was asked is asked again.
    monkeypatch.setattr("cutkey.worker.client.STILL", 0.8)
    window.document.start(*demo_job("sign"))
    qtbot.waitUntil(lambda: window.block._fraction > 0.4, timeout=60_000)
    first = window.engine.worker_pid
    os.kill(first, signal.SIGSTOP)
    qtbot.waitUntil(lambda: "stood still" in window.message.text, timeout=20_000)
    settle(window)
    assert window.engine.worker_pid != first and window.engine.kit is not None and not window.engine.failed


@pytest.mark.cold
def test_what_goes_wrong_is_in_the_log_and_nothing_of_the_pictures_is(own_state):
    script = Path(__file__).parent.parent / "log_window.py"
    done = subprocess.run(
        [sys.executable, str(script), str(own_state)], capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0 and done.stdout.endswith("well\n"), done.stdout[-2000:] + done.stderr[-4000:]


def test_a_message_about_a_step_passes_with_the_next_edit(window, settle):
    window.files.save_drawing()
    assert "no graphic yet" in window.message.text
    window.document.start(*demo_job("coin"))
    settle(window)
    assert window.message.text == ""
