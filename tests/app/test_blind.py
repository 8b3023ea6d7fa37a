import os
import subprocess
import sys

CODE = """
import os, sys, time
from PySide6.QtWidgets import QApplication
from cutkey.app.main import start

if __name__ == "__main__":
    application, window = start(None, "plate")
    until = time.monotonic() + 90
    stage, engine = window.stage, window.engine
    while time.monotonic() < until and not (engine.kit and not engine.busy and stage.items and stage.settled):
        application.processEvents()
        time.sleep(0.002)
    window.show_sheet("proof")
    application.processEvents()
    print(stage.settled, stage._blind != (stage._image is not None), window.sheets["proof"].write.isEnabled())
    engine.close()
    sys.stdout.flush()
    os._exit(0)
"""


def test_without_a_driver_that_draws_everything_but_the_stage_works(tmp_path):
    """A library that says that it can draw, and cannot, would end the process at its first picture.

    The driver is hidden as EGL itself provides for (its loader reads these variables).
    """
    script = tmp_path / "blind.py"
    script.write_text(CODE)
    hidden = {"__EGL_VENDOR_LIBRARY_FILENAMES": os.devnull, "QT_QPA_PLATFORM": "offscreen"}
    homes = {name: str(tmp_path) for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME")}
    kept = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    done = subprocess.run(
        [sys.executable, script],
        capture_output=True,
        text=True,
        timeout=150,
        env={**kept, **hidden, **homes},
    )
    assert done.returncode == 0 and done.stdout == "True True True\n", done.stdout + done.stderr[-2000:]
