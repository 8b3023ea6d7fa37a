"""Numbers as people type them."""

from __future__ import annotations

import pytest

from cutkey.core.errors import BadInput
from cutkey.core.units import format_mm, parse_number


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("60", 60),
        ("5in", 127),
        ("25.4*2", 50.8),
        ('2"', 50.8),
        ("60 mm - 2*1,5", 57),
        ("(1+2)*3cm", 90),
        ("-4", -4),
        ("50%", 0.5),
        ("1 m", 1000),
        ("1/4in", 6.35),
        ('1/4"', 6.35),
        ("5 1/2in", 139.7),
        ("3½in", 88.9),
        ("5'", 1524),
        ("5' 6 1/2\"", 1689.1),
        ("2ft - 1/8in", 606.425),
        ("10/4", 2.5),
        ("5 1/2", 5.5),
        ("2*1/4in", 12.7),
    ],
)
def test_units_and_sums(text, mm):
    assert parse_number(text) == pytest.approx(mm)


@pytest.mark.parametrize(
    "text", ["", "abc", "1/0", "5 furlongs", "__import__('os')", "9**9**9", "1e999", "1..2", "((1)"]
)
def test_nonsense_is_refused_in_one_sentence(text):
    with pytest.raises(BadInput, match=r"is not a number|too large"):
        parse_number(text)


def test_what_can_be_read_in_two_ways_is_asked_about():
    with pytest.raises(BadInput, match="two ways"):
        parse_number("5-1/2in")
    assert parse_number("5 - 1/2in") == pytest.approx(5 - 12.7)


def test_lengths_are_shown_short():
    assert [format_mm(v) for v in (12.0, 0.2, 25.4, -0.001, 1.005)] == ["12", "0.2", "25.4", "0", "1"]
