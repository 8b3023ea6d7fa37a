"""Flat pictures of an open set at 512 px, traced and compared with the drawing itself at 2048 px."""

from __future__ import annotations

import io

import cv2
import numpy as np
import shapely
from PIL import Image

from bench.openset import colours_of, drawings, is_flat, painted
from cutkey.core.picture.labels import nearest_colour
from cutkey.core.trace.partition import regions

SIZE, LARGE = 512, 2048


def svg_of_labels(found: list, size: int) -> str:
    """Regions as crisp paths whose red is the number of the region plus one."""
    paths = []
    for k, (_, geometry) in enumerate(found):
        rings = [shapely.get_coordinates(r)[:-1] for r in shapely.get_rings(shapely.get_parts(geometry))]
        d = "".join("M" + "L".join(f"{x:.4f} {y:.4f}" for x, y in ring.tolist()) + "Z" for ring in rings)
        paths.append(
            f'<path shape-rendering="crispEdges" fill-rule="evenodd" fill="#{k + 1:02x}0000" d="{d}"/>'
        )
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {size} {size}">{"".join(paths)}</svg>'


def wrong_share(found: list, truth: np.ndarray) -> float:
    """Share of pixels of the large crisp truth that show another colour in the trace."""
    numbers = painted(svg_of_labels(found, SIZE), LARGE, crisp=True, background="black")[..., 0]
    table = np.array([[0, 0, 0], *[c for c, _ in found]], np.int16)
    shown = table[numbers]
    palette = colours_of(truth)
    return float((nearest_colour(shown.astype(np.uint8), palette) != nearest_colour(truth, palette)).mean())


def jpeg(rgb: np.ndarray, quality: int) -> np.ndarray:
    """A picture after JPEG."""
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "JPEG", quality=quality)
    return np.asarray(Image.open(buffer).convert("RGB"))


def noisy(rgb: np.ndarray, sigma: float) -> np.ndarray:
    """A picture with Gaussian noise."""
    noise = np.random.default_rng(3).normal(0, sigma, rgb.shape)
    return np.clip(rgb + noise, 0, 255).astype(np.uint8)


def cases(rgb: np.ndarray, palette: np.ndarray) -> dict[str, tuple[np.ndarray, dict]]:
    """What is traced, and how."""
    return {
        "palette given": (rgb, {"palette": palette}),
        "own palette": (rgb, {}),
        "JPEG quality 40": (jpeg(rgb, 40), {"palette": palette}),
        "blur sigma 3": (cv2.GaussianBlur(rgb, (0, 0), 3), {"palette": palette}),
        "noise sigma 38": (noisy(rgb, 38), {"palette": palette}),
    }


def measure(
    count: int = 60, only: tuple[str, ...] = (), some: list[tuple[str, str]] | None = None
) -> dict[str, dict[str, float]]:
    """Mean wrong share, largest gap and overlap (px2), whether every coverage was valid, and pieces too
    small to be meant."""
    rows: dict[str, list[tuple[str, float, float, bool, int]]] = {}
    taken = 0
    for name, svg in drawings(400) if some is None else some:
        if not is_flat(svg) or taken == count:
            continue
        truth = painted(svg, LARGE, crisp=True)
        palette = colours_of(truth)
        if not 3 <= len(palette) <= 12:
            continue
        taken += 1
        for case, (rgb, how) in cases(painted(svg, SIZE), palette).items():
            if only and case not in only:
                continue
            found = regions(rgb, **how)
            shapes = [g for _, g in found]
            whole = shapely.coverage_union_all(shapes).area
            gap = max(abs(whole - SIZE * SIZE), abs(sum(g.area for g in shapes) - SIZE * SIZE))
            specks = sum(int((shapely.area(shapely.get_parts(g)) < 2).sum()) for g in shapes)
            rows.setdefault(case, []).append(
                (name, wrong_share(found, truth), gap, shapely.coverage_is_valid(shapes), specks)
            )
    return {
        case: {
            "wrong": float(np.mean([r[1] for r in found])),
            "worst": max(found, key=lambda r: r[1])[:2],  # type: ignore[dict-item]
            "gap": max(r[2] for r in found),
            "valid": all(r[3] for r in found),
            "specks": sum(r[4] for r in found) / len(found),
            "pictures": len(found),
        }
        for case, found in rows.items()
    }


if __name__ == "__main__":
    for case, row in measure().items():
        print(f"{case:18s}", {k: (f"{v:.2%}" if k == "wrong" else v) for k, v in row.items()})
