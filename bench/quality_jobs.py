"""Jobs of nothing in particular: what stops their kits, and what of it is left once they are mended."""

from __future__ import annotations

import random
import sys
import tempfile
from collections import Counter
from pathlib import Path

from msgspec.structs import replace

from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.mending import mended
from cutkey.core.engine.output import write_job_kit
from cutkey.core.errors import BadInput
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.job import Job, Source
from cutkey.core.model.placement import Depth
from cutkey.core.model.printer import Printer

_COLOURS = ("#c03020", "#2040a0", "#e0a32a", "#26241f", "#3f7f4f")
_WORDS = ("Bee", "Oak 8", "AB", "Moss", "R O", "90%")


def random_job(seed: int) -> tuple[Job, dict[str, bytes]]:
    """A made body with a few graphics, its printer, cuts and way of colour."""
    pick = random.Random(seed)
    thick = pick.choice((1.0, 2.0, 3.0, 5.0, 8.0))
    wide, deep = pick.uniform(40, 180), pick.uniform(40, 120)
    base = pick.choice((PlateBase(wide, deep, thick, pick.choice((0.0, 4.0))), CoinBase(wide, thick)))
    job, files = replace(Job(name=f"Job {seed}"), base=base), {}
    for n in range(pick.randint(1, 3)):
        data = _drawing(pick).encode()
        source = Source(digest_bytes(data), f"shape {n}.svg", "drawing")
        files[source.digest] = data
        job, spec = add_graphic(job, source, pick.uniform(8, 0.7 * wide))
        depth = Depth(
            pick.choice(("raised", "recessed", "flush", "through")), pick.choice((0.2, 0.4, 0.8, 1.3, 2.0))
        )
        where = (
            ((0.0, 0.0, thick), (0.0, 0.0, 1.0))
            if pick.random() < 0.8
            else ((0.0, -deep / 2, thick / 2), (0.0, -1.0, 0.0))
        )
        job, laid = place(
            job, spec.id, *where, depth, (pick.uniform(-wide, wide) / 3, pick.uniform(-deep, deep) / 3)
        )
        laid = replace(laid, spin=pick.choice((0.0, 30.0)), mirror=pick.random() < 0.2)
        job = replace(job, placements=(*job.placements[:-1], laid))
    bed = pick.choice((60.0, 120.0, 235.0))
    cuts = tuple(Cut(pick.choice(("x", "y")), pick.uniform(-20, 20)) for _ in range(pick.randint(0, 2)))
    colouring = Colouring(
        pick.choice(("bodies", "bodies", "heights", "inlays")), face_down=pick.random() < 0.2
    )
    return (
        replace(
            job,
            cuts=cuts,
            printer=Printer(bed=(bed, bed, 200.0), nozzle=pick.choice((0.25, 0.4, 0.6))),
            colouring=colouring,
        ),
        files,
    )


def _drawing(pick: random.Random) -> str:
    parts = []
    for _ in range(pick.randint(1, 4)):
        colour, x, y, r = (
            pick.choice(_COLOURS),
            pick.uniform(10, 50),
            pick.uniform(10, 50),
            pick.uniform(3, 18),
        )
        parts.append(
            pick.choice(
                (
                    f'<circle cx="{x}" cy="{y}" r="{r}" fill="{colour}"/>',
                    (
                        f'<circle cx="{x}" cy="{y}" r="{r}" fill="none" stroke="{colour}"'
                        f' stroke-width="{pick.uniform(0.3, 4)}"/>'
                    ),
                    (
                        f'<rect x="{x}" y="{y}" width="{r}" height="{pick.uniform(0.2, 12)}" fill="{colour}"'
                        f' transform="rotate(20 {x} {y})"/>'
                    ),
                    f'<text x="{x - 8}" y="{y}" font-size="{r}" fill="{colour}">{pick.choice(_WORDS)}</text>',
                )
            )
        )
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60'
        f' 60">{"".join(parts)}</svg>'
    )


def measure(seeds: range, write: bool = False) -> tuple[Counter[str], list[str]]:
    """How many jobs are refused, stopped, mended; and what is left of those that are not."""
    counts, left = Counter[str](), []
    for seed in seeds:
        job, files = random_job(seed)
        evaluator = Evaluator(files)
        try:
            kit = evaluator.kit(job)
        except BadInput as error:
            counts["refused in a sentence"] += 1
            left.append(f"{seed}: {error}")
            continue
        assert kit is not None
        before = [f for f in kit.findings if f.severity == "stop"]
        counts["stopped" if before else "not stopped"] += 1
        found = mended(job, evaluator, costly=True)
        stops = [f for f in found.left if f.severity == "stop"]
        counts["mended"] += bool(before and not stops)
        counts["mended, something taken off"] += bool(
            not stops and any("take it off" in what for what in found.done)
        )
        left += [f"{seed}: {f.title}: {f.text}" for f in stops]
        if write and not stops:
            with tempfile.TemporaryDirectory() as folder:
                report = write_job_kit(Path(folder) / "kit", found.job, evaluator)
                wrong = [f for f in report["findings"] if f["severity"] == "stop"]
                counts["written without a warning"] += not wrong
                left += [f"{seed}: written: {f['title']}: {f['text']}" for f in wrong]
    return counts, left


def main() -> None:
    """Print what was counted, and what is left."""
    count, first = (
        int(sys.argv[1]) if len(sys.argv) > 1 else 100,
        int(sys.argv[2]) if len(sys.argv) > 2 else 0,
    )
    counts, left = measure(range(first, first + count), write=True)
    for name, n in counts.items():
        print(f"  {name:30s} {n}")
    print("\n".join(left))


if __name__ == "__main__":
    main()
