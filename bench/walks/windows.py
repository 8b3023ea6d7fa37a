"""Random walks over the real window: mouse, keys, fields, menus, drops, undo, save, open, a killed
compute process."""

from __future__ import annotations

import os
import random
import signal
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QColor, QDesktopServices, QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QColorDialog,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QWidget,
)

from bench.fuzz.files import sound
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.job import Job, Source

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CTRL = Qt.KeyboardModifier.ControlModifier
_SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 24"><path fill="#101010" d="M0 0H24V24H0Z"/>'
    b'<path fill="#d0a020" d="M24 0H40V12H24Z"/></svg>'
)
_TYPED = ("5", "0.4", "12mm", "1/4in", "-3", "1e9", "wide", "", "3 + 4", "{} fi")
#: Buttons that end the window or the walk's own work.
_NOT = ("quit", "open the folder")


def first_job() -> tuple[Job, dict[str, bytes]]:
    """A small job with something of everything."""
    source = Source(digest_bytes(_SVG), "two.svg", "drawing")
    job, spec = add_graphic(
        Job(name="Walk", base=PlateBase(70.0, 40.0, 4.0), cuts=(Cut("x", 5.0),)), source, 24.0
    )
    job, _ = place(job, spec.id, (0.0, 0.0, 4.0), (0.0, 0.0, 1.0))
    return job, {source.digest: _SVG}


