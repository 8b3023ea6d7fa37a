"""A typed size is the one that comes out, also where edits take away at one size what stays at another."""

from __future__ import annotations

import numpy as np
import pytest
from tests.app.test_path import drop, type_into
from tests.conftest import png

from cutkey.core.model.table_edits import JoinNarrow


def banded():
    """A block, and beside it a line that is too narrow to print at 100 mm and wide enough at 240."""
    rgb = np.full((400, 1000, 3), 255, np.uint8)
    rgb[60:340, 60:900] = (30, 60, 150)
    rgb[60:340, 930:933] = (30, 30, 30)
    return png(rgb)


@pytest.mark.parametrize("width", [240.0, 60.0])
def test_a_typed_width_comes_out_whatever_edits_take_away(window, settle, tmp_path, width):
    (tmp_path / "a.png").write_bytes(banded())
    drop(window, tmp_path / "a.png")
    settle(window)
    trace = window.sheets["trace"]
    type_into(trace.size.width_field, "100")
    settle(window)
    assert window.desk.graphic_view().size[0] == pytest.approx(100, abs=0.01)
    trace._as_printable()
    settle(window)
    narrow = window.desk.graphic_view().size[0]
    assert narrow == pytest.approx(100 * 840 / 873, abs=0.3)
    steps = len(window.document.steps[0])
    type_into(trace.size.width_field, f"{width:g}")
    settle(window)
    view = window.desk.graphic_view()
    assert view.size[0] == pytest.approx(width, abs=0.006)
    # At 240 mm the line is printed and there again; typing is one step of undo.
    assert len(view.regions) == (2 if width > 100 else 1)
    assert len(window.document.steps[0]) == steps + 1
    window.document.undo()
    settle(window)
    assert window.desk.graphic_view().size[0] == pytest.approx(narrow, abs=0.01)
    assert isinstance(window.desk.spec().edits[-1], JoinNarrow)
