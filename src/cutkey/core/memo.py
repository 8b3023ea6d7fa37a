"""Memory of computed steps, keyed by the digest of their inputs."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Any, TypeVar

T = TypeVar("T")


class Memo:
    """Keeps the most recently used results.

    Parameters
    ----------
    limit : int
        How many results are kept; the one unused for longest goes first.
    """

    def __init__(self, limit: int = 400) -> None:
        self._limit = limit
        self._kept: OrderedDict[str, Any] = OrderedDict()
        self.computed = 0

    def __contains__(self, key: str) -> bool:
        return key in self._kept

    def get(self, key: str, compute: Callable[[], T]) -> T:
        """The result kept under ``key``, computed now if there is none."""
        if key in self._kept:
            self._kept.move_to_end(key)
            kept: T = self._kept[key]
            return kept
        value = compute()
        self.computed += 1
        self._kept[key] = value
        while len(self._kept) > self._limit:
            self._kept.popitem(last=False)
        return value
