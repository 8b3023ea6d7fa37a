"""From the command to the window, and to the demo on its stage, against bringing up the bare libraries."""

from __future__ import annotations

import os
import subprocess
import sys
import time

Row = tuple[str, float, float, str]

#: The same application object, the same drawing library and an empty window.
_BARE = """
import PySide6.QtWidgets as w, vtkmodules.vtkRenderingOpenGL2, numpy, shapely
a = w.QApplication([]); m = w.QMainWindow(); m.show(); a.processEvents()
print("up", flush=True)
"""
_OWN = """
if __name__ == "__main__":
    import sys
    from cutkey.app.main import start
    if sys.argv[1] == "-":
        application, window = start(None, None)
        print("up", flush=True)
    else:
        application, window = start(None, sys.argv[1])
        engine = window.engine
        engine.updated.connect(lambda part: part == "design" and engine.design and print("up", flush=True))
        application.exec()
"""


def _environment() -> dict[str, str]:
    """As after an installation: modules are compiled once, and the state folder is this bench's own."""
    out = {"QT_QPA_PLATFORM": "offscreen", **os.environ, "XDG_STATE_HOME": "/tmp/cutkey-bench-state"}
    out.pop("PYTHONDONTWRITEBYTECODE", None)
    return {**out, "PYTHONPYCACHEPREFIX": "/tmp/cutkey-bench-compiled"}


def _until_up(code: str, *words: str) -> float:
    """Seconds from starting a process until it says that it is up; it is ended then."""
    began = time.perf_counter()
    with subprocess.Popen(
        [sys.executable, "-c", code, *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=_environment(),
    ) as process:
        assert process.stdout is not None
        said = process.stdout.readline()
        took = time.perf_counter() - began
        process.kill()
    assert said.strip() == b"up", said
    return took


def _loaded(code: str) -> float:
    """Seconds of a process that loads something and ends."""
    began = time.perf_counter()
    subprocess.run([sys.executable, "-c", code], check=True, env=_environment())
    return time.perf_counter() - began


def run(small: bool = False) -> list[Row]:
    """The empty window, then demo jobs until the design stands on the stage; each in a fresh process."""
    rounds = 1 if small else 3
    _until_up(_BARE)
    _until_up(_OWN, "lid")
    wanted = [
        ("-", "the window up"),
        ("lid", "the lid on the stage"),
        *([] if small else [("sign", "the sign on the stage")]),
    ]
    floors, times = [], {name: [] for name, _ in wanted}  # type: ignore[var-annotated]
    for _ in range(rounds):
        floors.append(_until_up(_BARE))
        for name, _what in wanted:
            times[name].append(_until_up(_OWN, name))
    names = ("job", "edits", "history", "validate", "file", "kept")
    nouns = [
        _loaded(f"import {', '.join(f'cutkey.core.model.{n}' for n in names)}") for _ in range(2 * rounds)
    ]
    bare = [_loaded("import msgspec, zipfile, json, typing") for _ in range(2 * rounds)]
    rows: list[Row] = [
        ("the nouns of a job loaded", min(nouns), min(bare), "its data library and the archive's")
    ]
    return rows + [
        (what, min(times[name]), min(floors), "libraries and an empty window") for name, what in wanted
    ]
