"""Letters that would go as specks are counted, and the limit that keeps them is told."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.read import Picture
from cutkey.core.picture.small_letters import small_letters
from cutkey.core.trace.run import trace

#: Glyphs of seven kinds, painted as strokes: no font of the machine.
GLYPHS = (
    "10 0 10 24",
    "0 0 18 0 18 24",
    "0 24 9 0 18 24",
    "0 0 0 24 14 24",
    "0 0 14 0 0 24 14 24",
    "0 0 16 24",
    "0 6 0 24",
)


def page(lines: int = 1, scale: float = 0.6) -> tuple[np.ndarray, int]:
    """A disc over lines of sixteen letters in words of four, 14 px high, and how many they are."""
    big = np.full((2400, 2800), 255, np.uint8)
    cv2.circle(big, (1400, 900), 700, 90, -1)
    count = 0
    for line in range(lines):
        for n in range(16):
            p = np.array(GLYPHS[(n + line) % 7].split(), float).reshape(-1, 1, 2)
            # Words of four.
            at = (500 + 80 * n + 40 * (n // 4), 1900 + 220 * line)
            cv2.polylines(big, [np.int32(p * 4 * scale + at)], False, 20, round(14 * scale))
            count += 1
    grey = cv2.resize(big, (700, 600), interpolation=cv2.INTER_AREA)
    return np.repeat(grey[..., None], 3, 2), count


def notes_of(rgb: np.ndarray, width: float, **settings: float) -> list:
    made = trace(Picture(rgb, None, (700, 600)), TraceSettings(**settings), width)
    return [n for n in made.notes if n.code == "letters left out"]


@pytest.mark.parametrize("lines", [1, 2])
def test_letters_under_the_speck_limit_are_told_with_the_limit_that_keeps_them(lines):
    rgb, count = page(lines)
    assert notes_of(rgb, 300.0) == []
    (note,) = notes_of(rgb, 25.0)
    assert (note.args["letters"], note.args["lines"]) == (count, lines)
    assert f"{count} letters" in str(note) and note.args["keep_mm2"] < 0.3
    # With that limit every one of them is there: a piece each beside the disc.
    keep = note.args["keep_mm2"]
    made = trace(Picture(rgb, None, (700, 600)), TraceSettings(despeckle_mm2=keep), 25.0)
    assert sum(len(r.geometry.geoms) for r in made.regions) == count + 1
    # Just over the smallest one, at least one goes.
    least = min(g.area for r in made.regions for g in r.geometry.geoms) * made.mm_per_px**2
    fewer = trace(Picture(rgb, None, (700, 600)), TraceSettings(despeckle_mm2=1.3 * least), 25.0)
    assert sum(len(r.geometry.geoms) for r in fewer.regions) <= count


def test_dots_in_a_row_and_scattered_grain_are_no_letters():
    before = np.zeros((200, 400), np.int32)
    for x in range(20, 380, 12):
        before[100:104, x : x + 4] = 1
    assert small_letters(before, np.zeros_like(before)) is None
    rng = np.random.default_rng(5)
    grain = np.zeros((400, 400), np.int32)
    for x, y in rng.integers(5, 390, (60, 2)):
        grain[y : y + int(rng.integers(2, 5)), x : x + int(rng.integers(2, 5))] = 1
    found = small_letters(grain, np.zeros_like(grain))
    assert found is None or found.letters < 12
    assert small_letters(before, before) is None


def test_openings_of_letters_count_too():
    before = np.zeros((60, 300), np.int32)
    for n in range(8):
        high = 24 + 4 * (n % 3)
        before[10 : 10 + high, 20 + 32 * n : 40 + 32 * n] = 1
        before[16:22, 27 + 32 * n : 33 + 32 * n] = 2
    after = np.where(before == 2, 1, before)
    found = small_letters(before, after)
    assert found is not None and (found.letters, found.lines, found.least) == (8, 1, 36.0)


def test_crumbs_between_a_line_and_its_paper_are_no_letters():
    """Ten marks of 2 to 4 px in a row: on paper they may be text, along a line's rim they are its blends."""
    for y, told in ((70, True), (58, False)):
        before = np.zeros((100, 200), np.int32)
        before[60:66] = 1
        after = before.copy()
        for k in range(10):
            before[y : y + 2, 20 + 6 * k : 22 + 6 * k + k % 3] = 2
        found = small_letters(before, after)
        assert (found is not None and found.letters == 10) == told
