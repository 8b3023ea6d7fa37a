"""Memory of computed steps, keyed by the digest of their inputs, within a budget of bytes."""

from __future__ import annotations

import math
import os
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec
import numpy as np

from cutkey.core.stopping import whole

T = TypeVar("T")
#: Where the share of the machine's memory is said, and what it is when it is not.
SETTING, USUAL = "CUTKEY_MEMORY", 0.25
#: What a solid of the library takes for each of its triangles, bytes: measured, with its tree for neighbours.
TRIANGLE = 230


def budget() -> int:
    """Bytes that the results of the compute process may take.

    What is shown of them may take half as much again.

    Together they are a quarter of the machine's memory, or the share that the environment says with
    ``CUTKEY_MEMORY`` (0.05 to 0.9).
    """
    try:
        share = float(os.environ.get(SETTING, ""))
    except ValueError:
        share = USUAL
    share = min(0.9, max(0.05, share)) if math.isfinite(share) else USUAL
    return int(share * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1.5)


class Memo:
    """Keeps the most recently used results.

    Parameters
    ----------
    most : int, optional
        Bytes; the result unused for longest goes first, the newest always stays. A number of them too, so
        that small ones do not heap up.
    """

    def __init__(self, most: int | None = None, count: int = 400) -> None:
        self.most = budget() if most is None else most
        self._count = count
        self._kept: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self.held = 0  # bytes
        self.let_go = 0  # results that went for want of room
        self.computed = 0

    def __contains__(self, key: str) -> bool:
        return key in self._kept

    def get(self, key: str, compute: Callable[[], T]) -> T:
        """The result kept under ``key``, computed now if there is none."""
        if key in self._kept:
            self._kept.move_to_end(key)
            kept: T = self._kept[key][0]
            return kept
        value = compute()
        self.computed += 1
        self.put(key, value)
        return value

    def keys(self) -> frozenset[str]:
        """What is kept."""
        return frozenset(self._kept)

    def find(self, key: str) -> Any:
        """What is kept under a key, None when there is nothing."""
        if key not in self._kept:
            return None
        self._kept.move_to_end(key)
        return self._kept[key][0]

    def put(self, key: str, value: Any) -> None:
        """Keep a result that was computed elsewhere."""
        with whole():
            if key in self._kept:
                self.held -= self._kept.pop(key)[1]
            size = size_of(value)
            self._kept[key] = (value, size)
            self.held += size
            while len(self._kept) > 1 and (self.held > self.most or len(self._kept) > self._count):
                self.let_go += self.held > self.most
                self.held -= self._kept.popitem(last=False)[1][1]

    @property
    def tight(self) -> bool:
        """Whether results had to go for want of room."""
        return self.let_go > 0 and self.held > 0.6 * self.most


def size_of(value: Any) -> int:
    """About how many bytes a result takes: arrays, solids and areas exactly enough, small things roughly."""
    seen: set[int] = set()
    total, left = 0, [value]
    while left:
        one = left.pop()
        if one is None or isinstance(one, int | float | bool) or id(one) in seen:
            continue
        seen.add(id(one))
        if isinstance(one, np.ndarray):
            total += one.nbytes
        elif isinstance(one, str | bytes):
            total += len(one) + 50
        elif isinstance(one, dict):
            left += [*one.keys(), *one.values()]
        elif isinstance(one, list | tuple | set | frozenset):
            total += 8 * len(one)
            left += one
        elif hasattr(one, "num_tri"):
            total += TRIANGLE * one.num_tri()
        elif hasattr(one, "geom_type"):
            total += 16 * _coordinates(one) + 200
        elif isinstance(one, msgspec.Struct):
            left += [getattr(one, f) for f in one.__struct_fields__]
        elif hasattr(one, "__dict__"):
            left += list(vars(one).values())
    return total


def _coordinates(area: Any) -> int:
    import shapely

    return int(shapely.get_num_coordinates(area))
