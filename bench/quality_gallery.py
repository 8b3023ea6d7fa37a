"""The first trace of pictures as the world delivers them, against the drawing that they show.

`python -m bench.quality_gallery [COUNT]` prints a row a kind. A picture is right at once when the number of
colours is right, 98 % of the figure has its colour, no colour is invented, no stroke is broken and no edge is
a staircase.
"""

from __future__ import annotations

import sys
from typing import NamedTuple

import cv2
import numpy as np
import shapely

from bench.gallery import KINDS, Shown, pictures
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.errors import BadInput
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import offers
from cutkey.core.picture.apply import prepare
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import Trace, trace
from cutkey.core.trace.ways import kind_of

#: The graphic is made so wide, mm.
WIDTH = 100.0
#: A colour of the trace stands for one of the drawing when it is no further off (CIEDE2000); what was lit,
#: printed
#: or photographed may be off by more.
NEAR, LIT = 12.0, 32.0
LIT_KINDS = (
    "light on dark",
    "pencil",
    "scan",
    "uneven light",
    "hard shadow",
    "glare",
    "halftone",
    "sheet on a desk",
)
#: So much of the figure must have its colour; a boundary may lie so far off, px, and may have so much of
#: itself
#: in steps of a pixel.
RIGHT, OFF, STEPS = 0.98, 0.6, 0.2
#: A colour of so little of the picture is no colour of its own.
SHARE = 5e-4


class Verdict(NamedTuple):
    """What is wrong with a trace; nothing when `faults` is empty."""

    colours: int  # too many, or too few when negative
    right: float  # share of the figure that has its colour
    invented: int
    unbroken: float  # share of the middle lines of strokes that are there
    steps: float  # share of the boundaries that are steps of a pixel

    @property
    def faults(self) -> list[str]:
        """What is wrong, in a word each."""
        found = {
            "colours": self.colours != 0,
            "figure": self.right < RIGHT,
            "invented": self.invented > 0,
            "strokes": self.unbroken < RIGHT,
            "stairs": self.steps > STEPS,
        }
        return [name for name, bad in found.items() if bad]


def painted_trace(made: Trace, shape: tuple[int, int]) -> tuple[np.ndarray, list[str]]:
    """Number of the colour of the trace at each place of the truth, 0 for the ground, and the colours."""
    colours = [made.background or ""] + [r.colour for r in made.regions]
    h, w = made.picture.shape[:2]
    over = max(4, 1600 // max(h, w))
    out = np.zeros((over * h, over * w), np.uint8)
    for n, region in enumerate(made.regions, 1):
        rings = [
            np.round(shapely.get_coordinates(r) * over * 16 - 8).astype(np.int32)
            for r in shapely.get_rings(shapely.get_parts(region.geometry))
        ]
        cv2.fillPoly(out, rings, n, cv2.LINE_8, 4)
    # From places of the truth to fractions of the picture, to pixels of the prepared one.
    H, W = shape
    to = np.diag([over, over, 1.0]) @ made.to_pixels @ np.diag([1 / W, 1 / H, 1.0])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    to = np.linalg.inv(half) @ to @ half
    return cv2.warpPerspective(
        out, to, (W, H), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP, borderValue=0
    ), colours


def stairs(made: Trace) -> float:
    """Share of the length of all boundaries that goes along rows and columns for about a pixel."""
    steps, whole = 0.0, 0.0
    for region in made.regions:
        for ring in shapely.get_rings(shapely.get_parts(region.geometry)):
            d = np.abs(np.diff(shapely.get_coordinates(ring), axis=0))
            length = np.hypot(*d.T)
            short = (d.min(1) < 0.02) & (length > 0.6) & (length < 1.4)
            steps, whole = steps + float(length[short].sum()), whole + float(length.sum())
    return steps / max(whole, 1e-9)


def judge(shown: Shown, made: Trace) -> Verdict:
    """Compare a trace with the drawing."""
    truth, palette = shown.labels, shown.palette.astype(float)
    if max(truth.shape) < 400:
        large = int(np.ceil(400 / max(truth.shape)))
        truth = np.kron(truth, np.ones((large, large), truth.dtype))
    per_px = max(truth.shape) / max(made.original_size)
    seen, colours = painted_trace(made, truth.shape)
    there = truth >= 0
    count = np.bincount(seen[there], minlength=len(colours)) / there.sum()
    rgb = np.array([rgb_of(c) if c else (0, 0, 0) for c in colours], float)
    off = difference(rgb[:, None], palette[None])
    if not colours[0]:
        # Nothing was taken away: what is outside all regions has no colour.
        off[0] = [0.0] + [100.0] * (len(palette) - 1)
    near = LIT if shown.kind in LIT_KINDS else NEAR
    # A colour stands for what it covers most of; so light that changes all colours changes no verdict.
    stands = off.argmin(1)
    if shown.kind in LIT_KINDS:
        both = np.zeros((len(colours), len(palette)))
        np.add.at(both, (seen[there], truth[there]), 1)
        stands = both.argmax(1)
    strange = off[np.arange(len(colours)), stands] > near
    # What was taken away is the ground.
    strange[0], stands[0] = False, 0
    invented = int(np.count_nonzero(strange & (count > SHARE)))
    named = np.where(strange, -1, stands)
    # The ground's colour in the figure is a region of its own in the trace.
    used = {int(k) for n, k in enumerate(named) if count[n] > SHARE and k >= 0}
    too_many = sum(count > SHARE) - (1 if 0 in named[1:][count[1:] > SHARE] and count[0] > SHARE else 0)
    wrong = np.zeros(truth.shape, bool)
    reach = 2 * round(OFF * per_px) + 1
    kernel = np.ones((reach, reach), np.uint8)
    shown_as = np.where(seen < len(named), named[np.minimum(seen, len(named) - 1)], -1)
    middle, kept = 0, 0
    for k in range(len(palette)):
        mine, found = (truth == k).astype(np.uint8), (shown_as == k).astype(np.uint8)
        wrong |= (mine > 0) & (cv2.dilate(found, kernel) == 0)
        line = _middle_lines(mine, per_px) if k else np.zeros(mine.shape, bool)
        middle += int(line.sum())
        kept += int((line & (cv2.dilate(found, kernel) > 0)).sum())
    figure = there & (truth > 0)
    return Verdict(
        int(too_many) - len(palette)
        if len(used) == len(palette) or too_many > len(palette)
        else len(used) - len(palette),
        1
        - float((wrong & figure).sum() / max(figure.sum(), 1))
        - float((wrong & there & ~figure).sum() / max(figure.sum(), 1)),
        invented,
        kept / middle if middle else 1.0,
        0.0 if shown.kind.startswith("sprite") else stairs(made),
    )


def _middle_lines(mask: np.ndarray, per_px: float) -> np.ndarray:
    """Middle lines of strokes: of what is at most 5 px wide for at least 15 px."""
    depth = cv2.distanceTransform(mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    ridge = (depth >= cv2.dilate(depth, np.ones((3, 3), np.uint8)) - 0.3) & (depth > 0.8 * per_px / 2)
    wide = round(5 * per_px)
    opened = cv2.morphologyEx(
        mask, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide))
    )
    thin = mask & (1 - cv2.dilate(opened, np.ones((3, 3), np.uint8), iterations=round(per_px)))
    _, piece, stats, _ = cv2.connectedComponentsWithStats(thin, connectivity=8)
    long = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) >= 15 * per_px
    long[0] = False
    return np.asarray(ridge & long[piece])


