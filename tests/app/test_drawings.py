"""What the drawings show: colours and places in the pictures that the window paints."""

from __future__ import annotations

import zipfile

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from tests.app.test_path import CTRL, LEFT, NONE, drag, drop
from tests.app.test_window import press
from tests.conftest import checker, png

from cutkey.app.drafting import chain_line, hatch
from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item
from cutkey.app.stage.scene import Scene
from cutkey.app.theme import theme
from cutkey.app.widgets.message_strip import MessageStrip
from cutkey.app.widgets.title_block import Cell, TitleBlock
from cutkey.core.model.edits import change_placement
from cutkey.core.model.placement import Depth
from cutkey.demo.jobs import demo_job
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.views import mesh_view


def seen(widget: QWidget) -> np.ndarray:
    """What a widget paints, (H, W, 3)."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    flat = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return flat[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(int)


def share(picture: np.ndarray, colour: str, off: int = 18) -> float:
    """Share of pixels near a colour."""
    c = QColor(colour)
    return float((np.abs(picture - [c.red(), c.green(), c.blue()]).max(-1) <= off).mean())


def area(ring: np.ndarray) -> float:
    """Signed area of a ring (shoelace formula)."""
    x, y = ring.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def canvas(paint) -> np.ndarray:
    image = QImage(200, 120, QImage.Format.Format_RGB888)
    image.fill(QColor("#ffffff"))
    painter = QPainter(image)
    paint(painter)
    painter.end()
    return (
        np.frombuffer(image.constBits(), np.uint8)
        .reshape(120, image.bytesPerLine())[:, :600]
        .reshape(120, 200, 3)
        .astype(int)
    )


@pytest.fixture
def application(qtbot):
    from cutkey.app.main import make_application

    return make_application()


def test_the_camera_puts_points_where_vtk_puts_them(application):
    """Against vtkRenderer's own world-to-display conversion."""

    from cutkey.core.bodies.plate import PlateBase

    scene = Scene()
    scene.set_items([Item("a", mesh_view(PlateBase(30, 20, 5, 0).solid()), "#e0a32a")])
    rng = np.random.default_rng(1)
    for _ in range(6):
        camera = Camera(
            tuple(rng.uniform(-9, 9, 3)), rng.uniform(-180, 180), rng.uniform(-80, 80), rng.uniform(0.05, 0.4)
        )
        scene.render(camera, 400, 300, 1.0, quick=True)
        points = rng.uniform(-15, 15, (5, 3))
        own = camera.project(points, 400, 300)
        for p, q in zip(points, own, strict=True):
            scene._renderer.SetWorldPoint(*p, 1.0)
            scene._renderer.WorldToDisplay()
            x, y, _ = scene._renderer.GetDisplayPoint()
            assert (x, 300 - y) == pytest.approx(tuple(q), abs=0.05)
        start, direction = camera.ray(*own[0], 400, 300)
        assert np.linalg.norm(np.cross(points[0] - start, direction)) == pytest.approx(0, abs=1e-9)


def test_camera_moves_keep_what_they_promise():
    camera = Camera()
    nearer = camera.zoomed(2.0, 100, 50, 400, 300)
    assert nearer.mm_per_px == pytest.approx(camera.mm_per_px / 2)
    point = camera.ray(100, 50, 400, 300)[0]
    assert nearer.project(point, 400, 300) == pytest.approx([100, 50])
    moved = camera.panned(30, -20)
    assert moved.project(np.array(camera.target), 400, 300) == pytest.approx([230, 130])
    assert camera.orbited(0, 1e6).tilt == 90 and -180 <= camera.orbited(1e4, 0).turn <= 180
    fitted = camera.fitted(np.array([-50, -20, 0]), np.array([50, 20, 8]), 400, 300)
    corners = np.array([[x, y, z] for x in (-50, 50) for y in (-20, 20) for z in (0, 8)])
    places = fitted.project(corners, 400, 300)
    assert places.min() >= 0 and (places <= [400, 300]).all()


def test_the_still_picture_in_bands_is_the_quick_one_with_smooth_edges(application):

    from cutkey.core.bodies.plate import PlateBase

    scene = Scene()
    scene.set_items([Item("a", mesh_view(PlateBase(30, 20, 5, 4).solid()), "#4f6b35")])
    camera = Camera(mm_per_px=0.12)
    quick = scene.render(camera, 320, 240, 1.0, quick=True).copy().astype(int)
    bands = list(scene.bands(camera, 320, 240, 1.0))
    smooth = np.concatenate(bands).astype(int)
    assert smooth.shape == quick.shape and len(bands) > 3
    off = np.abs(smooth - quick).max(-1)
    assert (off > 40).mean() < 0.05 and np.median(off) == 0
    assert ((smooth[..., 3] > 10) & (smooth[..., 3] < 245)).sum() > 100
    assert not ((quick[..., 3] > 10) & (quick[..., 3] < 245)).any()
    scene.set_items([])
    assert not scene.render(camera, 64, 64, 1.0, quick=True)[..., 3].any()


