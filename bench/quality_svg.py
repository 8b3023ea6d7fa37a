"""Drawings of open sets imported, painted from their regions and compared with a general-purpose renderer
at 1024 px."""

from __future__ import annotations

import sys
import time

import numpy as np
import shapely

from bench.openset import SETS, drawings, painted
from cutkey.core.artwork.svg_read import read_svg
from cutkey.core.geometry.region import Region

SIDE = 1024


def svg_of_regions(regions: list[Region], size: float) -> str:
    """Regions in their colours, edges crisp."""
    paths = []
    for region in regions:
        rings = [
            shapely.get_coordinates(r)[:-1] for r in shapely.get_rings(shapely.get_parts(region.geometry))
        ]
        d = "".join("M" + "L".join(f"{x:.5f} {y:.5f}" for x, y in ring.tolist()) + "Z" for ring in rings)
        paths.append(f'<path fill-rule="evenodd" fill="{region.colour}" d="{d}"/>')
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {size} {size}">{"".join(paths)}</svg>'


def measure(count: int = 300, some: list[tuple[str, str]] | None = None) -> dict[str, object]:
    """Share of files with at least 99.5 % of pixels right, the worst files, crashes and seconds; of the
    open set, or of some drawings."""
    shares, crashes, seconds = {}, [], 0.0
    some = drawings(count, seed=2) if some is None else some
    count = len(some)
    for number, (name, svg) in enumerate(some):
        begun = time.perf_counter()
        try:
            found = read_svg(svg.encode(), name)
        except Exception as error:
            crashes.append((name, repr(error)))
            continue
        seconds += time.perf_counter() - begun
        box = [float(v) for v in svg.split('viewBox="')[1].split('"')[0].split()]
        ours = painted(svg_of_regions(found.regions, box[2]), SIDE, crisp=True)
        theirs = painted(svg, SIDE, crisp=True)
        shares[f"{name} ({number})"] = float((np.abs(ours.astype(int) - theirs).max(-1) <= 6).mean())
    worst = sorted(shares.items(), key=lambda s: s[1])[:8]
    good = sum(s >= 0.995 for s in shares.values()) / count
    return {
        "files": count,
        "good": good,
        "mean right": float(np.mean(list(shares.values()))),
        "worst": worst,
        "crashes": crashes,
        "seconds a file": seconds / count,
    }


if __name__ == "__main__":
    for set_ in SETS:
        print(set_)
        for key, value in measure(
            some=drawings(int(sys.argv[1]) if len(sys.argv) > 1 else 100, 2, set_)
        ).items():
            print(f"  {key:16s} {value}", flush=True)
