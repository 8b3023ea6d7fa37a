"""The separate bodies of an opened model: told apart, found again in another file, taken away, coloured."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.apart import all_as_one
from cutkey.core.geometry.shells import bodies_of
from cutkey.core.geometry.solid import Solid, as_one, bounds_of
from cutkey.core.model.body_rule import BodyRule, Point, found_again
from cutkey.core.solids.read import Piece, apart_by_colour
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words


class ModelBody(NamedTuple):
    """A separate body of a model."""

    name: str  # "body 1" is the largest
    colour: str  # "" where the file gives none
    solid: Solid
    volume: float
    middle: Point
    size: Point

    def rule(self) -> BodyRule:
        """A rule that decides nothing yet."""
        return BodyRule(round(self.volume, 4), tuple(round(v, 4) for v in self.middle))  # type: ignore[arg-type]


class Ruled(NamedTuple):
    """A model after the maker's rules."""

    pieces: list[Piece]
    decided: list[Words]  # what was done because the maker chose it
    missing: list[Words]  # which rules found no body
    volume: float  # of the bodies that stay, together, mm3: where they overlap once


def bodies_in(pieces: Sequence[Piece]) -> list[ModelBody]:
    """All bodies of a model, the largest first."""
    found = [(p.colour, s) for p in pieces for s in bodies_of(p.solid)]
    out = []
    for number, (colour, solid) in enumerate(sorted(found, key=lambda f: -float(f[1].volume())), 1):
        low, high = bounds_of(solid)
        out.append(
            ModelBody(
                f"body {number}",
                colour,
                solid,
                float(solid.volume()),
                _three((low + high) / 2),
                _three(high - low),
            )
        )
    return out


def rule_of(body: ModelBody, rules: Sequence[BodyRule]) -> BodyRule | None:
    """The rule about a body: of those that fit, the one nearest to its middle."""
    fit = [r for r in rules if found_again(body.rule(), r)]
    return min(fit, key=lambda r: math.dist(body.middle, r.middle), default=None)


def ruled(bodies: Sequence[ModelBody], rules: Sequence[BodyRule], name: str) -> Ruled:
    """The pieces of a model as the maker wants them.

    Raises
    ------
    BadInput
        When nothing is left.
    """
    used: set[BodyRule] = set()
    by_colour: dict[str, list[Solid]] = {}
    decided: list[Words] = []
    stay: list[Solid] = []
    for body in bodies:
        rule = rule_of(body, [r for r in rules if r not in used])
        if rule is not None:
            used.add(rule)
        if rule is not None and rule.away:
            decided.append(say.body_taken_away(body.name, body.volume))
            continue
        if rule is not None and rule.colour:
            decided.append(say.body_coloured(body.name, rule.colour))
        stay.append(body.solid)
        by_colour.setdefault((rule.colour if rule else "") or body.colour, []).append(body.solid)
    lost = sum((r.away or bool(r.colour)) and r not in used for r in rules)
    missing = [say.decided_body_is_gone(lost)] if lost else []
    if not by_colour:
        raise BadInput(f"All bodies of {name} are taken away; put one back on the Place sheet.")
    # Nothing is cut out of anything for a body that is gone: it leaves no dent.
    pieces = apart_by_colour([Piece(c, as_one(s)) for c, s in by_colour.items()], [])
    return Ruled(pieces, decided, missing, float(all_as_one(stay).volume()))


def _three(v: np.ndarray) -> Point:
    return float(v[0]), float(v[1]), float(v[2])
