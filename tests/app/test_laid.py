"""Beds in the real window: pieces are dragged from bed to bed, turned, and laid on another side."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu
from tests.app.test_path import drag

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.cuts import Cut
from cutkey.core.model.job import Job, KitFiles
from cutkey.core.model.printer import Printer
from cutkey.demo.jobs import demo_job

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def beds(window, settle):
    """Four sections on beds that take two each."""
    cuts = tuple(Cut("x", x) for x in (-60.0, 0.0, 60.0))
    window.document.start(
        Job(base=PlateBase(240, 90, 12), cuts=cuts, printer=Printer(bed=(150, 150, 100))), {}
    )
    window.show_sheet("split")
    settle(window)
    return window.sheets["split"].pages.beds


def place_of(beds, name: str) -> QPointF:
    beds.loads.grab()
    numbers = [n for n, s in enumerate(beds._kit.spots) if beds._kit.units[s.unit].name == name]
    return next(path for n, path in beds.loads._paths if n in numbers).boundingRect().center()


def load_of(beds, name: str) -> int:
    return next(s.load for s in beds._kit.spots if beds._kit.units[s.unit].name == name)


def test_a_piece_is_dragged_to_a_bed_of_its_own_and_back(window, beds, settle):
    loads = beds.loads
    before = {u.name: load_of(beds, u.name) for u in beds._kit.units if not u.is_key}
    QTest.mouseClick(loads, LEFT, NONE, place_of(beds, "A1").toPoint())
    assert (
        beds._beside.isVisible()
        and beds.title.text() == f"A1 on bed {before['A1'] + 1}"
        and not beds.anew.isEnabled()
    )
    p = place_of(beds, "A1")
    drag(loads, p, loads._boxes[-1].center())
    settle(window)
    count = max(before.values()) + 1
    assert load_of(beds, "A1") == count and window.document.undo_text == f"put A1 on bed {count + 1}"
    assert all(load_of(beds, n) == b for n, b in before.items() if n != "A1") and beds.anew.isEnabled()
    # Over another it does not stay, and that is said.
    job, other = window.document.job, next(n for n in before if n != "A1")
    QTest.mouseClick(loads, LEFT, NONE, place_of(beds, "A1").toPoint())
    drag(loads, place_of(beds, "A1"), place_of(beds, other))
    assert window.document.job == job and f"{other} lies there" in window.message.text
    beds.turn.click()
    settle(window)
    turned = next(p for p in window.document.job.puts if p.unit == "A1")
    assert turned.turn == (next(p for p in job.puts if p.unit == "A1").turn + 90) % 360
    # Undone on another sheet it is shown where it lies.
    beds.loads.pick(-1)
    window.show_sheet("colour")
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert window.view is window.sheets["split"] and beds._unit().name == "A1" and window.document.job == job
    beds.anew.click()
    settle(window)
    assert window.document.job.puts == () and {n: load_of(beds, n) for n in before} == before


def test_a_section_is_laid_on_another_side_by_list_and_by_its_face(window, beds, settle):
    QTest.mouseClick(beds.loads, LEFT, NONE, place_of(beds, "A1").toPoint())
    assert beds.why.text().startswith("Proposed: ") and "cm² on the bed" in beds.why.text()
    beds.sides.setCurrentIndex(beds.sides.findText("turned over"))
    beds.sides.activated.emit(beds.sides.currentIndex())
    settle(window)
    assert [lay.down for lay in window.document.job.lays] == [
        (0.0, 0.0, 1.0)
    ] and window.document.undo_text == "lay A1 turned over"
    assert beds.why.text().startswith("Chosen by you: ")
    assert any("A1 turned over" in f.text for f in window.engine.kit.findings)
    # The face that looks at the maker goes down; the top of B1 lies flat and may, an edge of it is no side to
    # rest on.
    split, stage = window.sheets["split"], window.stage
    menu = split.menu(stage.to_widget((-30.0, 0.0, 12.0)))
    entry = next(a for a in menu.actions() if "face on the bed" in a.text())
    assert entry.text() == "Print B1 with this face on the bed" and entry.isEnabled()
    entry.trigger()
    settle(window)
    assert {lay.unit: lay.down for lay in window.document.job.lays} == {
        "A1": (0.0, 0.0, 1.0),
        "B1": (0.0, 0.0, 1.0),
    }
    window.document.undo()
    window.document.undo()
    settle(window)
    assert window.document.job.lays == () and all(
        u.lies is None or not u.lies.by_hand for u in beds._kit.units
    )


def test_what_is_written_is_chosen_and_listed_on_the_proof_sheet(window, beds, settle, monkeypatch, tmp_path):
    window.show_sheet("proof")
    settle(window)
    proof = window.sheets["proof"]
    for control in (proof.as_obj, proof.per_bed, proof.paper.button("Letter")):
        QTest.mouseClick(control, LEFT, NONE)
    assert (
        window.document.job.files == KitFiles(beds=True, obj=True, paper="Letter")
        and window.document.undo_text == "what is written"
    )
    plain = Job(base=PlateBase(60, 40, 12))  # nothing is drawn, nothing has a joint
    for job, folder, count in ((window.document.job, "kit", 8), (plain, "plain", 5)):
        window.document.start(job, {})
        window.show_sheet("proof")
        settle(window)
        names = [proof.contents.itemAt(k).widget() for k in range(proof.contents.count())]
        listed = {name.text() for name in names if name.property("role") == "title"}
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, f=folder, **k: str(tmp_path / f))
        QTest.keyClick(window, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
        settle(window)
        written = [f.name + "/" * f.is_dir() for f in (tmp_path / folder).iterdir()]
        stls = [name for name in written if name.endswith(".stl")]
        called = f"{len(stls)} STL files" if len(stls) > 1 else "one STL file"
        assert listed == {called, *written} - {*stls} and len(listed) == count


def test_the_menu_of_a_cut_that_is_gone_does_nothing(window, beds, settle):
    """While it is open other cuts may be proposed, or none."""
    menu = window.sheets["split"].cuts.menu_of(1)
    window.document.edit("propose cuts", replace(window.document.job, cuts=()))
    settle(window)
    for action in menu.actions():
        action.trigger()
    assert window.document.job.cuts == ()


def test_a_piece_over_the_edge_or_a_keep_out_stays_where_it_was(window, settle):
    """Rectangular and round beds, with a part kept free; near the edge a piece is kept inside it."""
    for printer in (
        Printer(bed=(150, 150, 100), keep_out=((90, 90, 60, 60),)),
        Printer(bed=(150, 150, 100), shape="round"),
    ):
        window.document.start(Job(base=PlateBase(60, 40, 12), printer=printer), {})
        window.show_sheet("split")
        settle(window)
        beds = window.sheets["split"].pages.beds
        loads = beds.loads
        QTest.mouseClick(loads, LEFT, NONE, place_of(beds, "A1").toPoint())
        box, before = loads._boxes[0], window.document.job
        drag(loads, place_of(beds, "A1"), box.topRight() - QPointF(2, -2))
        assert window.document.job == before and "A1 has no room there" in window.message.text
        loads.grab()
        # Pushed far past the left edge it comes to lie along it, where that is free.
        drag(loads, place_of(beds, "A1"), QPointF(box.left() + 1, box.center().y() + 4))
        settle(window)
        (put,) = window.document.job.puts or (None,)
        if printer.shape == "rectangle":
            assert put.x == pytest.approx(5, abs=0.01) and put.bed == 0
        else:
            assert put is None


def test_a_menu_of_a_piece_lays_and_turns_it(window, beds, settle):
    QTest.mouseClick(beds.loads, LEFT, NONE, place_of(beds, "B1").toPoint())
    place_of(beds, "B1")
    drag(beds.loads, place_of(beds, "B1"), beds.loads._boxes[-1].center())
    settle(window)
    turn = next(p.turn for p in window.document.job.puts if p.unit == "B1")

    def choose(text: str) -> None:
        beds._ask(beds.loads.chosen, beds.mapToGlobal(QPoint(5, 5)))
        menu = QApplication.activePopupWidget()
        actions = [a for m in (menu, *menu.findChildren(QMenu)) for a in m.actions()]
        next(a for a in actions if a.text() == text).trigger()
        menu.close()
        settle(window)

    choose("Turn by a quarter")
    assert next(p.turn for p in window.document.job.puts if p.unit == "B1") == (turn + 90) % 360
    choose("turned over")
    job = window.document.job
    assert [lay.unit for lay in job.lays] == ["B1"] and "B1" not in {p.unit for p in job.puts} and job.puts
    choose("Lay all anew")
    assert window.document.job.puts == () == window.document.job.lays


def test_by_height_the_side_cannot_be_chosen_and_it_says_why(window, settle):
    job, sources = demo_job("plate")
    window.document.start(replace(job, colouring=Colouring("heights")), sources)
    window.show_sheet("split")
    settle(window)
    beds = window.sheets["split"].pages.beds
    QTest.mouseClick(beds.loads, LEFT, NONE, place_of(beds, "A1").toPoint())
    assert (
        not beds.sides.isEnabled() and "by height" in beds.sides.toolTip() and "by height" in beds.why.text()
    )


def test_a_column_is_proposed_lying_and_the_plan_that_stands_is_a_click_away(window, settle):
    window.document.start(Job(base=PlateBase(80, 80, 600), printer=Printer(bed=(420, 420, 200))), {})
    window.show_sheet("split")
    settle(window)
    split = window.sheets["split"]
    QTest.mouseClick(split.plans.button, LEFT)
    settle(window)
    assert [(c.axis, c.at) for c in window.document.job.cuts] == [("z", 300.0)]
    assert {u.lies.sides[u.lies.chosen].name for u in window.engine.kit.units if u.lies} <= {
        "on its left side",
        "on its right side",
        "on its front",
        "on its back",
    }
    assert not [f for f in window.engine.kit.findings if f.kind == "fits bed" and f.waits]
    others = [split.plans.row.itemAt(k).widget() for k in range(split.plans.row.count())]
    standing = next(b for b in others if b is not None and b.text().startswith("4 "))
    QTest.mouseClick(standing, LEFT)
    settle(window)
    assert len(window.document.job.cuts) == 3 and window.document.undo_text == "take other cuts"
