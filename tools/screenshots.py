"""Pictures of every sheet, made from the demo data: tools/screenshots.py FOLDER; with `demos` the small
ones of the empty start."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np


def main(folder: Path) -> None:
    """Open the demo jobs in the real window and save what it shows."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    # Nothing of what this machine's user has folded, opened or kept.
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()
    from msgspec.structs import replace

    from cutkey.app.main import make_application
    from cutkey.app.sheets.colour.sheet import ColourSheet
    from cutkey.app.window import Window
    from cutkey.core.model.placement import Depth
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
    trace = window.sheets["trace"]
    window.table.start(None)
    window.document.start(*demo_job("sign"))
    window.intake.take_picture("bee-on-a-desk.jpg", pictures.jpeg_bytes(on_a_desk(pictures.bee())))
    settle()
    trace.ways.ask.click()
    end = time.monotonic() + 60
    while not trace.ways.ways and time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)
    trace.steps.open(0)
    trace.refresh()
    trace.steps.corners.click()
    shoot("1-trace-ways")
    window.table.start(None)
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
    split.plans.button.click()
    settle()
    split.pages.turn("beds")
    shoot("3-split")
    beds = split.pages.beds
    beds.pick("A2c")
    beds._turn()
    settle()
    shoot("3-split-beds")
    beds._lay_anew()
    beds.loads.pick(-1)
    settle()
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
    window.document.start(*demo_job("plate"))
    window.show_sheet("proof")
    rehearsed()
    stand_in = proof.stand_in
    stand_in._go()
    stand_in.speed.setCurrentIndex(0)
    stand_in._fail("runs out")
    end = time.monotonic() + 10
    while stand_in.machine.state == "printing" and time.monotonic() < end:
        application.processEvents()
        time.sleep(0.01)
    window.switch_theme()
    rehearsed()
    shoot("5-proof-printer")
    window.close()


def on_a_desk(drawn: np.ndarray) -> np.ndarray:
    """A drawing on a sheet of A5 on a desk, seen from the side, lit from the left."""
    w, h = 1600, 1200
    page = np.full((1480, 2100, 3), 255, np.uint8)
    small = cv2.resize(drawn, (1200, 1200), interpolation=cv2.INTER_AREA)
    page[140:1340, 450:1650] = small
    grain = np.random.default_rng(1).normal(0, 1, (h, w // 16)).astype(np.float32)
    desk = np.array([122, 92, 66]) + 9 * cv2.resize(grain, (w, h))[..., None]
    corners = np.array([[0, 0], [2100, 0], [2100, 1480], [0, 1480]], np.float32)
    seen_at = np.array([[300, 150], [1340, 230], [1450, 980], [170, 900]], np.float32)
    to = cv2.getPerspectiveTransform(corners, seen_at)
    seen = cv2.warpPerspective(page, to, (w, h), flags=cv2.INTER_AREA)
    share = cv2.warpPerspective(np.ones(page.shape[:2], np.float32), to, (w, h))[..., None]
    light = np.linspace(1, 0.78, w)[None, :, None]
    return np.clip((seen * share + desk * (1 - share)) * light, 0, 255).astype(np.uint8)


def sheet_pages(folder: Path) -> None:
    """Four pages of the sign's assembly sheet, as they are printed."""
    import pypdfium2
    from PIL import Image

    from cutkey.core.engine.evaluate import Evaluator
    from cutkey.core.engine.output import contents_of
    from cutkey.core.kit.sheet import sheet_pdf
    from cutkey.demo.jobs import demo_job

    job, sources = demo_job("sign")
    document = pypdfium2.PdfDocument(sheet_pdf(contents_of(job, Evaluator(sources))))
    # The first two, the parts, and the last with faces and keys.
    pages = [document[n].render(scale=0.95).to_pil() for n in (0, 1, 3, len(document) - 1)]
    wide, high = pages[0].size
    out = Image.new("RGB", (2 * wide + 12, 2 * high + 12), "#c9c6bd")
    for n, page in enumerate(pages):
        out.paste(page, (n % 2 * (wide + 12), n // 2 * (high + 12)))
    out.save(folder / "5-kit-sheet.png", optimize=True)


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
        small = stage.grab().scaled(
            QSize(300, 192), Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        small.save(str(folder / f"{name}.png"))
    window.close()


if __name__ == "__main__":
    if sys.argv[1:] == ["demos"]:
        demo_pictures(Path("src/cutkey/app/assets/demos"))
        sys.exit()
    to = Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")
    main(to)
    sheet_pages(to)
