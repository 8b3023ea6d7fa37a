"""Saving, leaving, being killed, and a file that somebody else has changed: nothing is lost, and it is
said."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton
from tests.app.test_path import CTRL, LEFT
from tests.app.test_window import press

from cutkey.app.recovery import leftovers, recent_jobs
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.model.file import open_job, save_job
from cutkey.core.model.job import Job
from cutkey.core.model.lock import holder_of
from cutkey.demo.jobs import demo_job


def test_save_open_recent_and_unsaved_changes(window, settle, tmp_path, monkeypatch):
    window.document.start(*demo_job("plate"))
    settle(window)
    target = tmp_path / "plate.cutkey"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert open_job(target)[0] == window.document.job and not window.document.unsaved
    assert recent_jobs() == [target]
    window.keeper.fill_recent(window.recent)
    assert [a.text() for a in window.recent.actions()] == ["plate.cutkey"]
    window.document.edit("rename", replace(window.document.job, name="Changed"))
    assert window.windowTitle().startswith("Changed •")
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    assert "not saved" in window.message.text and window.document.job.name == "Changed"
    press(window, "save")
    assert window.document.job == Job() and open_job(target)[0].name == "Changed"
    window.recent.actions()[0].trigger()
    settle(window)
    assert window.document.job.name == "Changed" and window.engine.kit is not None
    window.document.edit("rename", replace(window.document.job, name="Again"))
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    press(window, "leave them")
    assert window.document.job == Job()
    (tmp_path / "full").mkdir()
    monkeypatch.setattr(
        "os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device"))
    )
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "The disk is full" in window.message.text


def test_closing_asks_about_unsaved_work(window, settle):
    window.document.edit("plate", replace(window.document.job, base=PlateBase()))
    settle(window)
    window.close()
    assert window.isVisible() and "not saved" in window.message.text
    press(window, "leave them")
    QTest.qWait(50)
    assert not window.isVisible()


KILLED = """
import sys, time
from msgspec.structs import replace
from cutkey.app.main import make_application
from cutkey.app.window import Window
from cutkey.core.bodies.plate import PlateBase
if __name__ == "__main__":
    application = make_application()
    window = Window()
    window.show()
    window.document.take("bee.png", "picture", b"bee")
    # Edits without a pause: the copy is not put off for ever.
    began, n = time.monotonic(), 0
    window.keeper.autosave.kept.connect(lambda: None)
    while not any((f / "job.json").exists() for f in window.keeper.autosave.folders):
        n += 1
        base = PlateBase(33.0, 44.0, 5.0 + n / 1000)
        window.document.edit(f"plate {n}", replace(window.document.job, name="Nearly lost", base=base))
        application.processEvents()
        time.sleep(0.02)
    print(time.monotonic() - began, flush=True)
    time.sleep(60)
