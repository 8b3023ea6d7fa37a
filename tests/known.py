"""What the tests of a process have computed, so that no demo is computed twice."""

from __future__ import annotations

from collections.abc import Mapping

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.memo import Memo

_SOURCES: dict[str, bytes] = {}
_KNOWN = Evaluator(_SOURCES)
_KNOWN.memo = Memo(most=400_000_000, count=4000)


def known(sources: Mapping[str, bytes]) -> Evaluator:
    """The evaluator of all tests that change nothing but the job; results are found by their inputs."""
    _SOURCES.update(sources)
    return _KNOWN
