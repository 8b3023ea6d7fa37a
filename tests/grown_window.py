"""Uses the kinds of docs/adding.md in the window of a program to which they were added; run by
test_adding."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication


def main():
    from cutkey.app.main import make_application
    from cutkey.app.widgets.basics import Card
    from cutkey.app.window import Window
    from cutkey.core.model.file import open_job
    from cutkey.demo.pictures import bee, png_bytes

    make_application()
    w = Window()
    w.resize(1280, 800)
    w.show()

    def wait(until=lambda: True):
        end = time.monotonic() + 120
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.002)
            if not w.engine.busy and w.stage.settled and until():
                return
        raise SystemExit("it does not settle: " + w.message.text)

    def choose(menu, text):
        next(a for a in menu.actions() if a.text() == text).trigger()
        wait()

    w.intake.take_picture("bee.png", png_bytes(bee()))
    wait(lambda: w.document.job.graphics)
    trace, place = w.sheets["trace"], w.sheets["place"]
    choose(trace.more.menu(), "Flip left and right")
    assert type(w.document.job.graphics[0].trace.steps[0]).__name__ == "Flip"
    assert "left becomes right" in [c.subtitle.text() for c in trace.steps.findChildren(Card)]
    QTest.keyClick(w, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
    choose(place.body.make.menu(), "Half a disc")
    wait(lambda: w.engine.kit is not None)
    across = place.body.form.fields["diameter"]
    across.selectAll()
    QTest.keyClicks(across, "150")
    QTest.keyClick(across, Qt.Key.Key_Return)
    wait()
    assert w.document.job.base.diameter == 150
    whole = w.engine.kit.design_volume
    choose(place.body.addons.add.menu(), "Slot")
    QTest.mouseClick(
        w.stage,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        w.stage.to_widget((40.0, -20.0, 3.0)).toPoint(),
    )
    wait(lambda: w.document.job.addons)
    said = [c.subtitle.text() for c in place.body.addons.findChildren(Card)]
    assert whole - w.engine.kit.design_volume > 3 * 4 * 11 and "15 × 4 mm" in said
    split = w.sheets["split"]
    kinds = [split.joints.kind.itemText(n) for n in range(split.joints.kind.count())]
    assert kinds[:3] == ["automatic", "loose dowel", "square peg"], kinds
    QTest.keyClick(w, Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
    assert w.current == "amounts"
    wait()
    assert " g" in w.view.text.text() and w.tabs.tabs["amounts"].text() == "Amounts"
    assert "weight" in [f.kind for f in w.engine.kit.findings]
    path = Path(sys.argv[1]) / "grown.cutkey"
    w.document.save(path)
    job, _ = open_job(path)
    assert job == w.document.job
    w._leaving = True
    w.close()
    print("well")


if __name__ == "__main__":
    main()
