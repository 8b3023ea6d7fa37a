"""Run every benchmark: `make bench`."""

from __future__ import annotations

from bench import (
    bench_booleans,
    bench_build,
    bench_colour,
    bench_files,
    bench_place,
    bench_rehearse,
    bench_split,
    bench_start,
    bench_trace,
)

MODULES = (
    bench_trace,
    bench_booleans,
    bench_place,
    bench_split,
    bench_colour,
    bench_build,
    bench_rehearse,
    bench_files,
    bench_start,
)


def main() -> None:
    """Print each benchmark's table."""
    for module in MODULES:
        print(module.__doc__.splitlines()[0])  # type: ignore[union-attr]
        for name, seconds, floor, of in module.run():
            print(f"  {name:58s} {seconds * 1000:9.1f} ms   {seconds / floor:6.2f} x {of}")


if __name__ == "__main__":
    main()
