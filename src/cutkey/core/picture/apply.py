"""Carrying out the preparation steps of a picture."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

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