def test_large_meshes_move_as_stand_ins(application):
    import manifold3d as m3

    view = mesh_view(m3.Manifold.sphere(20, 400))
    assert view.light is not None and len(view.light[1]) < len(view.triangles) / 3
    assert np.abs(np.linalg.norm(view.light[0], axis=1) - 20).max() < 0.5
    assert mesh_view(m3.Manifold.sphere(20, 40)).light is None


def test_filaments_look_like_themselves_from_above(window, settle):
    """A face turned to the light has the filament's colour: the picture must not lie about it."""
    window.document.start(*demo_job("lid"))
    window.show_sheet("place")
    settle(window, 0.3)
    QTest.keyClick(window, Qt.Key.Key_7, CTRL)
    settle(window, 0.6)
    picture = seen(window.stage)
    p = window.stage.to_widget((-30.0, 25.0, 14.0))
    moss = QColor("#4f6b35")
    assert picture[round(p.y()), round(p.x())] == pytest.approx(
        [moss.red(), moss.green(), moss.blue()], abs=8
    )
    for colour in ("#e0a32a", "#efe4c6", "#26241f"):
        assert share(picture, colour, 8) > 0.003, colour


def test_the_depth_strip_is_a_true_section(window, settle):
    """The section's areas from the worker against width times height of what was placed."""
    window.document.start(*demo_job("plate"))
    window.show_sheet("place")
    settle(window)
    face = window.sheets["place"].face()
    by_colour = {c: abs(sum(map(area, rings.rings()))) for c, rings in face.section}
    fog = next(f.colour for f in window.document.job.rack if f.name == "Fog PLA")
    assert 140 * 4 * 0.7 < by_colour[fog] < 140 * 4
    assert face.floor == pytest.approx(4, abs=1e-3)
    strip = window.sheets["place"].depth_strip
    assert share(seen(strip), fog, 30) > 0.1
    placement = window.document.job.placements[0]
    deep = change_placement(window.document.job, replace(placement, depths=(Depth("recessed", 3.8),)))
    window.document.edit("deeper", deep)
    settle(window)
    # One layer of floor is left: the figure turns red.
    assert share(seen(strip), theme.colour("madder").name()) > share(
        seen(window.block), theme.colour("madder").name()
    )


def test_the_square_on_view_shows_pockets_without_their_colour(window, settle):
    window.document.start(*demo_job("lid"))
    window.show_sheet("place")
    settle(window)
    honey = "#e0a32a"
    raised = share(seen(window.face), honey)
    placement = window.document.job.placements[0]
    window.document.edit(
        "pocket", change_placement(window.document.job, replace(placement, depths=(Depth("recessed", 0.6),)))
    )
    settle(window)
    assert raised > 0.005 and share(seen(window.face), honey) < raised / 20


def test_beds_show_every_section_and_mark_what_is_too_large(window, settle):
    window.document.start(*demo_job("sign"))
    window.show_sheet("split")
    settle(window)
    beds = window.sheets["split"].pages.beds
    fits = share(seen(beds), theme.colour("madder").name(), 40)
    window.document.edit("no cuts", replace(window.document.job, cuts=()))
    settle(window)
    assert fits == 0 and share(seen(beds), theme.colour("madder").name(), 40) > 0.0001


def test_hatching_and_chain_lines(application):
    area = QPainterPath()
    area.addRect(20, 20, 100, 60)
    picture = canvas(lambda p: hatch(p, area, QColor("#e0a32a")))
    assert share(picture[25:75, 25:115], "#e0a32a", 4) > 0.5
    assert (np.abs(picture[25:75, 25:115] - [224, 163, 42]).max(-1) > 30).mean() > 0.05
    assert (picture[:18] == 255).all()
    line = canvas(lambda p: chain_line(p, QPointF(20, 60), QPointF(180, 60), "A"))
    row = np.abs(line[60, 20:180] - 255).max(-1) > 100
    assert 0.6 < row.mean() < 0.97 and row[:10].all() and row[-10:].all()


def test_rings_keep_holes():
    import shapely

    ring = shapely.Point(0, 0).buffer(10) - shapely.Point(0, 0).buffer(4)
    rings = as_rings(shapely.multipolygons([ring, shapely.box(20, 0, 30, 5)]))
    assert len(rings.rings()) == 3
    areas = sorted(abs(area(r)) for r in rings.rings())
    assert areas == pytest.approx(
        sorted([50, shapely.Point(0, 0).buffer(4).area, shapely.Point(0, 0).buffer(10).area])
    )


def test_the_title_block_shows_progress_and_its_cancel(application, qtbot):
    block = TitleBlock()
    qtbot.addWidget(block)
    block.resize(274, 180)
    block.set_cells([Cell(f"CELL {k}", f"text {k}", k == 6) for k in range(8)])
    block.set_now("cutting", 0.5)
    block.show()
    picture = seen(block)
    assert share(picture, theme.colour("ultramarine").name(), 10) > 0.003
    with qtbot.waitSignal(block.cancel, timeout=1000):
        QTest.mouseClick(block._cancel, LEFT)
    block.set_now("ready", -1)
    assert block._cancel.isHidden() and share(seen(block), theme.colour("ultramarine").name(), 10) == 0


