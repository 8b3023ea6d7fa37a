"""What the maker decided about single bodies of an opened model."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec

Point = tuple[float, float, float]
#: A body is found again when its volume is the same within this share, and its middle within this share of
#: its size (the side of a cube of its volume).
ALIKE = 0.02


class BodyRule(msgspec.Struct, frozen=True):
    """What the maker decided about one body of an opened model.

    It is known by its volume, mm3, and its middle, mm.
    """

    volume: float
    middle: Point
    away: bool = False
    colour: str = ""  # "" leaves it as the file has it


def mostly_there(old: Sequence[BodyRule], new: Sequence[BodyRule]) -> bool:
    """Whether most of what some bodies are lies unmoved among others.

    Then what was laid on them stays where it is.
    """
    total = sum(r.volume for r in old)
    found = sum(r.volume for r in old if any(found_again(b, r) for b in new))
    return total > 0 and found >= 0.5 * total


def found_again(body: BodyRule, rule: BodyRule) -> bool:
    """Whether a body, told as a rule about it that decides nothing, is the one that a rule is about."""
    alike = abs(body.volume - rule.volume) <= ALIKE * max(body.volume, rule.volume)
    return alike and math.dist(body.middle, rule.middle) <= ALIKE * max(body.volume, 1e-9) ** (1 / 3)
