"""One job, many kits."""

from __future__ import annotations

import json

import numpy as np
import pytest
from msgspec.structs import replace
from tests.conftest import written

from cutkey.cli.main import main
from cutkey.core.errors import BadInput
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.model.file import save_job
from cutkey.core.model.series import as_shown, values_of, with_value
from cutkey.core.model.table_edits import AddText
from cutkey.demo.jobs import demo_job


def test_series_are_numbers_and_names():
    assert values_of("1-4") == ["1", "2", "3", "4"] and values_of("08-11") == ["08", "09", "10", "11"]
    assert values_of("3-1; Ann, Ben ,Ann") == ["3", "2", "1", "Ann", "Ben"] and values_of("") == []
    with pytest.raises(BadInput, match="500"):
        values_of("1-9999")


def test_ten_lids_ten_numbers_ten_files(tmp_path, capsys):
    """Written by the command line, read back by lib3mf: one folder a value, and the bodies differ where
    the number does."""
    job, files = demo_job("lid")
    bee = job.graphics[0]
    job = replace(
        job, series="1-3", graphics=(replace(bee, edits=(AddText("N{}", (0.0, -14.0), 5.0, "#1e1e1e"),)),)
    )
    assert (
        as_shown(job).graphics[0].edits[0].text == "N1"
        and with_value(job, "7").graphics[0].edits[0].text == "N7"
    )
    save_job(tmp_path / "lids.cutkey", job, files)
    assert main(
        [
            "build",
            str(tmp_path / "lids.cutkey"),
            "-o",
            str(tmp_path / "out"),
            "--report",
            str(tmp_path / "r.json"),
        ]
    ) in (0, 1)
    assert "3 kits of 1 sections" in capsys.readouterr().out
    report = json.loads((tmp_path / "r.json").read_bytes())
    assert report["series"] == [["1", "1"], ["2", "2"], ["3", "3"]]
    volumes = []
    for value in "123":
        found = read_3mf(written(tmp_path / "out" / value))
        volumes.append([b.volume for b in found.bodies])
        assert written(tmp_path / "out" / value, "sheet.pdf").stat().st_size > 500
    dark = np.array(volumes)
    assert len({round(float(v), 3) for v in dark.sum(1)}) == 3
