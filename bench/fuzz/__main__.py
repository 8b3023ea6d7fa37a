"""Run the fuzzer: `python -m bench.fuzz [COUNT [SEED]]`."""

from __future__ import annotations

import sys
import time

from bench.fuzz.files import hostile
from bench.fuzz.judge import Case, cases_of, judge

if __name__ == "__main__":
    words = sys.argv[1:]
    wanted = [
        *(Case("", 0, n) for n in hostile()),
        *cases_of(int(words[0]) if words else 20_000, int(words[1]) if len(words) > 1 else 1),
    ]
    began = time.perf_counter()
    total, _ = judge(wanted)
    print(f"{len(wanted)} files in {time.perf_counter() - began:.0f} s: {dict(total)}")
