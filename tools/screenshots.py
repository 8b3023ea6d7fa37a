"""Pictures of every sheet, made from the demo data: tools/screenshots.py FOLDER; with `demos` the small ones of the empty start."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path


def main(folder: Path) -> None:
    """Open the demo jobs in the real window and save what it shows."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # Nothing of what this machine's user has folded, opened or kept.
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()
    from msgspec.structs import replace
    from PySide6.QtCore import QPoint
    from PySide6.QtGui import QPainter

    from cutkey.app.main import make_application
    from cutkey.app.sheets.colour.sheet import ColourSheet
    from cutkey.app.window import Window
    from cutkey.core.model.placement import Depth
    from cutkey.core.model.table_edits import AddShape, AddText
    from cutkey.demo import pictures
    from cutkey.demo.jobs import demo_job

    application = make_application()
    window = Window()
    window.resize(1280, 800)
    window.show()

    def settle() -> None:
        end = time.monotonic() + 60
        application.processEvents()
        while (window.engine.busy or not window.stage.settled) and time.monotonic() < end:
            application.processEvents()
            time.sleep(0.01)
        end = time.monotonic() + 0.6
        while time.monotonic() < end:
            application.processEvents()
            time.sleep(0.01)

    def shoot(name: str) -> None:
        settle()
        window.grab().save(str(folder / f"{name}.png"))

    def looked(colour: ColourSheet) -> None:
        """Wait until the layer, and what the ways cost, are there."""
        settle()
        end = time.monotonic() + 60
        while (colour.pending or window.engine.busy) and time.monotonic() < end:
            application.processEvents()
            time.sleep(0.01)
        settle()

    def rehearsed() -> None:
        """Wait until the print, and the small pictures of what was found in it, are there."""
        rehearsal, end = window.sheets["proof"].rehearsal, time.monotonic() + 90
        settle()
        while (rehearsal.view is None or rehearsal.pending or window.engine.busy) and time.monotonic() < end:
            application.processEvents()
            time.sleep(0.01)
        settle()

    folder.mkdir(parents=True, exist_ok=True)
    shoot("0-start")
    window.document.start(*demo_job("lid"))
    window.show_sheet("trace")
    shoot("1-trace")
    graphic = window.document.job.graphics[0].id
    window.swapping.take_picture(graphic, "sprig.png", pictures.png_bytes(pictures.sprig()), "picture")
    settle()
    shoot("1-trace-swap")
    window.swapping.leave()
    settle()
    window.sheets["trace"].marks["fringe"].setChecked(True)
    trace = window.sheets["trace"]
    trace.colours._go()
    window.table.wipe = 0.35
    shoot("1-trace-fringe")
    trace.marks["fringe"].setChecked(False)
    window.document.start(*demo_job("cap"))
    settle()
    trace.adding.add("ring", AddShape("disc", (0.0, 0.0), 44.0, 44.0, "#efe4c6"))
    trace.adding.add("text", AddText("LARKMOOR APIARY", (0.0, 0.0), 4.0, "#26241f", radius=18.5, around=True))
    trace.adding.add("text", AddText("feeder cap", (0.0, 0.0), 3.0, "#9c4330", radius=-18.5, around=True, spread=70.0, least_stroke=0.6))
    settle()
    trace.nodes.take_up()
    settle()
    tool = trace.nodes.tool
    assert tool is not None
    tool.picked = min((n for n in tool.nodes if len(n.ends) == 2), key=lambda n: abs(n.place[0] - 10.9) + abs(n.place[1] - 2.8))
    trace.nodes.refresh()
    window.table.go_to(7.5, 10.0, 26.0)
    window.table.wipe = 0.0
    shoot("1-trace-nodes")
    window.table.start(None)
    window.document.start(*demo_job("sign"))
    window.intake.take_picture("gate-sign-photo.jpg", pictures.jpeg_bytes(pictures.photographed(pictures.gate_sign())))
    settle()
    trace.ways.ask.click()
    end = time.monotonic() + 60
    while not trace.ways.ways and time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)
    shoot("1-trace-ways")
    window.document.start(*demo_job("lid"))
    window.show_sheet("place")
    shoot("2-place")
    window.document.start(*demo_job("cap"))
    settle()
    window.sheets["place"].pick((window.document.job.placements[1].id,))
    shoot("2-place-dome")
    window.document.start(*demo_job("coin"))
    settle()
    window.desk.face.cut.emit(0.0, 0.0, 30.0)
    window.desk.face.set_line((0.0, 0.0, 30.0))
    shoot("2-place-coin")
    window.desk.face.set_line(None)
    window.document.start(*demo_job("wall"))
    window.show_sheet("split")
    settle()
    window.sheets["split"].pages.turn("setting")
    shoot("3-split-setting-out")
    window.document.start(*demo_job("sign"))
    settle()
    split = window.sheets["split"]
    split.propose.click()
    settle()
    split.pages.turn("beds")
    shoot("3-split")
    split._pick_joint(1)
    shoot("3-split-joint")
    split.pages.turn("beds")
    split.apart.setValue(100)
    settle()
    window.stage.fit()
    shoot("3-split-apart")
    split.apart.setValue(0)
    window.stage.fit()
    window.show_sheet("colour")
    shoot("4-colour")
    window.document.start(*demo_job("cap"))
    window.show_sheet("proof")
    proof = window.sheets["proof"]
    rehearsed()
    proof.rehearsal.go_to(next(t for t in proof.rehearsal.view.found if t.finding.title == "A wall is lost"))
    rehearsed()
    shoot("5-proof")
    job, sources = demo_job("plate")
    through = replace(job.placements[0], depths=(Depth("through"),))
    window.document.start(replace(job, placements=(through, *job.placements[1:])), sources)
    rehearsed()
    proof.found.mend(next(f for f in proof.findings if f.mend == "bridges"))
    window.film.stage.setChecked(True)
    window.film.slider.setValue(9)
    rehearsed()
    shoot("5-proof-mend")
    window.film.stage.setChecked(False)
    window.document.start(*demo_job("sign"))
    window.show_sheet("colour")
    colour = window.sheets["colour"]
    colour.way.way.button("heights").click()
    looked(colour)
    window.ladder._choose(42)
    looked(colour)
    shoot("4-colour-heights")
    window.document.undo()
    window.document.start(*demo_job("lid"))
    settle()
    colour.way.way.button("inlays").click()
    colour.way.lift.setChecked(True)
    looked(colour)
    shoot("4-colour-inlays")
    colour.way.lift.setChecked(False)
    window.resize(1000, 640)
    window.document.start(*demo_job("plate"))
    window.show_sheet("place")
    settle()
    place = window.sheets["place"]
    place.pick(tuple(p.id for p in window.document.job.placements))
    place.actions.line_up("middle")
    place.actions.double()
    window.document.undo()
    place.pick((window.document.job.placements[1].id,))
    window.switch_theme()
    window.stage.fit()
    settle()
    window.show_steps()
    settle()
    picture, popup = window.grab(), window.steps_popup
    painter = QPainter(picture)
    painter.drawPixmap(window.mapFromGlobal(popup.mapToGlobal(QPoint(0, 0))), popup.grab())
    painter.end()
    picture.save(str(folder / "2-place-night.png"))
    window.close()


def demo_pictures(folder: Path) -> None:
    """The small pictures of the demo jobs on the empty start."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QSize, Qt

    from cutkey.app.main import make_application
    from cutkey.app.window import Window
    from cutkey.demo.jobs import demo_job
    from cutkey.demo.names import NAMES

    application = make_application()
    window = Window()
    window.show()
    stage = window.stage
    for name in NAMES:
        window.document.start(*demo_job(name))
        window.show_sheet("proof")
        while window.engine.kit is None or window.engine.busy:
            application.processEvents()
        stage.overlay = None
        stage.resize(600, 384)
        stage.fit()
        while not stage.settled:
            application.processEvents()
        small = stage.grab().scaled(QSize(300, 192), Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
        small.save(str(folder / f"{name}.png"))
    window.close()


if __name__ == "__main__":
    if sys.argv[1:] == ["demos"]:
        demo_pictures(Path("src/cutkey/app/assets/demos"))
        sys.exit()
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
