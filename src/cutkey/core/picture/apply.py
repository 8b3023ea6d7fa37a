"""Carrying out the preparation steps of a picture."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.geometry.arrays import U8, Bool, Float
from cutkey.core.imaging.work import Work
from cutkey.core.picture.read import Picture
from cutkey.core.steps.kind import Step


class Prepared(NamedTuple):
    """A prepared picture."""

    rgb: U8  # (H, W, 3)
    alpha: U8 | None  # (H, W); None when nothing is transparent or erased
    away: Bool | None  # pixels removed by their colour; their edges are in the picture itself
    to_pixels: Float  # (3, 3) from fractions of the opened picture to pixels of this one


def reduced_after(ready: Prepared, side: int) -> Prepared:
    """Return a prepared picture with its longest side at most `side` px.

    Steps that look for something find it in the picture itself, not in a smaller one.
    """
    h, w = ready.rgb.shape[:2]
    scale = side / max(h, w)
    if scale >= 1:
        return ready
    size = max(4, round(w * scale)), max(4, round(h * scale))

    def smaller(image: U8, how: int = cv2.INTER_AREA) -> U8:
        return np.asarray(cv2.resize(image, size, interpolation=how), np.uint8)

    return Prepared(
        smaller(ready.rgb),
        None if ready.alpha is None else smaller(ready.alpha),
        None if ready.away is None else smaller(ready.away.astype(np.uint8), cv2.INTER_NEAREST) > 0,
        np.diag([size[0] / w, size[1] / h, 1.0]) @ ready.to_pixels,
    )


def prepare(picture: Picture, steps: Sequence[Step]) -> Prepared:
    """Carry out the steps that are on, in their order.

    Parameters
    ----------
    picture : Picture
        Never changed.
    steps : sequence of Step
    """
    h, w = picture.rgb.shape[:2]
    work = Work(picture.rgb, picture.rgb, picture.alpha, np.zeros((h, w), bool), np.diag([w, h, 1.0]))
    for step in steps:
        if step.on:
            step.do(work)
    return Prepared(work.rgb, work.alpha, work.away if work.away.any() else None, work.matrix)
