"""What would come of a way of tracing: how well it explains its picture, and at what cost."""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
import shapely

from cutkey.core.colour.difference import lab_of, rgb_of
from cutkey.core.errors import BadInput
from cutkey.core.geometry.arrays import U8, Bool
from cutkey.core.imaging.size import at_most
from cutkey.core.model.ways import Offer
from cutkey.core.picture.apply import Prepared, reduced_after
from cutkey.core.picture.read import Picture
from cutkey.core.picture.specks import Labels, components, widths
from cutkey.core.trace.run import figure_of, trace

#: Longest side of the picture that is tried, px; that of line work, whose strokes are drawn, is smaller.
SIDE, _LINES = 1000, 480
#: A way must explain so much more for each colour more, and for each doubling of its pieces.
_A_COLOUR, _TWICE_THE_PIECES = 0.005, 0.005


class Tried(NamedTuple):
    """An offer, and what would come of it."""

    offer: Offer
    image: U8  # (H, W, 4), clear where nothing is left
    explained: float  # share of the picture's variance (CIELAB), 0 to 1
    colours: int
    pieces: int
    thin: int  # pieces nowhere as wide as a printed line

    @property
    def worth(self) -> float:
        """What it explains, less what that takes."""
        return self.explained - _A_COLOUR * self.colours - _TWICE_THE_PIECES * math.log2(1 + self.pieces)


def try_way(
    picture: Picture, offer: Offer, ready: Prepared, width_mm: float, whole: bool, line_mm: float
) -> Tried | None:
    """Return what would come of a way, None when it leaves nothing.

    Parameters
    ----------
    picture : Picture
    offer : Offer
    ready : Prepared
        The picture after the offer's steps.
    width_mm, whole
        As for `trace`.
    line_mm : float
        Width of a printed line.
    """
    settings = offer.trace
    lines = settings.shape == "linework"
    # Squares of pixel art must not be blended.
    small = ready if settings.mode == "pixels" else reduced_after(ready, _LINES if lines else SIDE)
    try:
        if lines:
            made = trace(picture, settings, width_mm, "", whole, small, proof=False)
            h, w = made.picture.shape[:2]
            mask = np.zeros((h, w), np.uint8)
            for r in made.regions:
                rings = [shapely.get_coordinates(x) for x in shapely.get_rings(shapely.get_parts(r.geometry))]
                cv2.fillPoly(mask, [np.round(x).astype(np.int32) for x in rings], 1)
            table = np.array([rgb_of(made.regions[0].colour)] * 2, np.uint8)
            return _tried(offer, made.picture, 1 - mask.astype(np.int32), table, 1, line_mm / made.mm_per_px)
        figure = figure_of(picture, settings, width_mm, "", whole, small)
    except BadInput:
        return None
    labels, away = figure.labels, len(figure.found.palette)
    if settings.shape in ("silhouette", "outline"):
        own = labels < away
        largest = int(np.bincount(labels[own]).argmax())
        labels = np.where(_filled(own), largest, away).astype(np.int32)
    seen = figure.shown if settings.mode == "pixels" else figure.work
    return _tried(offer, seen, labels, figure.table, away, line_mm / figure.mm_per_px)


def _filled(mask: Bool) -> Bool:
    """A mask with its holes closed."""
    outer, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return np.asarray(cv2.drawContours(np.zeros(mask.shape, np.uint8), outer, -1, 1, cv2.FILLED) > 0)


def _tried(offer: Offer, seen: U8, labels: Labels, table: U8, away: int, line: float) -> Tried:
    """Measure a label map against its picture; a printed line is so many px wide."""
    piece, _, owner = components(labels)
    kept = owner < away
    thin = int(np.count_nonzero(widths(labels, piece, owner)[kept] < line))
    image = np.dstack([table[np.minimum(labels, len(table) - 1)], np.where(labels < away, 255, 0)])
    image = image.astype(np.uint8)
    return Tried(
        offer, image, explained(seen, image), len(np.unique(owner[kept])), int(np.count_nonzero(kept)), thin
    )


def explained(picture: U8, image: U8) -> float:
    """Return which share of a picture's variance what is painted of it explains (CIELAB).

    1 less what is left between the two: the coefficient of determination. Where nothing is painted it is the
    picture's own usual colour there.

    Parameters
    ----------
    picture : ndarray, (H, W, 3), uint8
    image : ndarray, (H, W, 4), uint8
    """
    small = at_most(picture, _LINES)
    h, w = small.shape[:2]
    flat = cv2.resize(image, (w, h), interpolation=cv2.INTER_AREA).reshape(-1, 4)
    seen, told = (lab_of(a.reshape(-1, 3).astype(float)) for a in (small, flat[:, :3]))
    bare = flat[:, 3] < 128
    if bare.any():
        told[bare] = np.median(seen[bare], axis=0)
    left = float(((seen - told) ** 2).sum())
    return max(0.0, 1 - left / max(float(((seen - seen.mean(0)) ** 2).sum()), 1e-9))


def ranked(found: list[Tried]) -> list[Tried]:
    """Return ways in the order they are offered in, each result once.

    What suits the kind best stays first; the others follow by what they explain, less what that takes.
    """
    seen: set[bytes] = set()
    own = [t for t in found if not (t.image.tobytes() in seen or seen.add(t.image.tobytes()))]  # type: ignore[func-returns-value]
    return own[:1] + sorted(own[1:], key=lambda t: -t.worth)
