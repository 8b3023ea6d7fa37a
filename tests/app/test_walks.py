"""Random walks over the real window; the bench walks farther."""

from __future__ import annotations

from bench.walks.windows import walk_windows


def test_random_walks_over_the_window_break_nothing(window):
    assert walk_windows(window, 7, first=7) == []
