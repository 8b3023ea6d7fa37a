"""Which colours are found in pictures of open sets, against the colours that their drawings were painted in.

`python -m bench.quality_colours [COUNT]` prints a row a set and size; nobody has tuned anything to any one of
these pictures.
"""

from __future__ import annotations

import sys

import cv2
import numpy as np
from scipy.optimize import linear_sum_assignment

from bench.openset import SETS, colours_of, drawings, is_flat, painted
from bench.quality_pictures import jpeg, noisy
from cutkey.core.colour.difference import difference, lab_of
from cutkey.core.imaging.prepare import calm, noise_level
from cutkey.core.picture.palette import find_palette

LARGE, SIZES, SPOILT = 1024, (512, 128, 32), 512
#: A colour is there to be found when it covers so many px, and one of them wholly.
LEAST, WHOLE = 6.0, 0.95
#: A colour is found when it is no further off than this (CIEDE2000).
NEAR = 3.0
#: What is nowhere pure may be off by this much.
BLENDED = 12.0


def truth_at(large: np.ndarray, size: int) -> tuple[np.ndarray, np.ndarray]:
    """Colours of a crisp picture that can be seen pure at a size, (N, 3), and those that are there at
    all, (M, 3)."""
    pure: list[np.ndarray] = []
    there = []
    for colour in colours_of(large, 1e-6):
        cover = cv2.resize(
            (large == colour).all(-1).astype(np.float32), (size, size), interpolation=cv2.INTER_AREA
        )
        if cover.sum() < LEAST:
            continue
        there.append(colour)
        if cover.max() >= WHOLE and all(difference(colour, c) > NEAR / 2 for c in pure):
            pure.append(colour)
    return np.array(pure), np.array(there)


def judge(found: np.ndarray, truth: tuple[np.ndarray, np.ndarray]) -> tuple[int, int]:
    """How many colours are missing, and how many were invented; a line that is nowhere pure may be found
    a little off."""
    off = difference(truth[0][:, None].astype(float), found[None].astype(float))
    one, other = linear_sum_assignment(np.where(off > NEAR, 100.0, off))
    right = off[one, other] <= NEAR
    rest = np.setdiff1d(np.arange(len(found)), other[right])
    near = difference(truth[1][:, None].astype(float), found[rest][None].astype(float)).min(0, initial=100.0)
    return len(truth[0]) - int(right.sum()), int((near > BLENDED).sum())


def spoilt(svg: str) -> dict[str, np.ndarray]:
    """A drawing as pictures of drawings come: compressed, and with noise of 5 % of full scale, prepared
    as the trace prepares it."""
    rgb = painted(svg, SPOILT)
    grainy = noisy(rgb, 13)
    return {"JPEG 40": jpeg(rgb, 40), "noise": calm(grainy, noise_level(grainy))}


def measure(
    count: int = 60,
    sets: tuple[str, ...] = tuple(SETS),
    sizes: tuple[int, ...] = SIZES,
    some: dict[str, list[tuple[str, str]]] | None = None,
) -> dict[str, dict]:
    """Pictures with exactly the right colours, and colours missing and invented a picture; a row a set
    and size, or kind of damage."""
    scores: dict[str, list[tuple[int, int]]] = {}
    for name in some or sets:
        taken = 0
        for _, svg in some[name] if some else drawings(3 * count, of=name):
            if not is_flat(svg) or taken == count:
                continue
            large = painted(svg, LARGE, crisp=True)
            if not 2 <= len(colours_of(large)) <= 12:
                continue
            taken += 1
            pictures = [(f"{name}, {s} px", painted(svg, s), s) for s in sizes]
            pictures += [(f"{name}, {how}", rgb, SPOILT) for how, rgb in spoilt(svg).items()]
            for row, rgb, size in pictures:
                scores.setdefault(row, []).append(judge(find_palette(rgb), truth_at(large, size)))
    return {
        row: {
            "right": f"{sum(s == (0, 0) for s in got)} of {len(got)}",
            "missing": sum(s[0] for s in got) / len(got),
            "invented": sum(s[1] for s in got) / len(got),
        }
        for row, got in scores.items()
    }


def photographs(counts: tuple[int, ...] = (4, 6, 8)) -> dict[str, dict]:
    """Mean error in CIELAB of so many colours in the photographs that scikit-image bundles, and that of
    k-means (OpenCV, best of three)."""
    import skimage.data

    rows = {}
    for name in ("astronaut", "chelsea", "coffee", "rocket"):
        rgb = np.ascontiguousarray(getattr(skimage.data, name)()[::2, ::2, :3])
        lab = lab_of(rgb.reshape(-1, 3).astype(float))

        def off(centres: np.ndarray, lab: np.ndarray = lab) -> float:
            return float(np.sqrt(((lab[:, None] - centres[None]) ** 2).sum(-1).min(1)).mean())

        for n in counts:
            cv2.setRNGSeed(1)
            means = cv2.kmeans(lab.astype(np.float32), n, None, (3, 40, 0.1), 3, cv2.KMEANS_PP_CENTERS)[2]  # type: ignore[call-overload]
            rows[f"{name}, {n} colours"] = {
                "own": off(lab_of(find_palette(rgb, n).astype(float))),
                "k-means": off(means),
            }
    return rows


if __name__ == "__main__":
    for row, values in {**measure(int(sys.argv[1]) if len(sys.argv) > 1 else 60), **photographs()}.items():
        print(f"{row:28s}", values, flush=True)
