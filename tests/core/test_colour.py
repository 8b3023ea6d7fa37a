"""Colour difference against published data, and the rack."""

from __future__ import annotations

import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, rgb2lab

from cutkey.core.colour.difference import ciede2000, hex_of, lab_of, rgb_of
from cutkey.core.colour.names import nearest_filament, plain_name
from cutkey.core.model.filament import DEFAULT_RACK


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
