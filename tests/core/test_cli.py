"""The command line as scripts use it: exit codes, one line on stderr, reports, no half-written files."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from tests.conftest import checker, png, written

from cutkey.cli.main import main
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.model.file import save_job
from cutkey.demo import models, pictures
from cutkey.demo.jobs import demo_job


@pytest.fixture(scope="module")
def data(tmp_path_factory) -> Path:
    """Good and bad files."""
    d = tmp_path_factory.mktemp("data")
    (d / "checker.png").write_bytes(png(checker(120)))
    (d / "bee.jpg").write_bytes(pictures.jpeg_bytes(pictures.photographed(pictures.bee())))
    (d / "lid.stl").write_bytes(models.stl_of(models.jar_lid(), "lid"))
    (d / "inch.stl").write_bytes(models.stl_of(models.jar_lid().scale((1 / 25.4,) * 3), "lid"))
    (d / "plate.stl").write_bytes(models.stl_of(models.hive_plate(), "plate"))
    (d / "truncated.stl").write_bytes((d / "lid.stl").read_bytes()[:5000])
    (d / "text.png").write_text("this is a letter, not a picture")
    (d / "empty.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg" width="10mm" height="10mm"/>')
    (d / "zero.3mf").write_bytes(b"")
    (d / "zero.cutkey").write_bytes(b"")
    Image.new("1", (20_000, 20_000)).save(d / "huge.png")
    (d / "cut.jpg").write_bytes((d / "bee.jpg").read_bytes()[:9000])
    (d / "cuts.json").write_text('[{"axis": "x", "at": 0}, {"axis": "y", "at": "left"}]')
    save_job(d / "plate.cutkey", *demo_job("plate"))
    return d


BAD = [
    ("place checker.png truncated.stl -o out.3mf", "truncated.stl is cut short"),
    ("place text.png lid.stl -o out.3mf", "text.png is not a picture"),
    ("trace text.png -o out.svg", "text.png is not a picture"),
    ("trace cut.jpg -o out.svg", "cut.jpg is damaged or cut short"),
    ("place empty.svg lid.stl -o out.3mf", "empty.svg holds no filled shape"),
    ("check zero.3mf", "zero.3mf is empty"),
    ("place checker.png zero.3mf -o out.3mf", "zero.3mf is empty"),
    ("trace huge.png -o out.svg", "huge.png is 20000 × 20000 px"),
    ("place checker.png inch.stl -o out.3mf", "drawn in inches"),
    ("split inch.stl -o kit --bed 200,200,200", "drawn in inches"),
    ("build zero.cutkey -o kit", "zero.cutkey is empty"),
    ("build checker.png -o kit", "not a Cut Key job"),
    ("trace missing.png -o out.svg", "missing.png does not exist"),
    ("trace checker.png -o nowhere/out.svg", "nowhere does not exist"),
    ("trace checker.png -o out.svg --colours many", "--colours many"),
    ("trace checker.png -o out.svg --threshold 7", "--threshold 7"),
    ("trace checker.png -o out.svg --background 900,3", "outside the picture"),
    ("trace checker.png -o out.svg --square 1,2,3", "must be 8 numbers"),
    ("trace checker.png -o out.svg --width -5", "must be more than 0"),
    ("split plate.stl -o kit --bed 100,80", "three numbers"),
    ("split plate.stl -o kit --bed 8,8,8", "leave no room"),
    ("split plate.stl -o kit --bed 100,80,80 --clearance 3", "between 0 and 2 mm a side"),
    ("split plate.stl -o kit --bed 100,80,80 --cuts cuts.json", "not a list of cuts"),
    ("place checker.png lid.stl -o out.3mf --face upstairs", "--face upstairs"),
    ("place checker.png lid.stl -o out.3mf --follow wrap", "no cylinder or cone"),
    ("check checker.png", "neither a job"),
    ("trace", "required"),
    ("--demo nonsense", "no demo called nonsense"),
    ("nothing.cutkey", "does not exist"),
]


@pytest.mark.parametrize(("line", "why"), BAD, ids=[b[0] for b in BAD])
def test_bad_input_gets_one_line_exit_2_and_leaves_nothing(line, why, data, monkeypatch, capsys):
    monkeypatch.chdir(data)
    before = {p.name for p in data.iterdir()}
    try:
        code = main(line.split())
    except SystemExit as stop:
        code = stop.code
    out, err = capsys.readouterr()
    assert code == 2 and out == ""
    assert err.startswith("cutkey: ") and why in err and err.count("\n") == 1 and "Traceback" not in err
    assert {p.name for p in data.iterdir()} == before


def test_the_real_command_answers_like_the_function(data):
    command = [str(Path(sys.executable).parent / "cutkey"), "check", "zero.3mf"]
    done = subprocess.run(command, cwd=data, capture_output=True, text=True, encoding="utf-8", timeout=60)
    assert (
        done.returncode == 2
        and done.stderr == "cutkey: zero.3mf is empty (0 bytes); export it again.\n"
        and done.stdout == ""
    )


def test_trace_as_printable_says_what_it_costs(tmp_path, capsys):
    body = (
        '<rect width="40" height="40" fill="#c03020"/><rect x="40" y="10" width="0.3" height="10"'
        ' fill="#111"/>'
    )
    (tmp_path / "a.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="40mm" viewBox="0 0 80 40">{body}</svg>'
    )
    out = tmp_path / "b.svg"
    assert (
        main(
            [
                "trace",
                str(tmp_path / "a.svg"),
                "-o",
                str(out),
                "--printable",
                "0.42",
                "--report",
                str(tmp_path / "r.json"),
            ]
        )
        == 0
    )
    assert "3 mm² joined other colours" in capsys.readouterr().out
    report = json.loads((tmp_path / "r.json").read_bytes())
    assert [c["colour"] for c in report["colours"]] == ["#c03020"] and report["colours"][0][
        "area_mm2"
    ] == pytest.approx(1603, abs=0.01)
    assert main(["trace", str(tmp_path / "a.svg"), "-o", str(tmp_path / "c.svg"), "--printable", "90"]) == 2
    assert "Nothing of a.svg is as wide as 90 mm" in capsys.readouterr().err


def test_trace_to_svg(data, tmp_path, capsys):
    out, report = tmp_path / "a.svg", tmp_path / "a.json"
    assert (
        main(["trace", str(data / "checker.png"), "-o", str(out), "--width", "5in", "--report", str(report)])
        == 0
    )
    about = json.loads(report.read_text(encoding="utf-8"))
    assert about["size_mm"][0] == pytest.approx(127) and about["gap_mm2"] == about["overlap_mm2"] == 0
    assert {c["colour"] for c in about["colours"]} == {"#1e1e1e", "#e0a32a"}
    # The square is 45 of the figure's 100 px wide and 60 high.
    scale = (127 / (120 * (15 / 16 - 0.1))) ** 2
    amber = next(c for c in about["colours"] if c["colour"] == "#e0a32a")
    assert amber["area_mm2"] == pytest.approx(45 * 60 * scale, rel=0.02) and amber["pieces"] == 1
    assert out.read_text(encoding="utf-8").count("<path") == 2
    assert (
        main(
            ["trace", str(data / "checker.png"), "-o", str(out), "--mode", "threshold", "--despeckle", "4px"]
        )
        == 0
    )
    assert (
        main(
            [
                "trace",
                str(data / "checker.png"),
                "-o",
                str(out),
                "--background",
                "5,5",
                "--colours",
                "2",
                "--shape",
                "silhouette",
            ]
        )
        == 0
    )


def test_place_a_photograph_on_the_lid(data, tmp_path):
    out, report = tmp_path / "lid.3mf", tmp_path / "lid.json"
    words = [
        "place",
        str(data / "checker.png"),
        str(data / "lid.stl"),
        "-o",
        str(out),
        "--report",
        str(report),
    ]
    assert main([*words, "--face", "6,-4,13.4", "--width", "30", "--mode", "flush", "--depth", "0.6"]) == 0
    about = json.loads(report.read_text(encoding="utf-8"))
    assert about["face"]["origin_mm"] == pytest.approx([6, -4, 13.4], abs=1e-3) and about["face"][
        "area_mm2"
    ] == pytest.approx(1738.6, abs=1)
    read = read_3mf(out)
    assert len(read.bodies) == 3 and not read.warnings
    assert sum(b.volume for b in read.bodies) == pytest.approx(
        trimesh.load(data / "lid.stl").volume, rel=1e-5
    )
    assert (
        main([*words, "--face", "bottom", "--width", "8", "--mode", "raised", "--mirror", "--spin", "15"])
        == 0
    )
    below = read_3mf(out)
    assert min(b.mesh.vertices[:, 2].min() for b in below.bodies) == pytest.approx(0, abs=1e-5)
    assert main(["check", str(out)]) == 0


def test_split_and_check(data, tmp_path, capsys):
    kit, report = tmp_path / "kit", tmp_path / "r.json"
    assert (
        main(
            [
                "split",
                str(data / "plate.stl"),
                "-o",
                str(kit),
                "--bed",
                "100,80,60",
                "--key",
                "none",
                "--report",
                str(report),
            ]
        )
        == 0
    )
    about = json.loads(report.read_text(encoding="utf-8"))
    assert [u["name"] for u in about["units"]] == ["A1", "B1"] and about["joints"][0]["at_mm"] == 0
    sizes = [
        np.ptp(trimesh.load(kit / p["file"]).vertices, axis=0) for u in about["units"] for p in u["pieces"]
    ]
    assert np.allclose(sizes, [[70, 60, 4]] * 2, atol=1e-4)
    assert "look at: Joint A–A is weak" in capsys.readouterr().out
    (tmp_path / "none.json").write_text("[]")
    code = main(
        [
            "split",
            str(data / "plate.stl"),
            "-o",
            str(tmp_path / "whole"),
            "--bed",
            "100,80,60",
            "--cuts",
            str(tmp_path / "none.json"),
        ]
    )
    assert code == 1 and "stop: Larger than the bed" in capsys.readouterr().out
    assert main(["check", str(written(kit)), "--bed", "50,50,50"]) == 1
    assert (
        main(["check", str(data / "lid.stl")]) == 0
        and main(["check", str(data / "lid.stl"), "--bed", "60x60x60"]) == 1
    )


def test_build_and_check_a_job(data, tmp_path):
    out = tmp_path / "out"
    assert (
        main(["build", str(data / "plate.cutkey"), "-o", str(out), "--report", str(tmp_path / "r.json")]) == 0
    )
    assert {"Hive-plate.3mf", "report.json", "Hive-plate-assembly-sheet.pdf"} < {
        p.name for p in out.iterdir()
    }
    own = json.loads((out / "report.json").read_text(encoding="utf-8"))
    asked = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))
    assert own == asked and all(f["severity"] == "sound" for f in own["findings"])
    assert main(["check", str(data / "plate.cutkey"), "--bed", "100×100×100"]) == 1
    assert main(["check", str(data / "plate.cutkey")]) == 0


def test_demo_writes_files_that_open(tmp_path):
    assert main(["demo", "-o", str(tmp_path / "demo")]) == 0
    names = {p.name for p in (tmp_path / "demo").iterdir()}
    assert {"sign.cutkey", "lid.cutkey", "gate-sign-photo.jpg", "jar-lid.stl", "hexagons.png"} <= names
    assert main(["check", str(tmp_path / "demo" / "feeder-cap.stl")]) == 0


def test_a_drawing_keeps_its_size_and_a_slanted_photograph_is_squared_up(data, monkeypatch, capsys):
    monkeypatch.chdir(data)
    body = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="50mm" viewBox="0 0 10 10"><path d="M1 5h8"'
        ' stroke="#c00" stroke-width="2"/></svg>'
    )
    (data / "bar.svg").write_text(body)
    assert main(["trace", "bar.svg", "-o", "bar-out.svg", "--report", "bar.json"]) == 0
    report = json.loads((data / "bar.json").read_text())
    assert report["size_mm"] == pytest.approx([40, 10], rel=1e-4) and report["open_lines"] == 1
    options = "--square 0,0,63,0,63,63,0,63 --turn 90 --shape outline --outline 1 --report flat.json"
    assert main(f"trace checker.png -o flat.svg {options}".split()) == 0
    flat = json.loads((data / "flat.json").read_text())
    assert flat["off_px"]["mean"] < 0.2 and flat["pieces"] > 3 and "colours cover" in flat["palette"]
    for name in ("bar.svg", "bar-out.svg", "bar.json", "flat.svg", "flat.json"):
        (data / name).unlink()
