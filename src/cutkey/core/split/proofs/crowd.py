"""Many faces at once: whether a new one fits any of them with keys in the air."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Bool, Float
from cutkey.core.split.proofs.beside import SHARE, TURNS, Keys, fits_beside, fitting, keys_of, over_of
from cutkey.core.split.proofs.marks import Pattern


class Crowd:
    """Many patterns, against which a new one is tried all at once.

    Most motions lay most faces hardly on one another.
    """

    def __init__(self) -> None:
        self._patterns: list[Pattern] = []
        self._last: list[int] = []  # those that stood in the way, the latest first
        self._marks: dict[bool, Keys] = {}
        self._owner = np.zeros(0, np.int64)
        self._boxes: dict[bool, Float] = {}
        self._mm2, self._long = np.zeros(0), np.zeros(0, bool)

    def add(self, pattern: Pattern) -> None:
        """Keep one more pattern."""
        if pattern.outline is None or not pattern.marks:
            return
        n = len(self._patterns)
        self._patterns.append(pattern)
        self._last.append(n)
        for over in (False, True):
            keys = keys_of(over_of(pattern.marks) if over else pattern.marks)
            before = self._marks.get(over)
            self._marks[over] = (
                keys
                if before is None
                else Keys(*(np.concatenate(pair) for pair in zip(before, keys, strict=True)))
            )
            box = np.array([(pattern.outline.mirrored if over else pattern.outline).bounds])
            self._boxes[over] = np.concatenate([self._boxes[over], box]) if over in self._boxes else box
        self._owner = np.concatenate([self._owner, np.full(len(pattern.marks), n)])
        self._mm2, self._long = np.r_[self._mm2, pattern.outline.mm2], np.r_[self._long, pattern.outline.long]

    def fits(self, pattern: Pattern) -> bool:
        """Whether a pattern fits one of those kept, with keys in the air beside it."""
        if pattern.outline is None or not pattern.marks or not self._patterns:
            return False
        sides = np.array([p.side == pattern.side for p in self._patterns])
        hopeful: set[int] = set()
        for over in (False, True):
            if (sides == over).any():
                hopeful |= self._hopeful(pattern, over, sides == over)
        for n in [k for k in self._last if k in hopeful]:
            other = self._patterns[n]
            over = other.side == pattern.side
            if fits_beside(pattern, other, over, True) or fits_beside(other, pattern, over, True):
                self._last.remove(n)
                self._last.insert(0, n)
                return True
        return False

    def _hopeful(self, pattern: Pattern, over: bool, among: Bool) -> set[int]:
        """Numbers of the patterns that some motion lays on a face by half, with a key in a socket."""
        assert pattern.outline is not None
        one, other = keys_of(pattern.marks), self._marks[over]
        fits = (fitting(one, other) | fitting(other, one).T) & among[self._owner][None]
        k, h = np.nonzero(fits)
        if len(k) == 0:
            return set()
        owner = self._owner[h]
        set_ = ~np.isnan(one.facing[k]) & ~np.isnan(other.facing[h])
        own = np.where(set_, one.facing[k] - other.facing[h], 0.0)
        angle = np.where(set_, 0.0, TURNS[:, None]) + own
        along = (self._long[owner] | pattern.outline.long) & ~set_
        use = ~along[None] | np.isin(TURNS, (-180.0, 0.0))[:, None]
        turned_too = set_ & one.half[k]
        angle = np.concatenate([angle, np.where(turned_too, own + 180.0, np.nan)[None]])
        use = np.concatenate([use, turned_too[None]])
        n, pair = np.nonzero(use)
        angle, k, h, owner = angle[n, pair], k[pair], h[pair], owner[pair]
        e = np.exp(1j * np.radians(angle))
        shift = one.at[k] - other.at[h] * e
        x0, y0, x1, y1 = self._boxes[over][owner].T
        middle = (x0 + x1 + 1j * (y0 + y1)) / 2 * e + shift
        c, s = np.abs(e.real), np.abs(e.imag)
        wide, high = c * (x1 - x0) + s * (y1 - y0), s * (x1 - x0) + c * (y1 - y0)
        ax0, ay0, ax1, ay1 = pattern.outline.bounds
        w = np.minimum(ax1, middle.real + wide / 2) - np.maximum(ax0, middle.real - wide / 2)
        v = np.minimum(ay1, middle.imag + high / 2) - np.maximum(ay0, middle.imag - high / 2)
        good = (np.maximum(w, 0) * np.maximum(v, 0)) >= SHARE * np.maximum(
            pattern.outline.mm2, self._mm2[owner]
        )
        return set(np.unique(owner[good]).tolist())
