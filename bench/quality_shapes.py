"""Shapes rendered by exact area coverage, traced and compared with their exact geometry."""

from __future__ import annotations

import numpy as np

from bench.shapes import coverage, shapes, truth_of
from cutkey.core.trace.partition import regions

SIZES = (32, 64, 128, 256)


def measure(sizes: tuple[int, ...] = SIZES) -> dict[str, tuple[float, float, float, float, float]]:
    """By group of shapes: mean and largest distance px, mean corner distance px, mean area error %,
    pieces."""
    rows: dict[str, list[tuple[float, float, list[float], float, int]]] = {}
    for size in sizes:
        for name, shape in shapes(size, "Rga8&S").items():
            picture = np.repeat(
                np.round(255 * (1 - coverage(shape, size, size))).astype(np.uint8)[..., None], 3, 2
            )
            found = regions(picture, palette=[[255, 255, 255], [0, 0, 0]])
            got = dict(found)[(0, 0, 0)]
            mean, most, corners = truth_of(shape, got, size)
            row = (mean, most, corners, abs(got.area / shape.area - 1), found.segments)
            for group in (
                name.split(" at")[0] if name.startswith("line") else name.split()[0],
                f"{size} px",
                "all",
            ):
                rows.setdefault(group, []).append(row)
    out = {}
    for group, found in rows.items():
        corners = [c for r in found for c in r[2]]
        means = [float(np.mean([r[k] for r in found])) for k in (0, 3, 4)]
        out[group] = (
            means[0],
            max(r[1] for r in found),
            float(np.mean(corners)) if corners else 0.0,
            100 * means[1],
            means[2],
        )
    return out


if __name__ == "__main__":
    print(f"{'':12s} {'mean px':>8s} {'most px':>8s} {'corners px':>10s} {'area %':>7s} {'pieces':>7s}")
    for group, (mean, most, corner, area, pieces) in sorted(measure().items()):
        print(f"{group:12s} {mean:8.3f} {most:8.2f} {corner:10.3f} {area:7.3f} {pieces:7.1f}")