def test_messages_keep_one_topic_and_run_what_they_offer(application, qtbot):
    strip = MessageStrip()
    qtbot.addWidget(strip)
    ran: list[int] = []
    strip.say(
        "Something is wrong.",
        [("mend", lambda: ran.append(1)), ("leave", lambda: ran.append(2))],
        topic="compute",
    )
    assert strip.text == "Something is wrong." and not strip.property("calm")
    strip.settle("other")
    assert not strip.isHidden()
    QTest.mouseClick(strip._buttons[0], LEFT)
    assert ran == [1] and strip.isHidden()
    strip.say("Just so.", calm=True)
    assert strip.property("calm") and not strip._buttons
    strip.settle("")
    assert strip.isHidden()


def test_keys_of_the_place_sheet(window, settle):
    window.document.start(*demo_job("lid"))
    QTest.keyClick(window, Qt.Key.Key_2, CTRL)
    settle(window)
    stage, place = window.stage, window.sheets["place"]
    QTest.keyClick(stage, Qt.Key.Key_Right)
    QTest.keyClick(stage, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert window.document.job.placements[0].offset == pytest.approx((0.1, 1.0))
    assert window.document.undo_text == "move the graphic"
    QTest.mouseClick(place.fields.to_middle, LEFT)
    assert window.document.job.placements[0].offset == (0.0, 0.0)
    QTest.mouseClick(place.fields.mirror, LEFT)
    assert window.document.job.placements[0].mirror
    QTest.mouseClick(place.add, LEFT)
    assert not place.hint.isHidden()
    QTest.keyClick(stage, Qt.Key.Key_Escape)
    assert place.hint.isHidden()
    QTest.mouseClick(stage, LEFT, NONE, stage.to_widget((-30, 20, 14)).toPoint())
    assert len(window.document.job.placements) == 1
    QTest.keyClick(stage, Qt.Key.Key_Delete)
    assert window.document.job.placements == ()
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_F1)
    assert "Left" not in window.message.text and "wheel zooms" in window.message.text


def test_a_fast_hand_gets_only_its_last_wish_computed(window, settle):
    window.document.start(*demo_job("plate"))
    settle(window)
    for k in range(25):
        placement = window.document.job.placements[1]
        window.document.edit(
            "move the graphic",
            change_placement(window.document.job, replace(placement, offset=(30.0 + k, 0.0))),
            merge=True,
        )
    settle(window)
    assert window.document.job.placements[1].offset == (54.0, 0.0)
    sprig = next(m for c, _, m in window.engine.design.parts if c == "#4f6b35")
    middle = (sprig.vertices[:, 0].min() + sprig.vertices[:, 0].max()) / 2
    assert middle == pytest.approx(54.0, abs=1.0)
    # Back to what was computed before: nothing is sent again.
    window.document.undo()
    settle(window)
    assert window.engine.design.placed[1].origin == pytest.approx([0, 0, 4], abs=1e-3)


def test_an_unknown_wish_of_the_stage_is_left_alone(window, settle, tmp_path):
    (tmp_path / "a.png").write_bytes(png(checker(80)))
    drop(window, tmp_path / "a.png")
    settle(window)
    window.show_sheet("split")
    assert window.stage.items == () and "nothing to split" in window.stage.empty_text
    drag(window.stage, QPointF(60, 60), QPointF(90, 90))
    QTest.mouseClick(window.stage, LEFT, NONE, QPoint(80, 80))
    assert window.message.text == "" and share(seen(window.stage), theme.colour("sheet").name(), 3) > 0.9


def test_an_export_that_fails_says_so_and_leaves_nothing(window, settle, tmp_path, monkeypatch):
    window.document.start(*demo_job("cap"))
    settle(window)
    (tmp_path / "file").write_text("in the way")
    window.files.export_to(tmp_path / "file" / "kit")
    settle(window)
    assert "is no folder" in window.message.text
    window.message.hide()
    stale = tmp_path / ".kit.999999-1-abcdef.part"
    stale.mkdir()
    (tmp_path / "kit").mkdir()
    (tmp_path / "kit" / "Feeder-cap.3mf").write_text("of the maker's own")
    window.files.export_to(tmp_path / "kit")
    settle(window)
    # What is not of an earlier kit is written over only when the maker says so.
    assert "was not written by Cut Key" in window.message.text and not stale.exists()
    assert (tmp_path / "kit" / "Feeder-cap.3mf").read_text() == "of the maker's own"
    press(window, "write over it")
    settle(window)
    assert zipfile.is_zipfile(tmp_path / "kit" / "Feeder-cap.3mf")
    assert not [p for p in (tmp_path / "kit").iterdir() if p.name.startswith(".")]
