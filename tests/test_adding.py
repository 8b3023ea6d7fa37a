"""What docs/adding.md says: each of its files is put into a copy of the program, and used there in the
window and on the command line."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
#: A tetrahedron on a square of 100 mm: five points, six triangles.
OFF = (
    b"OFF\n5 5 0\n0 0 0\n100 0 0\n100 100 0\n0 100 0\n50 50 60\n4 0 3 2 1\n3 0 1 4\n3 1 2 4\n3 2 3 4\n3 3"
    b" 0 4\n"
)


@pytest.fixture(scope="module")
def grown(tmp_path_factory) -> Path:
    """A copy of the program with the files of the page."""
    folder = tmp_path_factory.mktemp("grown")
    shutil.copytree(ROOT / "src/cutkey", folder / "src/cutkey", ignore=shutil.ignore_patterns("__pycache__"))
    page = (ROOT / "docs/adding.md").read_text(encoding="utf-8")
    files = re.findall(r"^(?:[^\n]*; )?`(src/cutkey/[\w/]+\.py)`\n\n```python\n(.*?)^```$", page, re.M | re.S)
    assert len(files) == 7
    for name, code in files:
        path = folder / name
        if not path.parent.exists():
            path.parent.mkdir()
            (path.parent / "__init__.py").touch()
        path.write_text(code, encoding="utf-8")
    return folder


def run(grown: Path, *words: str) -> subprocess.CompletedProcess[str]:
    env = {**os.environ, "PYTHONPATH": str(grown / "src")}
    return subprocess.run(
        [sys.executable, *words], capture_output=True, text=True, timeout=300, env=env, cwd=grown
    )


def test_kinds_that_were_added_work_on_the_command_line(grown):
    (grown / "roof.off").write_bytes(OFF)
    split = ("-m", "cutkey.cli.main", "split", "roof.off", "-o", "kit", "--bed", "80,120,200", "--key")
    done = run(grown, *split, "peg", "--report", "r.json")
    assert done.returncode == 0, done.stdout + done.stderr
    report = json.loads((grown / "r.json").read_text(encoding="utf-8"))
    keys = [k for joint in report["joints"] for k in joint["keys"]]
    assert (
        len([u for u in report["units"] if not u["key"]]) == 2
        and len(keys) >= 2
        and {k["kind"] for k in keys} == {"peg"}
    )
    assert any(u["name"].startswith("Peg ") for u in report["units"])
    weight = next(f for f in report["findings"] if f["kind"] == "weight")
    # A pyramid: a third of its base times its height; sockets are filled by pegs but for their clearance.
    assert (
        weight["figure"] == pytest.approx(100 * 100 * 60 / 3 * 1.24e-3, rel=0.02)
        and weight["severity"] == "sound"
    )
    assert run(grown, "-m", "cutkey.cli.main", "check", "roof.off").returncode == 0
    assert run(grown, *split, "nail").returncode == 2


def test_kinds_that_were_added_work_in_the_window(grown):
    done = run(grown, str(ROOT / "tests/grown_window.py"), str(grown))
    assert done.returncode == 0 and done.stdout.endswith("well\n"), done.stdout[-2000:] + done.stderr[-4000:]
