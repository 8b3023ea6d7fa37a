"""Bed loads: sets of outlines laid by their outlines and by their boxes, each layout judged by shapely
alone."""

from __future__ import annotations

import sys
import time

import numpy as np
import shapely
from shapely import affinity

from cutkey.core.kit.nesting import Ask, nest
from cutkey.core.kit.packing import pack

_BED, _GAP = shapely.box(5, 5, 230, 230), 4.0


def _cut_up(rng: np.random.Generator) -> list[shapely.Polygon]:
    """A rounded plate with holes, cut by a grid of crooked seams."""
    w, h, cell = rng.uniform(450, 800), rng.uniform(250, 500), rng.uniform(110, 200)
    r = rng.uniform(20, 90)
    plate: shapely.Geometry = shapely.box(r, r, w - r, h - r).buffer(r, quad_segs=24)
    for _ in range(int(rng.integers(0, 5))):
        plate = plate - shapely.Point(rng.uniform(0, w), rng.uniform(0, h)).buffer(
            rng.uniform(10, 40), quad_segs=24
        )
    seams = []
    for along, across in ((w, h), (h, w)):
        for k in range(1, int(np.ceil(along / cell))):
            at, step = along * k / np.ceil(along / cell), rng.uniform(4, 14)
            ys = np.linspace(-20, across + 20, 9)
            line = np.c_[at + step * (np.arange(9) % 2), ys]
            seams.append(shapely.LineString(line if along == w else line[:, ::-1]))
    cut = shapely.get_parts(plate - shapely.union_all(seams).buffer(0.01, cap_style="flat"))
    return [p for p in cut if p.area > 100]


def _angles(rng: np.random.Generator) -> list[shapely.Polygon]:
    """Ls and Us."""
    out = []
    for _ in range(int(rng.integers(12, 40))):
        w, h = rng.uniform(50, 170, 2)
        t = min(w, h) * rng.uniform(0.18, 0.35)
        out.append(
            shapely.box(0, 0, w, h)
            - (shapely.box(t, t, w, h) if rng.random() < 0.5 else shapely.box(t, t, w - t, h))
        )
    return out


def _rings(rng: np.random.Generator) -> list[shapely.Polygon]:
    """Rings, and discs that may lie in them."""
    out: list[shapely.Polygon] = []
    for _ in range(int(rng.integers(4, 8))):
        r = rng.uniform(60, 105)
        out.append(
            shapely.Point(0, 0).buffer(r, quad_segs=24)
            - shapely.Point(0, 0).buffer(r - rng.uniform(8, 18), quad_segs=24)
        )
    return out + [
        shapely.Point(0, 0).buffer(rng.uniform(12, 40), quad_segs=24)
        for _ in range(int(rng.integers(10, 30)))
    ]


def _triangles(rng: np.random.Generator) -> list[shapely.Polygon]:
    """Triangles, which share a box two by two."""
    return [
        shapely.Polygon([(0, 0), (rng.uniform(60, 180), 0), (0, rng.uniform(60, 180))])
        for _ in range(int(rng.integers(14, 36)))
    ]


def sets(count: int) -> list[tuple[str, list[shapely.Polygon]]]:
    """Seeded sets of outlines, 60 at most, all of which fit the bed."""
    kinds = (("a plate cut up", _cut_up), ("angles", _angles), ("rings", _rings), ("triangles", _triangles))
    out = []
    for k in range(count):
        name, make = kinds[k % len(kinds)]
        some = [
            p
            for p in make(np.random.default_rng(k))
            if p.bounds[2] - p.bounds[0] < 224 and p.bounds[3] - p.bounds[1] < 224
        ]
        out.append((name, some[:60]))
    return out


def wrong(pieces: list[shapely.Polygon], laid: list[tuple[int, int, float, float, float]]) -> int:
    """Pieces that are missing, laid twice, over the edge or too near to another."""
    beds: dict[int, list[shapely.Polygon]] = {}
    for piece, bed, turn, x, y in laid:
        turned = affinity.rotate(pieces[piece], turn, origin=(0, 0))
        beds.setdefault(bed, []).append(
            affinity.translate(turned, x - turned.bounds[0], y - turned.bounds[1])
        )
    out = len(pieces) - len({k for k, *_ in laid}) + len(laid) - len({k for k, *_ in laid})
    for some in beds.values():
        out += sum(not _BED.buffer(2e-5).covers(p) for p in some)
        out += sum(a.distance(b) < _GAP - 1e-5 for k, a in enumerate(some) for b in some[:k])
    return out


def measure(count: int) -> list[tuple[str, int, int, int, float, int]]:
    """Of each set: pieces, beds by boxes, beds by outlines, seconds, and how many pieces lie wrong."""
    rows = []
    for name, pieces in sets(count):
        sizes = [
            tuple(
                int(np.ceil(100 * (b - a + _GAP)))
                for a, b in ((p.bounds[0], p.bounds[2]), (p.bounds[1], p.bounds[3]))
            )
            for p in pieces
        ]
        boxes = 1 + max(p.bin for p in pack(sizes, 22901, 22901))  # type: ignore[arg-type]
        begun = time.perf_counter()
        laid = nest([Ask(p) for p in pieces], _BED, _GAP)
        rows.append(
            (
                name,
                len(pieces),
                boxes,
                1 + max(s.bed for s in laid),
                time.perf_counter() - begun,
                wrong(pieces, list(laid)),
            )
        )  # type: ignore[arg-type]
    return rows


def main() -> None:
    """Print a line a set, and how many beds are saved on average."""
    rows = measure(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
    for name, pieces, boxes, own, seconds, bad in rows:
        print(
            f"  {name:16s} {pieces:3d} pieces: {boxes:2d} beds by boxes, {own:2d} by outlines, {seconds:5.2f}"
            f" s, {bad} wrong"
        )
    fewer = np.mean([1 - r[3] / r[2] for r in rows])
    print(
        f"{sum(r[2] for r in rows)} beds by boxes, {sum(r[3] for r in rows)} by outlines, {fewer:.1%} fewer"
        " a set"
    )


if __name__ == "__main__":
    main()
