"""Colour: a plan of changes for many regions, and the layers of a design as they are looked at, against
the bare cuts."""

from __future__ import annotations

import random

from msgspec.structs import replace

from bench.timing import in_turns
from cutkey.core.colour.bands import layer_table, planned, wish_of
from cutkey.core.colouring.costs import layer_middles
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.model.colouring import Colouring
from cutkey.demo.jobs import demo_job
from cutkey.worker.layer_view import layer_view

Row = tuple[str, float, float, str]


def run(small: bool = False) -> list[Row]:
    """2,000 regions in 8 colours, each of its own height; 1,000 layers of the demo sign."""
    count, cuts = (60, 6) if small else (2000, 1000)
    rng, table = random.Random(1), layer_table(200, 200, 100)
    wishes = [wish_of(0, 0, 20, table, 0, pinned=True)]
    wishes += [wish_of(k % 8, rng.randrange(200, 12_000), 20, table, 20_000) for k in range(count)]
    asked = [w for w in wishes if w is not None]
    least = dict.fromkeys(range(8), 2)

    def nearest() -> int:
        return sum(min(range(w.low, w.high + 1), key=lambda t, w=w: abs(table[t] - w.z)) for w in asked)

    own, floor = in_turns(lambda: planned(asked, least, table), nearest, rounds=1 if small else 3)
    rows = [
        (
            f"a plan of changes for {count} regions in 8 colours",
            own,
            floor,
            "the nearest layer of each region",
        )
    ]

    job, sources = demo_job("plate" if small else "sign")
    known = Evaluator(sources)
    job = replace(job, colouring=Colouring("heights"))
    design = known.design(job)
    assert design is not None
    z = layer_middles(float(design.low[2]), float(design.high[2]), job.printer)
    numbers = [1 + k % len(z) for k in range(cuts)]

    def looked() -> int:
        return sum(len(layer_view(job, known, design, n, quick=True).areas) for n in numbers)

    def bare() -> int:
        return sum(len(p.solid.slice(float(z[n - 1])).to_polygons()) for n in numbers for p in design.parts)

    own, floor = in_turns(looked, bare, rounds=1)
    rows.append((f"{job.name}: {cuts} layers as they are looked at", own, floor, "bare cuts of every colour"))
    return rows
