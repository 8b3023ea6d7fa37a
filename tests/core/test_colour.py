"""Colour difference against published data, and the rack."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from msgspec.structs import replace
from skimage.color import deltaE_ciede2000, rgb2lab
from tests.known import known

from cutkey.core.checks.colours import corner_contacts
from cutkey.core.colour.difference import ciede2000, hex_of, lab_of, rgb_of
from cutkey.core.colour.names import nearest_filament, plain_name
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.filament import DEFAULT_RACK
from cutkey.demo.jobs import demo_job


def test_ciede2000_published_pairs():
    """Pairs 1, 4, 7, 17 and 25 of Sharma, Wu, Dalal 2005, table 1; figures from memory."""
    pairs = [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0),
        ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ]
    for one, other, wanted in pairs:
        assert float(ciede2000(one, other)) == pytest.approx(wanted, abs=5e-5)


def test_ciede2000_and_lab_against_scikit_image():
    rng = np.random.default_rng(2)
    a, b = rng.integers(0, 256, (2, 2000, 3))
    assert lab_of(a) == pytest.approx(rgb2lab(a / 255), abs=0.02)
    assert ciede2000(lab_of(a), lab_of(b)) == pytest.approx(deltaE_ciede2000(lab_of(a), lab_of(b)), abs=1e-6)


def test_names_and_nearest_filament():
    assert hex_of(rgb_of("#e0a32a")) == "#e0a32a"
    assert DEFAULT_RACK[nearest_filament("#d89c30", DEFAULT_RACK)[0]].name == "Honey PLA"
    assert plain_name("#141414") == "black"


def test_a_contact_at_a_corner_is_found_and_none_where_there_is_none():
    """Two squares of a chequerboard share a corner; side by side they are one."""
    a, b, c = shapely.box(0, 0, 5, 5), shapely.box(5, 5, 10, 10), shapely.box(20, 0, 25, 5)
    assert corner_contacts(shapely.MultiPolygon([a, b, c])) == [(5.0, 5.0)]
    assert (
        corner_contacts(shapely.MultiPolygon([a, c])) == []
        and corner_contacts(shapely.union_all([a, shapely.box(5, 0, 9, 5)])) == []
    )


def test_more_filaments_than_are_loaded_are_said_with_the_nearest_pair():
    job, sources = demo_job("plate")
    job = replace(job, printer=replace(job.printer, loaded=2))
    found = {f.title: f for f in known(sources).kit(job).findings}
    told = found["More filaments than are loaded"]
    assert told.severity == "look at" and (told.figure, told.limit) == (3, 2) and "Moss PLA" in told.text
    enough = known(sources).kit(replace(job, colouring=Colouring("heights"))).findings
    assert "More filaments than are loaded" not in [f.title for f in enough]
