"""Which process made something, and whether it still runs.

A process number alone is soon given to another.
"""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path


def _born(pid: int) -> str | None:
    """When a process began, in ticks since the machine did; None when there is none of that number."""
    try:
        # The name of the process, in brackets, may hold anything; the twenty-second field is counted from
        # behind it (proc(5)).
        fields = (
            Path(f"/proc/{pid}/stat").read_text(encoding="utf-8", errors="replace").rpartition(")")[2].split()
        )
    except OSError:
        return None
    return None if fields[0] in ("Z", "X") else fields[19]


def mark_of(pid: int) -> str:
    """The mark of another process, while it runs."""
    return f"{pid}-{_born(pid) or 0}"


def my_mark() -> str:
    """The mark of this process, for names of files: its number and when it began."""
    return _known(os.getpid())


@lru_cache(maxsize=4)
def _known(pid: int) -> str:
    return mark_of(pid)


def runs(mark: str) -> bool:
    """Whether the process of a mark still runs."""
    number, _, born = mark.partition("-")
    return number.isdigit() and _born(int(number)) == born
