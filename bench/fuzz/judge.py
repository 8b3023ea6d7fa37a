"""What becomes of damaged and hostile files: `python -m bench.fuzz [COUNT [SEED]]`.

Each is read as the program reads it, in a pool of processes. A sentence or a sound reading within 10 s and 2
GB is well; another exception, more time, more memory, or the end of the process is not.
"""

from __future__ import annotations

import multiprocessing
import os
import random
import resource
import time
import traceback
from collections import Counter
from multiprocessing.connection import Connection
from typing import NamedTuple

from bench.fuzz.files import DRAWINGS, KINDS, PICTURES, damaged, hostile, sound
from cutkey.core import limits
from cutkey.core.errors import BadInput
from cutkey.core.formats import read_drawing
from cutkey.core.model.cuts import read_cuts
from cutkey.core.model.file import read_job
from cutkey.core.picture.read import read_picture
from cutkey.core.solids.read import read_model

SECONDS, MEMORY = 10.0, 2 << 30


class Case(NamedTuple):
    """A file to be read: damaged from a sound one by a seed, or by its name among the hostile ones."""

    kind: str
    seed: int
    name: str = ""


def contents(case: Case) -> tuple[str, bytes]:
    """Name and bytes of a case."""
    if case.name:
        return case.name, hostile()[case.name]()
    files = sound()
    return f"file.{case.kind.rpartition('.')[2]}", damaged(
        files[case.kind], random.Random(case.seed), list(files.values())
    )


def read(name: str, data: bytes) -> str:
    """How reading a file ended: "sound", "sentence", or the name of an exception that is neither."""
    kind = name.rpartition(".")[2]
    try:
        if kind in PICTURES:
            read_picture(data, name)
        elif kind in DRAWINGS:
            read_drawing(data, name)
        elif kind == "cutkey":
            read_job(data, name)
        elif kind == "json":
            read_cuts(data, name)
        else:
            read_model(data, name, "mm", True)
    except BadInput as error:
        text = str(error)
        return (
            "sentence"
            if name in text and text.endswith(".") and "\n" not in text and len(text) < 400
            else f"no sentence: {text[:80]}"
        )
    except BaseException as error:
        where = traceback.extract_tb(error.__traceback__)[-1]
        return f"{type(error).__name__} in {os.path.basename(where.filename)}:{where.lineno}"
    return "sound"


def _serve(connection: Connection) -> None:
    """Read cases until the other side is gone."""

    def stuck(sentence: str) -> None:
        connection.send(("stuck", 0.0, 0))
        os._exit(0)

    limits.on_stuck = stuck
    while True:
        try:
            case = connection.recv()
        except EOFError:
            return
        name, data = contents(case)
        # Of the processor, as the program's own bound is: the pool shares the cores; what stands still is
        # ended by the clock.
        before, began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.process_time()
        connection.send(("begin", 0.0, 0))
        how = read(name, data)
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024
        connection.send((how, time.process_time() - began, grown))


def judge(cases: list[Case], log: bool = True) -> tuple[Counter[str], list[str]]:
    """Read all cases, one process each at a time on every core; what was not well is named."""
    count: Counter[str] = Counter()
    bad: list[str] = []
    context = multiprocessing.get_context("spawn")
    waiting = list(reversed(cases))
    hands: list[_Hand] = [_Hand(context) for _ in range(min(len(cases), os.cpu_count() or 2))]
    while waiting or any(h.case for h in hands):
        for hand in hands:
            if hand.case is None and waiting:
                hand.give(waiting.pop())
            verdict = hand.look()
            if verdict is None:
                continue
            case, how = verdict
            count[how if how in ("sound", "sentence") else "bad"] += 1
            if how not in ("sound", "sentence"):
                bad.append(f"{case.name or f'{case.kind} {case.seed}'}: {how}")
                if log:
                    print(bad[-1], flush=True)
        time.sleep(0.0005)
    for hand in hands:
        hand.end()
    return count, bad


class _Hand:
    """A process that reads one case after the other."""

    def __init__(self, context: multiprocessing.context.SpawnContext) -> None:
        self._context = context
        self.case: Case | None = None
        self._start()

    def _start(self) -> None:
        self._here, there = self._context.Pipe()
        self._process = self._context.Process(target=_serve, args=(there,), daemon=True)
        self._process.start()
        there.close()
        self._began = 0.0

    def give(self, case: Case) -> None:
        self.case, self._began = case, 0.0
        self._here.send(case)

    def look(self) -> tuple[Case, str] | None:
        """The verdict on its case, None while there is none."""
        if self.case is None:
            return None
        case = self.case
        try:
            if self._here.poll():
                how, took, grown = self._here.recv()
                if how == "begin":
                    self._began = time.perf_counter()
                    return None
                self.case = None
                if how == "stuck":
                    # The sentence was said, and the process ended for it.
                    self._process.join(1)
                    self._start()
                    return case, "sentence"
                if took > SECONDS:
                    how = f"{took:.0f} s"
                elif grown > MEMORY:
                    how = f"{grown / 2**30:.1f} GB"
                return case, how
        except (EOFError, OSError):
            self._process.join(1)
            code = self._process.exitcode
            self._start()
            self.case = None
            return case, f"ended the process ({code})"
        if self._began and time.perf_counter() - self._began > 3 * SECONDS:
            self.end()
            self._start()
            self.case = None
            return case, f"more than {3 * SECONDS:.0f} s"
        return None

    def end(self) -> None:
        self._process.kill()
        self._process.join(1)


def cases_of(count: int, seed: int) -> list[Case]:
    """So many damaged files, of every kind as many."""
    return [Case(KINDS[k % len(KINDS)], seed * 1_000_003 + k) for k in range(count)]


def run(small: bool = False) -> tuple[Counter[str], list[str]]:
    """The whole, or (`small`) few of each, to see that it runs and that nothing slips through there."""
    if small:
        some = (
            "deep.cutkey",
            "schema.cutkey",
            "locked.cutkey",
            "components.3mf",
            "use.svg",
            "dashes.svg",
            "blocks.dxf",
            "deep.json",
            "nan.stl",
        )
        return judge([*(Case("", 0, n) for n in some), *cases_of(10 * len(KINDS), 1)], log=False)
    return judge([*(Case("", 0, n) for n in hostile()), *cases_of(20_000, 1)])