class Walk:
    """One window that is walked again and again."""

    def __init__(self, window: Any, folder: Path) -> None:
        self.window, self.folder = window, folder
        self.faults: list[str] = []
        self.trail: list[str] = []
        for name, data in sound().items():
            (folder / f"a.{name}").write_bytes(data)
        (folder / "bad.stl").write_bytes(sound()["stl"][:300])
        self._number = 0
        dialogs: Any = QFileDialog
        self._own = [
            (dialogs, n, getattr(dialogs, n))
            for n in ("getSaveFileName", "getOpenFileName", "getExistingDirectory")
        ]
        dialogs.getSaveFileName = lambda *a, **k: (str(folder / f"saved {self._number % 3}.cutkey"), "")
        dialogs.getOpenFileName = lambda *a, **k: (str(self.chance.choice(sorted(folder.glob("a.*")))), "")
        dialogs.getExistingDirectory = lambda *a, **k: str(folder / "kit")
        colours: Any = QColorDialog
        self._own.append((colours, "getColor", colours.getColor))
        colours.getColor = lambda *a, **k: QColor(self.chance.choice(("#123456", "#fedcba", "")))
        opener: Any = QDesktopServices
        self._own.append((opener, "openUrl", opener.openUrl))
        opener.openUrl = lambda *a: True
        self._hook, sys.excepthook = sys.excepthook, self._raised
        self.chance = random.Random(0)

    def end(self) -> None:
        """Take back what was put in the place of dialogs and of the hook for exceptions."""
        sys.excepthook = self._hook
        for owner, name, own in self._own:
            setattr(owner, name, own)

    def _raised(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        frames = traceback.extract_tb(trace)[:-5:-1]
        at = " < ".join(f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in frames)
        self.faults.append(f"{kind.__name__}: {error} at {at} after {' | '.join(self.trail[-6:])}")

    def run(self, seed: int, steps: int = 10) -> None:
        """One walk: some steps, then undo all, redo all."""
        self.chance, self._number, self.trail = random.Random(seed), seed, []
        window = self.window
        window.document.start(*first_job())
        start = window.document.job
        window.show_sheet(self.chance.choice(list(window.sheets)))
        for _ in range(steps):
            step = self.chance.choice(
                (
                    *[self._press] * 4,
                    *[self._choose] * 2,
                    *[self._type] * 2,
                    *[self._drag] * 4,
                    *[self._key] * 4,
                    self._other,
                )
            )
            try:
                step()
            except Exception as error:
                self.trail.append(repr(error))
                self._raised(type(error), error, error.__traceback__)
            QApplication.processEvents()
            self._choose_in_menu()
            if self.chance.random() < 0.3:
                self._wait(0.05)
        self._wait(20.0, until=lambda: not window.engine.busy)
        if "failed unexpectedly" in window.message.text:
            self.faults.append(f"a step failed unexpectedly after {' | '.join(self.trail)}")
        end, history = window.document.job, window.document._history
        begun = history._steps[0].job
        for _ in range(200):
            if not window.document.undo_text:
                break
            window.document.undo()
        # A job that was saved by an earlier walk and dropped here may begin with nothing on it.
        emptied = (
            begun != start
            and begun.name == "Walk"
            and not begun.graphics
            and "drop saved" not in " ".join(self.trail)
        )
        if window.document.job != begun or emptied:
            self.faults.append(f"undo does not lead to the start after {' | '.join(self.trail)}")
        for _ in range(200):
            if not window.document.redo_text:
                break
            window.document.redo()
        if not end or window.document.job != history._steps[-1].job:
            self.faults.append(f"redo does not lead to the end after {' | '.join(self.trail)}")

    def _wait(self, seconds: float, until: Callable[[], bool] = lambda: False) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not until():
            QApplication.processEvents()
            time.sleep(0.003)

    def _shown(self, kind: type[QWidget]) -> list[Any]:
        return [w for w in self.window.findChildren(kind) if w.isVisible() and w.isEnabled()]

    def _press(self) -> None:
        found = [b for b in self._shown(QAbstractButton) if b.text().lower() not in _NOT]
        b = self.chance.choice(found)
        self.trail.append(f"press {b.text() or b.accessibleName()}")
        menu = getattr(b, "menu", lambda: None)()
        if menu is not None:
            actions = [a for a in menu.actions() if a.isEnabled() and a.text()]
            if actions:
                self.chance.choice(actions).trigger()
            return
        QTest.mouseClick(b, LEFT)

    def _choose(self) -> None:
        found = [c for c in self._shown(QComboBox) if c.count()]
        if found:
            c = self.chance.choice(found)
            k = self.chance.randrange(c.count())
            self.trail.append(f"choose {c.accessibleName()} {c.itemText(k)}")
            c.setCurrentIndex(k)
            c.activated.emit(k)
            c.textActivated.emit(c.itemText(k))

    def _choose_in_menu(self) -> None:
        """Something of a menu that the last step opened, or nothing of it."""
        menu = QApplication.activePopupWidget()
        if menu is None:
            return
        actions = (
            [a for a in menu.actions() if a.isEnabled() and a.menu() is None and a.text()]
            if isinstance(menu, QMenu)
            else []
        )
        chosen = self.chance.choice([None, *actions])
        menu.close()
        if chosen is not None:
            self.trail.append(f"in the menu {chosen.text()}")
            chosen.trigger()

    def _type(self) -> None:
        found = [
            w for w in self._shown(QLineEdit) if not isinstance(w.parent(), QComboBox | QAbstractSpinBox)
        ]
        if found:
            w, text = self.chance.choice(found), self.chance.choice(_TYPED)
            self.trail.append(f"type {text!r} into {w.accessibleName()}")
            w.setFocus()
            w.selectAll()
            QTest.keyClicks(w, text)
            QTest.keyClick(w, Qt.Key.Key_Return)

    def _drag(self) -> None:
        window = self.window
        seen = [w for w in (window.stage, window.face) if w.isVisible()]
        loads = window.sheets["split"].pages.beds.loads
        if loads.isVisible() and self.chance.random() < 0.4:
            # Pieces on their beds, from one to another.
            seen = [loads]
        target = window.table if window.view.centre == "table" or not seen else self.chance.choice(seen)
        w, h = target.width(), target.height()
        a = QPoint(self.chance.randrange(5, max(6, w - 5)), self.chance.randrange(5, max(6, h - 5)))
        b = a + QPoint(
            self.chance.randrange(-120, 120), self.chance.randrange(-120, 120)
        ) * self.chance.choice((0, 1, 1))
        self.trail.append(f"drag {type(target).__name__} {a.x()},{a.y()} to {b.x()},{b.y()}")
        held = self.chance.choice((LEFT, LEFT, LEFT, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton))
        QTest.mousePress(target, held, NONE, a)
        for k in range(1, 4):
            QTest.mouseMove(target, a + (b - a) * k / 3)
        QTest.mouseRelease(target, held, NONE, b)

    def _key(self) -> None:
        k = Qt.Key
        bare = (k.Key_Delete, k.Key_Left, k.Key_Up, k.Key_Escape, k.Key_Return, k.Key_F1)
        with_control = (k.Key_Z, k.Key_Y, k.Key_Z, k.Key_S, k.Key_0, k.Key_7, k.Key_V, k.Key_K)
        keys = (
            *((k.Key_1 + n, CTRL) for n in range(5)),
            *((n, NONE) for n in bare),
            *((n, CTRL) for n in with_control),
        )
        key, held = self.chance.choice(keys)
        self.trail.append(f"key {Qt.Key(key).name} {held.name}")
        target = self.window.table if self.window.view.centre == "table" else self.window.stage
        QTest.keyClick(self.chance.choice((self.window, target)), Qt.Key(key), held)

    def _other(self) -> None:
        what = self.chance.choice(("drop", "drop", "menu", "menu", "kill", "open"))
        if what == "kill":
            self.trail.append("kill")
            os.kill(self.window.engine.worker_pid, signal.SIGKILL)
            self._wait(3.0, until=lambda: bool(self.window.message.text) or not self.window.engine.busy)
            return
        if what == "menu":
            actions = [
                a
                for a in self.window.findChildren(QAction)
                if a.isEnabled() and a.text() and "Quit" not in a.text()
            ]
            action = self.chance.choice(actions)
            self.trail.append(f"menu {action.text()}")
            action.trigger()
            return
        path = self.chance.choice(
            sorted(self.folder.glob("saved*" if what == "open" else "*.*")) or [self.folder / "a.svg"]
        )
        self.trail.append(f"drop {path.name}")
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        place, copy = QPoint(600, 300), Qt.DropAction.CopyAction
        QApplication.sendEvent(self.window, QDragEnterEvent(place, copy, data, LEFT, NONE))
        QApplication.sendEvent(self.window, QDropEvent(QPointF(place), copy, data, LEFT, NONE))


def walk_windows(window: Any, sequences: int, first: int = 0) -> list[str]:
    """Walk a window so many times; gives what must not be."""
    with tempfile.TemporaryDirectory() as folder:
        walk = Walk(window, Path(folder))
        try:
            for k in range(sequences):
                walk.run(first + k)
        finally:
            walk.end()
        return walk.faults
