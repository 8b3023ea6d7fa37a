"""Proof that keys let sections join in one way only.

Every face against every other, turned, and turned over or not.

Two cut faces are brought together by a motion of space that lays one plane on the other. Seen in the
coordinates of the cuts, whose near and far side share one frame, that is a turn and a shift when one face is
near and the other far, and a turn and a shift after a mirror image when both are of the same side (one
section is turned over). Any such motion in which every key finds a socket, or lies in the air beside the
other face (`beside`), is a way to join them; for mates there must be one, which moves nothing, and for all
others none.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import combinations, combinations_with_replacement
from typing import NamedTuple

import numpy as np

from cutkey.core.split.proofs.beside import fits_beside
from cutkey.core.split.proofs.crowd import Crowd
from cutkey.core.split.proofs.marks import TURN, Mark, Pattern, goes, play, turned, turned_over


class Clash(NamedTuple):
    """Two faces that fit although they should not, or mates that fit in another way too."""

    one: tuple[int, int]  # joint and side
    other: tuple[int, int]
    angle: float  # of the turn, degrees; nan when any will do
    over: bool  # whether a section is turned over


class Proof(NamedTuple):
    """Every pair of faces was tried."""

    pairs: int
    clashes: list[Clash]


def prove(patterns: Sequence[Pattern]) -> Proof:
    """Try every pair of faces with keys on them, each also with one just like itself."""
    pairs = 0
    clashes = []
    for a, b in combinations_with_replacement([p for p in patterns if p.marks], 2):
        pairs += 1
        clashes += clashes_of(a, b)
    return Proof(pairs, clashes)


class Known:
    """Patterns of faces, so kept that those which a new one might fit are found at once.

    By the distances between their keys.
    """

    def __init__(self) -> None:
        self._patterns: list[Pattern] = []
        self._crowd = Crowd()
        self._widest = np.empty(0)
        self._distances = np.empty(0)
        self._owner = np.empty(0, int)
        self._give = 0.0

    def add(self, *patterns: Pattern) -> None:
        """Keep more patterns."""
        for p in patterns:
            widest, distances = _distances(p.marks)
            self._owner = np.r_[self._owner, np.full(len(distances), len(self._patterns))]
            self._distances = np.r_[self._distances, distances]
            self._widest = np.r_[self._widest, widest]
            self._patterns.append(p)
            if not lies_flush(p):
                self._crowd.add(p)
            self._give = max(self._give, play(p.marks, p.marks))

    def clashes_with(self, pattern: Pattern) -> bool:
        """Whether a pattern fits one of those kept."""
        widest, distances = _distances(pattern.marks)
        give = 2 * max(self._give, play(pattern.marks, pattern.marks))
        near = self._widest == 0 if widest else np.ones(len(self._widest), bool)
        near[self._owner[np.abs(self._distances - widest) <= give]] = True
        for d in distances:
            near |= np.abs(self._widest - d) <= give
        if any(_whole_clashes(pattern, self._patterns[k]) for k in np.flatnonzero(near).tolist()):
            return True
        return not lies_flush(pattern) and self._crowd.fits(pattern)


def clashes_of(a: Pattern, b: Pattern) -> list[Clash]:
    """Ways in which two faces fit that they should not."""
    return [*_whole_clashes(a, b), *_beside_clashes(a, b)]


def fit_another_way(a: Pattern, b: Pattern) -> bool:
    """Whether two faces fit as they should not; sooner told than all the ways."""
    return bool(_whole_clashes(a, b)) or bool(_beside_clashes(a, b, first=True))


def _whole_clashes(a: Pattern, b: Pattern) -> list[Clash]:
    """With all keys engaged."""
    return _told(a, b, fits(a.marks, b.marks, a.side == b.side)) if _two(a, b) else []


def _beside_clashes(a: Pattern, b: Pattern, first: bool = False) -> list[Clash]:
    """With some engaged and the others beside the other face; loose keys sit in either."""
    if not _two(a, b) or lies_flush(a) or lies_flush(b):
        return []
    over = a.side == b.side
    found = _told(a, b, fits_beside(a, b, over, first))
    if found and first:
        return found
    back = fits_beside(b, a, over, first)
    return [*found, *_told(a, b, back if over else [_back(way) for way in back])]


def lies_flush(pattern: Pattern) -> bool:
    """Whether nothing stands out of a face.

    Laid on another with some of its keys beside those it holds by next to nothing, and that is felt at once.
    """
    return all(m.flush for m in pattern.marks)


def _two(a: Pattern, b: Pattern) -> bool:
    # Of a face there is only one.
    return a.joint != b.joint or a.side != b.side


def _told(a: Pattern, b: Pattern, ways: Sequence[tuple[float, complex]]) -> list[Clash]:
    mates = a.joint == b.joint and a.side != b.side
    out = []
    for angle, shift in ways:
        at_home = abs(angle) < TURN and abs(shift) < play(a.marks, b.marks) * 2
        if not (mates and at_home):
            out.append(Clash((a.joint, a.side), (b.joint, b.side), angle, a.side == b.side))
    return out


def fits(a: Sequence[Mark], b: Sequence[Mark], over: bool) -> list[tuple[float, complex]]:
    """Turns and shifts that bring face `b` onto face `a` so that every key finds its socket.

    Degrees, nan for any.
    """
    if not _alike(tuple(a), tuple(b)) and not _alike(tuple(b), tuple(a)):
        return []
    b = [turned_over(m) for m in b] if over else list(b)
    out: list[tuple[float, complex]] = []
    for ways in (_carried(a, b), [_back(w) for w in _carried(b, a)]):
        for angle, shift in ways:
            new = all(
                abs(turned(angle - x)) > 1 or abs(shift - s) > 0.5
                for x, s in out
                if not math.isnan(x) and not math.isnan(angle)
            )
            if new and not (out and math.isnan(angle)):
                out.append((angle, shift))
    return out


def _alike(a: tuple[Mark, ...], b: tuple[Mark, ...]) -> bool:
    """Whether the two keys farthest apart on `a` are as far from one another as some two marks of `b`.

    Most pairs of faces end here.
    """
    widest, _ = _distances(a)
    give = 2 * play(a, b)
    return widest == 0 or any(abs(d - widest) <= give for d in _distances(b)[1])


@lru_cache(maxsize=4096)
def _distances(marks: tuple[Mark, ...]) -> tuple[float, tuple[float, ...]]:
    """Distance between the two keys farthest apart, and all distances between marks.

    0 when there are fewer.
    """
    keys = [m for m in marks if m.gender != "hole"]
    widest = max((abs(p.at - q.at) for p, q in combinations(keys, 2)), default=0.0)
    return widest, tuple(abs(p.at - q.at) for p, q in combinations(marks, 2))


def _back(way: tuple[float, complex]) -> tuple[float, complex]:
    """The inverse of a motion."""
    angle, shift = way
    if math.isnan(angle):
        return angle, shift
    return turned(-angle), -shift * cmath.rect(1, math.radians(-angle))


def _carried(a: Sequence[Mark], b: Sequence[Mark]) -> list[tuple[float, complex]]:
    """Motions of `b` in which all keys that sit in `a` go into `b`, and those printed on `b` into `a`."""
    keys = [m for m in a if m.gender != "hole"]
    if not keys:
        return []
    give = play(a, b)
    out = []
    for angle, shift in _motions(keys, b, give):
        turn = cmath.rect(1, math.radians(angle))
        moved = [
            m._replace(at=m.at * turn + shift, facing=None if m.facing is None else m.facing + angle)
            for m in b
        ]
        # Everything gives way a little: what is left between keys and sockets is shared out evenly.
        rest = [min((k.at - m.at for m in moved), key=abs) for k in keys]
        middle = complex(*((max(c) + min(c)) / 2 for c in ([r.real for r in rest], [r.imag for r in rest])))
        moved = [m._replace(at=m.at + middle) for m in moved]
        if all(any(goes(k, m, give) for m in moved) for k in keys) and all(
            any(goes(m, k, give) for k in a) for m in moved if m.gender == "boss"
        ):
            out.append((turned(angle), shift + middle))
    if len(keys) == 1 and keys[0].facing is None and out:
        return [(math.nan, 0j)]
    return out


def _motions(keys: Sequence[Mark], b: Sequence[Mark], give: float) -> list[tuple[float, complex]]:
    """Motions that bring two marks of `b` onto the two keys farthest apart.

    With one key, the turns that its form allows.
    """
    if len(keys) == 1:
        key = keys[0]
        out = []
        for m in b:
            turn = 0.0 if key.facing is None or m.facing is None else key.facing - m.facing
            angles = (turn, turn + 180) if key.half_turn else (turn,)
            out += [(angle, key.at - m.at * cmath.rect(1, math.radians(angle))) for angle in angles]
        return out
    first, second = max(
        ((p, q) for i, p in enumerate(keys) for q in keys[i + 1 :]), key=lambda pq: abs(pq[0].at - pq[1].at)
    )
    way = second.at - first.at
    out = []
    for p in b:
        for q in b:
            if (
                p is not q
                and abs(abs(q.at - p.at) - abs(way)) <= 2 * give
                and abs(way) > 1e-9
                and q.at != p.at
            ):
                angle = cmath.phase(way / (q.at - p.at))
                shift = (first.at + second.at) / 2 - (p.at + q.at) / 2 * cmath.rect(1, angle)
                out.append((math.degrees(angle), shift))
    return out
