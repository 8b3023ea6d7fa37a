"""Files: written whole or not at all, never over what is somebody else's."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from tests.conftest import checker, png

from cutkey.cli.main import main
from cutkey.core.alive import my_mark, runs
from cutkey.core.errors import BadInput, Taken
from cutkey.core.files import part_of, write_atomic
from cutkey.core.folders import REPORT, clear_unfinished, staged

KIT = {"kit.3mf": b"3mf", "A1.stl": b"stl", "B1.stl": b"stl"}


def write(folder, files=KIT, **options):
    with staged(folder, **options) as stage:
        for name, data in files.items():
            path = stage.folder / name
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(data)
        return stage.finish({"title": "kit"})


def names(folder):
    return {str(p.relative_to(folder)) for p in folder.rglob("*") if not p.is_dir()}


def test_a_link_stays_a_link_rights_are_kept_and_read_only_is_respected(tmp_path):
    real, link = tmp_path / "real", tmp_path / "link"
    real.write_bytes(b"old")
    real.chmod(0o640)
    link.symlink_to(real)
    write_atomic(link, b"new")
    assert link.is_symlink() and real.read_bytes() == b"new" and real.stat().st_mode & 0o777 == 0o640
    real.chmod(0o440)
    with pytest.raises(BadInput, match="read-only"):
        write_atomic(link, b"newer")
    assert real.read_bytes() == b"new"
    write_atomic(tmp_path / "own", b"x", private=True)
    assert (tmp_path / "own").stat().st_mode & 0o777 == 0o600
    os.umask(mask := os.umask(0o027))
    write_atomic(tmp_path / "shared", b"x")
    assert (tmp_path / "shared").stat().st_mode & 0o777 == 0o666 & ~mask
    with pytest.raises(BadInput, match="is a folder"):
        write_atomic(tmp_path, b"x")
    with pytest.raises(BadInput, match="too long a name"):
        write_atomic(tmp_path / ("n" * 300), b"x")


def test_parts_of_dead_writers_are_swept_and_those_of_living_ones_are_not(tmp_path):
    with subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE) as other:
        born = Path(f"/proc/{other.pid}/stat").read_text().rpartition(")")[2].split()[19]
        assert runs(f"{other.pid}-{born}") and not runs(f"{other.pid}-{int(born) + 1}") and runs(my_mark())
        living = tmp_path / f".a.{other.pid}-{born}-abcdef.part"
        dead, foreign = tmp_path / f".a.{other.pid}-{int(born) + 1}-abcdef.part", tmp_path / ".somebody.part"
        for p in (living, dead, foreign):
            p.write_bytes(b"half")
        write_atomic(tmp_path / "a", b"whole")
        assert living.exists() and foreign.exists() and not dead.exists()
        other.kill()
    write_atomic(tmp_path / "a", b"whole")
    assert not living.exists() and foreign.exists()


def test_a_folder_is_swapped_as_one_and_what_is_the_users_stays(tmp_path):
    folder = tmp_path / "kit"
    assert set(write(folder)["files"]) == set(KIT) and names(folder) == {*KIT, REPORT}
    (folder / "notes").mkdir()
    (folder / "notes" / "a.txt").write_text("mine")
    (folder / "mine.stl").write_text("mine")
    (folder / "link").symlink_to("nowhere")
    number = folder.stat().st_ino
    report = write(folder, {"kit.3mf": b"other", "sub/x.stl": b"x"})
    assert folder.stat().st_ino != number, "the folder was not exchanged"
    assert (
        names(folder) == {"kit.3mf", "sub/x.stl", REPORT, "notes/a.txt", "mine.stl", "link"}
        and report["left"] == []
    )
    assert [p.name for p in tmp_path.iterdir()] == ["kit"] and (folder / "link").is_symlink()
    # A folder of an earlier series goes when it is empty, not when something of the user's is in it.
    (folder / "sub" / "own.txt").write_text("mine")
    write(folder)
    assert names(folder) == {*KIT, REPORT, "sub/own.txt", "notes/a.txt", "mine.stl", "link"}


@pytest.mark.parametrize("disk", ["exchanges", "moves"])
def test_nothing_that_is_not_of_an_earlier_kit_is_written_over(tmp_path, monkeypatch, disk):
    if disk == "moves":
        monkeypatch.setattr("cutkey.core.folders._exchanged", lambda *_: False)
    folder = tmp_path / "kit"
    folder.mkdir()
    (folder / "A1.stl").write_text("somebody's")
    with pytest.raises(Taken, match=r"A1\.stl was not written by Cut Key"):
        write(folder)
    assert names(folder) == {"A1.stl"} and [p.name for p in tmp_path.iterdir()] == ["kit"]
    write(folder, over=True)
    assert (folder / "A1.stl").read_bytes() == b"stl"
    (folder / "A1.stl").write_text("changed by hand")
    (folder / "B1.stl").write_text("changed by hand")
    with pytest.raises(Taken, match=r"A1\.stl was changed since"):
        write(folder)
    # One that is not written again stays, and is named.
    assert write(folder, {"kit.3mf": b"new"})["left"] == ["A1.stl", "B1.stl"]
    assert names(folder) == {"kit.3mf", "A1.stl", "B1.stl", REPORT}
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / REPORT).write_text('{"made_by": "somebody else"}')
    with pytest.raises(Taken, match=r"report\.json was not written"):
        write(tmp_path / "other")
    with pytest.raises(BadInput, match="is a file; choose a folder"):
        write(folder / "kit.3mf")


def test_a_writer_killed_between_the_exchange_and_the_end_loses_nothing(tmp_path):
    folder = tmp_path / "kit"
    code = f"""