class Result(NamedTuple):
    """A picture of the gallery."""

    shown: Shown
    at_once: Verdict | None  # None: an error
    clicks: dict[str, list[str]]  # what is wrong after each offered click


def try_one(shown: Shown, clicks: bool = True) -> Result:
    """Trace a picture as it is opened, and where that is not right, with each offered click."""
    picture = read_picture(shown.data, shown.name)
    first = first_settings(picture, WIDTH, shown.name, whole=True).settings
    at_once = _judged(shown, picture, first)
    after: dict[str, list[str]] = {}
    if clicks and (at_once is None or at_once.faults):
        kind, uneven = kind_of(prepare(picture, ()).rgb)
        for offer in offers(kind, uneven, TraceSettings()):
            found = _judged(shown, picture, offer.trace)
            after[offer.id] = ["error"] if found is None else found.faults
            if not after[offer.id]:
                break
    return Result(shown, at_once, after)


def _judged(shown: Shown, picture: object, settings: TraceSettings) -> Verdict | None:
    try:
        return judge(shown, trace(picture, settings, WIDTH, shown.name, whole=True))  # type: ignore[arg-type]
    except BadInput:
        return None


def measure(
    count: int = 5, kinds: tuple[str, ...] = tuple(KINDS), own_only: bool = False
) -> dict[str, list[Result]]:
    """Results of so many pictures of each kind."""
    return {kind: [try_one(s) for s in pictures(kind, count, own_only)] for kind in kinds}


if __name__ == "__main__":
    total = np.zeros(4, int)
    for kind in KINDS:
        found = measure(int(sys.argv[1]) if len(sys.argv) > 1 else 5, (kind,))[kind]
        at_once = sum(r.at_once is not None and not r.at_once.faults for r in found)
        clicked = sum(
            (r.at_once is not None and not r.at_once.faults) or any(not f for f in r.clicks.values())
            for r in found
        )
        errors = sum(r.at_once is None for r in found)
        total += [len(found), at_once, clicked, errors]
        print(f"{kind:22s} {at_once} / {clicked} of {len(found)}, errors {errors}", flush=True)
        for r in found:
            if r.at_once is None or r.at_once.faults:
                v = r.at_once
                print(f"      {r.shown.name:32s}", "error" if v is None else (*v, v.faults), flush=True)
    pictured, at_once, clicked, errors = total.tolist()
    print(f"{pictured} pictures, {at_once} right at once, {clicked} after one click, {errors} errors")
