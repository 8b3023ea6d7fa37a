"""The shortest way a newcomer can take: from the empty start to the kit of a key chain, counted action by
action."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from tests.app.test_path import CTRL, LEFT, type_into
from tests.app.test_place import choose, click_model
from tests.conftest import png

from cutkey.core.addons.hole import Hole
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.kit.threemf import read_3mf


def four_colours(size: int = 240) -> bytes:
    """A disc of four colours on white."""
    y, x = np.mgrid[:size, :size] + 0.5 - size / 2
    rgb = np.full((size, size, 3), 255, np.uint8)
    inside = np.hypot(x, y) < size * 0.45
    for k, colour in enumerate(((200, 40, 40), (30, 30, 30), (60, 120, 60), (224, 163, 42))):
        rgb[inside & ((x > 0) == bool(k & 1)) & ((y > 0) == bool(k & 2))] = colour
    return png(rgb)


def test_a_key_chain_takes_at_most_fourteen_actions(window, settle, qtbot, monkeypatch, tmp_path):
    """60 mm, backing 1 mm, figure 2 mm, a hole of 3 mm, four colours: the numbers are common practice, no
    source."""
    (tmp_path / "badge.png").write_bytes(four_colours())
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "badge.png"), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "kit"))
    actions = 0

    def act(run, *words) -> None:
        nonlocal actions
        actions += 1
        run(*words)
        settle(window)

    place = window.sheets["place"]
    assert window.welcome.isVisible() and not window.strips.isVisible()
    act(QTest.mouseClick, window.welcome.areas[0], LEFT)  # and the file
    qtbot.waitUntil(lambda: bool(window.document.job.graphics), timeout=60_000)
    settle(window)
    assert not window.welcome.isVisible() and window.strips.isVisible()
    act(type_into, window.sheets["trace"].size.width_field, "60")
    act(QTest.keyClick, window, Qt.Key.Key_2, CTRL)
    actions += 1  # the menu is opened
    act(choose, place.body.make.menu(), "Backing")
    job = window.document.job
    assert isinstance(job.base, BackingBase) and [p.graphic for p in job.placements] == [job.graphics[0].id]
    act(type_into, place.body.form.fields["height"], "1")
    first = place.fields.depths.itemAt(0).widget()
    act(type_into, first.mm, "2")
    act(QTest.mouseClick, place.fields.depths.itemAt(0).widget().all, LEFT)
    actions += 1
    act(choose, place.body.addons.add.menu(), "Round hole")
    act(click_model, window, 0.0, 24.0, 1.0)
    act(QTest.keyClick, window, Qt.Key.Key_E, CTRL)  # and the folder
    qtbot.waitUntil(lambda: (tmp_path / "kit" / "kit.3mf").exists(), timeout=60_000)
    QApplication.processEvents()
    settle(window)
    actions += 2  # the two dialogs
    assert actions <= 14, actions
    job = window.document.job
    assert (
        {d.mm for d in job.placements[0].depths} == {2.0}
        and job.base.height == 1
        and job.graphics[0].width_mm == pytest.approx(60)
    )
    (hole,) = job.addons
    assert hole.feature == Hole(3.0) and hole.offset == (
        pytest.approx(0, abs=0.5),
        pytest.approx(24, abs=0.6),
    )
    read = read_3mf(tmp_path / "kit" / "kit.3mf")
    assert all(b.manifold for b in read.bodies) and len(read.bodies) == 5
    assert window.engine.design.size[2] == pytest.approx(3.0, abs=1e-6)