import os, sys
sys.path[:0] = {sys.path!r}
from pathlib import Path
import cutkey.core.folders as f
from tests.core.test_safe import write
write(Path({str(folder)!r}))
(Path({str(folder)!r}) / "mine.stl").write_text("mine")
f._carry = lambda *_: os._exit(9)
write(Path({str(folder)!r}), {{"kit.3mf": b"new"}})
"""
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 9
    assert names(folder) >= {"kit.3mf", REPORT} and "mine.stl" not in names(folder)
    clear_unfinished(folder)
    assert names(folder) == {"kit.3mf", REPORT, "mine.stl"} and [p.name for p in tmp_path.iterdir()] == [
        "kit"
    ]


def test_kills_while_a_kit_is_written_leave_the_old_one_or_the_new_one(tmp_path):
    folder = tmp_path / "kit"
    code = f"""
import sys
sys.path[:0] = {sys.path!r}
from pathlib import Path
from tests.core.test_safe import write
for n in range(10**6):
    write(Path({str(folder)!r}), {{f"{{k}}.stl": f"{{n}} {{k}}".encode() for k in range(n % 5 + 3)}})
    print(n, flush=True)
"""
    write(folder, {"0.stl": b"0 0"})
    (folder / "mine.txt").write_text("mine")
    for k in range(12):
        with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE) as writer:
            writer.stdout.readline()
            time.sleep(0.003 * k)
            writer.kill()
        clear_unfinished(folder)
        report = json.loads((folder / REPORT).read_text())
        assert names(folder) == {*report["files"], REPORT, "mine.txt"}
        assert len({p.read_text().split()[0] for p in folder.glob("*.stl")}) == 1, "parts of two kits"


def test_commands_never_write_over_what_they_read_or_what_is_somebody_elses(tmp_path, capsys):
    picture = tmp_path / "bee.png"
    picture.write_bytes(before := png(checker(64)))
    assert main(["trace", str(picture), "-o", str(picture)]) == 2
    assert "is what is read here" in capsys.readouterr().err and picture.read_bytes() == before
    out = tmp_path / "bee.svg"
    out.write_text("<svg>drawn by hand</svg>")
    words = ["trace", str(picture), "-o", str(out)]
    assert main(words) == 2 and "was not written by Cut Key" in capsys.readouterr().err
    assert main([*words, "--over"]) == 0 == main(words), "what it wrote itself it may write again"
    assert (
        main([*words, "--report", str(out)]) == 2
        and "the report and what is written too" in capsys.readouterr().err
    )
    assert main(["demo", "-o", str(tmp_path / "demo")]) == 0 == main(["demo", "-o", str(tmp_path / "demo")])
    (tmp_path / "demo" / "bee.png").write_bytes(b"mine")
    assert (
        main(["demo", "-o", str(tmp_path / "demo")]) == 2
        and (tmp_path / "demo" / "bee.png").read_bytes() == b"mine"
    )


def test_a_full_disk_and_a_closed_folder_are_one_sentence(tmp_path, monkeypatch):
    target = tmp_path / "a"
    target.write_bytes(b"old")

    def full(*_):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as m:
        m.setattr("os.fsync", full)
        with pytest.raises(BadInput, match="The disk is full"):
            write_atomic(target, b"new")
        write_error = pytest.raises(BadInput, match="The disk is full")
        with write_error:
            write(tmp_path / "kit")
    assert target.read_bytes() == b"old" and [p.name for p in tmp_path.iterdir()] == ["a"]
    assert part_of(tmp_path / ("é" * 120)).name.encode().__len__() < 255
