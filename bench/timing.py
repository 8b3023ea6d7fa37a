"""Timing in turns, so that a drifting machine does not favour one side."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def in_turns(*functions: Callable[[], object], rounds: int = 5) -> list[float]:
    """Median seconds of each function, called A B A B after one warm-up each."""
    for f in functions:
        f()
    taken: list[list[float]] = [[] for _ in functions]
    for _ in range(rounds):
        for f, times in zip(functions, taken, strict=True):
            begun = time.perf_counter()
            f()
            times.append(time.perf_counter() - begun)
    return [statistics.median(t) for t in taken]
