"""The order in which sections go together.

Its steps, what they are called, and how it is drawn pulled apart.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.words.kind import Words


class Step(NamedTuple):
    """One move of the assembly: these sections go to those, along a way, and are then one."""

    movers: tuple[int, ...]  # numbers of sections
    fixed: tuple[int, ...]
    way: tuple[float, float, float]  # unit vector of the push that brings them home
    length: float  # of the push while keys are engaged, mm


class Assembly(NamedTuple):
    """How sections go together."""

    steps: list[Step]  # in the order they are made
    stuck: list[tuple[int, ...]]  # sets of sections that cannot be brought together
    why: Words | None  # what is in the way of the first of them


def shifts_apart(count: int, assembly: Assembly, share: float, apart: float) -> Float:
    """(count, 3): where sections are when the assembly is undone by a share, last step first.

    Parameters
    ----------
    share : float
        0 together, 1 all apart.
    apart : float
        mm between what a step brings together, when it is undone.
    """
    out = np.zeros((count, 3))
    n = len(assembly.steps)
    for k, step in enumerate(assembly.steps):
        undone = min(1.0, max(0.0, share * n - (n - 1 - k)))
        move = -np.array(step.way) * apart * undone
        # Both sides give way, the smaller group more, so that the drawing keeps its middle.
        part = len(step.fixed) / (len(step.fixed) + len(step.movers))
        out[list(step.movers)] += move * part
        out[list(step.fixed)] -= move * (1 - part)
    return out


def direction(way: Sequence[float]) -> str:
    """A push in words, as seen on the plan."""
    names = (("to the left", "to the right"), ("towards you", "away from you"), ("down", "up"))
    k = max(range(3), key=lambda i: abs(way[i]))
    return names[k][way[k] > 0]