"""


def killed_window(tmp_path) -> float:
    """A window that is killed while edits come without a pause; gives the seconds until its job was kept
    first."""
    script = tmp_path / "killed.py"
    script.write_text(KILLED)
    with subprocess.Popen(
        [sys.executable, str(script)], stdout=subprocess.PIPE, text=True, env=dict(os.environ)
    ) as child:
        kept = float(child.stdout.readline())
        child.send_signal(signal.SIGKILL)
    return kept


def test_after_a_kill_the_job_is_brought_back(window, settle, tmp_path, qtbot):
    assert killed_window(tmp_path) < 5
    found = leftovers()
    assert [f.name for f in found] == ["Nearly lost"] and found[0].picture is not None
    assert all(p.stat().st_mode & 0o077 == 0 for p in (found[0].folder, *found[0].folder.rglob("*")))
    # Without the note beside it a copy is offered all the same.
    (found[0].folder / "about.json").unlink()
    assert [f.name for f in leftovers()] == ["a job"]
    window.document.edit("rename", replace(window.document.job, name="Other work"))
    window.keeper.offer_recovery()
    assert window.keeper.copies.isVisible()
    take = next(b for b in window.keeper.copies.findChildren(QPushButton) if b.text() == "bring it back")
    QTest.mouseClick(take, LEFT)
    # Work in the window is asked about first, and one undo away then.
    assert "Other work has changes that are not saved" in window.message.text
    press(window, "bring a job back")
    settle(window)
    assert (
        isinstance(window.document.job.base, PlateBase)
        and window.document.unsaved
        and window.document.path is None
    )
    qtbot.waitUntil(lambda: leftovers() == [] and bool(window.keeper.autosave.folders), timeout=5000)
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.document.job.name == "Other work"
    settle(window)
    window.keeper.autosave.clear()
    assert not window.keeper.autosave.folders


def test_copies_are_left_thrown_away_and_kept_elsewhere(
    window, settle, own_state, monkeypatch, qtbot, tmp_path
):
    monkeypatch.setattr("tempfile.gettempdir", lambda: str(tmp_path))
    # A file stands where the state folder should be: kept in the temporary folder, without a word.
    (own_state / "cutkey").write_text("in the way")
    window.document.edit("rename", replace(window.document.job, name="Elsewhere"))
    qtbot.waitUntil(lambda: bool(window.keeper.autosave.folders), timeout=5000)
    assert window.keeper.autosave.folders[0].is_relative_to(tmp_path) and window.message.text == ""
    # Nowhere: said once, tried again, and the message goes when it works again.
    blocked = tmp_path / f"cutkey-{os.getuid()}"
    window.keeper.autosave.clear()
    blocked.rename(tmp_path / "away")
    blocked.write_text("in the way")
    window.document.edit("rename", replace(window.document.job, name="Nowhere"))
    qtbot.waitUntil(lambda: "cannot be kept" in window.message.text, timeout=5000)
    blocked.unlink()
    window.document.edit("rename", replace(window.document.job, name="Again"))
    qtbot.waitUntil(lambda: window.message.text == "" and bool(window.keeper.autosave.folders), timeout=8000)
    # What is left without being saved stays for thirty days.
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    press(window, "leave them")
    window.keeper.offer_recovery()
    assert window.document.job == Job() and not window.keeper.copies.isVisible()
    window.keeper.offer_recovery(again=True)
    assert [k.name for k in window.keeper.copies.copies] == ["Again"] and window.keeper.copies.isVisible()
    drop_it = next(
        b
        for b in window.keeper.copies.findChildren(QPushButton)
        if b.accessibleName().startswith("Throw the copy")
    )
    QTest.mouseClick(drop_it, LEFT)
    assert leftovers() == [] and not window.keeper.copies.isVisible()


def test_a_file_changed_by_somebody_else_is_noticed(window, settle, tmp_path, monkeypatch):
    target, other = tmp_path / "sign.cutkey", tmp_path / "other.cutkey"
    save_job(target, Job(name="Old"), {})
    window.keeper.open_path(target)
    assert (tmp_path / ".sign.cutkey.lock").exists() and holder_of(target) is None
    window.document.edit("rename", replace(window.document.job, name="Mine"))
    save_job(target, Job(name="Theirs"), {})
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    assert "changed by somebody else" in window.message.text and open_job(target)[0].name == "Theirs"
    press(window, "save beside it")
    assert (
        window.document.path == tmp_path / "sign 2.cutkey"
        and open_job(window.document.path)[0].name == "Mine"
    )
    window.keeper.open_path(target)
    window.document.edit("rename", replace(window.document.job, name="Mine"))
    save_job(target, Job(name="Theirs again"), {})
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    press(window, "take theirs")
    assert window.document.job.name == "Theirs again" and not window.document.unsaved
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.document.job.name == "Mine"
    save_job(target, Job(name="Once more"), {})
    QTest.keyClick(window, Qt.Key.Key_S, CTRL)
    press(window, "keep mine")
    assert open_job(target)[0].name == "Mine" and not window.document.unsaved
    # Another window has a job open: told in words, and never a dead end.
    with subprocess.Popen(["sleep", "60"]) as living:
        born = Path(f"/proc/{living.pid}/stat").read_text().rpartition(")")[2].split()[19]
        note = {"mark": f"{living.pid}-{born}", "host": socket.gethostname(), "since": time.time()}
        save_job(other, Job(name="Held"), {})
        (tmp_path / ".other.cutkey.lock").write_text(json.dumps(note))
        window.keeper.open_path(other)
        assert "is open in another window since" in window.message.text and window.document.job.name == "Mine"
        press(window, "open a copy")
        assert (
            window.document.job.name == "Held copy"
            and window.document.path is None
            and window.document.unsaved
        )
        living.kill()
    window.keeper.open_path(other)
    press(window, "leave them")
    assert window.document.path == other and window.document.job.name == "Held"
    # The name that is written is the one that is asked about.
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "sign"), ""))
    window.keeper.save_as()
    assert "sign.cutkey exists already" in window.message.text and open_job(target)[0].name == "Mine"
    press(window, "write over it")
    assert open_job(target)[0].name == "Held"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "sign v1.5"), ""))
    window.keeper.save_as()
    assert window.document.path == tmp_path / "sign v1.5.cutkey"
