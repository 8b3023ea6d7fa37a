"""Shared by all tests: no display, no traces in the user's own folders, a window that settles."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
import shapely

from cutkey.core.geometry.graphic import Graphic
from cutkey.core.geometry.region import Region

#: Files that take long, the longest first: begun first, none keeps one worker busy when all others are done.
_LONG = (
    "test_bench.py",
    "test_window.py",
    "test_engine.py",
    "test_responsive.py",
    "test_path.py",
    "test_change_of_mind.py",
    "test_worker.py",
    "test_split_view.py",
    "test_fuzz.py",
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The long files first."""
    items.sort(key=lambda i: _LONG.index(i.path.name) if i.path.name in _LONG else len(_LONG))


@pytest.fixture(autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Autosaves and recent files go to a folder of the test."""
    folder = tmp_path_factory.mktemp("state")
    monkeypatch.setenv("XDG_STATE_HOME", str(folder))
    return folder


@pytest.fixture
def two_tone() -> Graphic:
    """A 20 x 10 mm graphic of two colours that share an edge: 12 x 10 mm and 8 x 10 mm."""
    left, right = shapely.box(-10, -5, 2, 5), shapely.box(2, -5, 10, 5)
    return Graphic(
        [Region("#e0a32a", shapely.multipolygons([left])), Region("#26241f", shapely.multipolygons([right]))],
        20.0,
        10.0,
    )


@pytest.fixture(scope="session")
def workers() -> Iterator[list[object]]:
    """The compute process that windows have one after the other: what it knows of the demos it knows from
    the tests before."""
    kept: list[object] = []
    yield kept
    for worker in kept:
        worker.close()


@pytest.fixture
def window(qtbot, request, workers) -> Iterator[object]:
    """The real window, empty. A test marked `cold` has a compute process of its own, which knows nothing."""
    from cutkey.app.main import make_application
    from cutkey.app.window import Window
    from cutkey.worker.client import Worker

    make_application()
    cold = request.node.get_closest_marker("cold") is not None
    worker = Worker() if cold or not workers else workers.pop()
    w = Window(worker)
    # The window ends its process when it is closed; this one goes on to the next.
    w.engine.close = w.engine.let_go
    qtbot.addWidget(w, before_close_func=lambda x: setattr(x, "_leaving", True))
    w.resize(1280, 800)
    w.show()
    qtbot.waitExposed(w)
    yield w
    w.engine.cancel()
    end = time.monotonic() + 2.0
    while worker.busy and time.monotonic() < end:
        worker.messages()
        worker.overdue()
        time.sleep(0.005)
    if cold or worker.busy or worker.down:
        worker.close()
    else:
        workers.append(worker)


@pytest.fixture
def settle(qtbot) -> Callable[..., None]:
    """Wait until a window has computed and drawn everything."""

    def wait(window, extra: float = 0.05) -> None:
        qtbot.waitUntil(lambda: not window.engine.busy, timeout=240_000)
        end = time.monotonic() + extra
        qtbot.waitUntil(lambda: time.monotonic() > end and window.stage.settled, timeout=60_000)

    return wait


def written(folder: Path, kind: str = ".3mf") -> Path:
    """The one file of a kind that a kit, named after its job, holds."""
    (found,) = folder.glob(f"*{kind}")
    return found


def png(rgb: np.ndarray) -> bytes:
    """PNG of an array."""
    from cutkey.demo.pictures import png_bytes

    return png_bytes(np.asarray(rgb, np.uint8))


def checker(size: int = 64) -> np.ndarray:
    """A picture of a dark disc and an amber square on white."""
    y, x = np.mgrid[:size, :size] + 0.5
    rgb = np.full((size, size, 3), 255, np.uint8)
    rgb[np.hypot(x - size * 0.3, y - size * 0.5) < size * 0.2] = (30, 30, 30)
    rgb[size // 4 : 3 * size // 4, size * 9 // 16 : size * 15 // 16] = (224, 163, 42)
    return rgb
