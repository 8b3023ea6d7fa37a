"""Damaged and hostile files: each ends in a sentence or a sound reading, in bounded time and memory."""

from __future__ import annotations

import pytest
from bench.fuzz.judge import run

from cutkey.core import limits
from cutkey.core.errors import BadInput
from cutkey.core.limits import reading, unpacked


def test_damaged_and_hostile_files_end_in_a_sentence():
    count, bad = run(small=True)
    assert bad == [] and count["sentence"] > 60 and count["sound"] > 10


def test_what_takes_too_long_or_too_much_is_stopped(monkeypatch):
    monkeypatch.setattr(limits, "SECONDS", 0.2)
    with pytest.raises(BadInput, match=r"x\.svg takes too long"), reading("x.svg"):
        while True:
            pass
    monkeypatch.setattr(limits, "MEMORY", 100 << 20)
    with pytest.raises(BadInput, match=r"x\.svg needs more memory"), reading("x.svg"):
        bytearray(4 << 30)
    bytearray(300 << 20)  # the bound is gone afterwards
    with pytest.raises(BadInput, match=r"x\.svg is damaged or holds"), reading("x.svg"), reading("x.svg"):
        raise IndexError
    told = []
    monkeypatch.setattr(limits, "STUCK", 0.2)
    monkeypatch.setattr(limits, "on_stuck", told.append)
    monkeypatch.setattr(limits, "SECONDS", 9.0)
    with reading("y.stl"):
        sum(range(30_000_000))
    assert told and told[0].startswith("y.stl takes too long")
    with pytest.raises(BadInput, match=r"z\.3mf is no zip\."):
        unpacked(b"PK\x03\x04 nothing", "z.3mf", "is no zip.")
