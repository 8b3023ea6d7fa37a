"""Faces that fit because keys end in the air: what sticks out beside the other face is in nobody's way.

`one_way` looks for motions in which every key finds a socket. Here at least one does, and the others lie
beside the other face, while each of the two faces still covers half of the other.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import permutations
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import Bool, Complex, Float
from cutkey.core.split.proofs.marks import GIVE, TURN, Mark, Pattern, play, turned, turned_over
from cutkey.core.split.proofs.overlap import Motions, Outline, box_covers, boxes_cover, common_of, may_cover

#: Share of the larger face that must be covered for two faces to be put together at all: else nobody takes
#: them for mates.
SHARE = 0.5
#: With one key engaged a face may turn about it; these turns are tried, degrees. Long faces cover one another
#: by half only when they lie along one another.
TURNS, _ALONG = np.arange(-180.0, 180.0, 15.0), (0.0, 180.0)


class Keys(NamedTuple):
    """Marks as arrays, one entry a mark."""

    at: Complex
    kind: NDArray[np.str_]
    gender: NDArray[np.str_]
    size: Float  # (N, 3)
    sign: NDArray[np.int64]
    facing: Float  # NaN when it is round
    half: Bool


@lru_cache(maxsize=4096)
def keys_of(marks: tuple[Mark, ...]) -> Keys:
    """Marks as arrays."""
    facing = np.array([np.nan if m.facing is None else m.facing for m in marks])
    kind, gender = np.array([m.kind for m in marks]), np.array([m.gender for m in marks])
    size, sign = np.array([m.size for m in marks], float), np.array([m.sign for m in marks])
    return Keys(
        np.array([m.at for m in marks], complex),
        kind,
        gender,
        size,
        sign,
        facing,
        np.array([m.half_turn for m in marks]),
    )


@lru_cache(maxsize=4096)
def over_of(marks: tuple[Mark, ...]) -> tuple[Mark, ...]:
    """Marks of the face turned over."""
    return tuple(turned_over(m) for m in marks)


def fits_beside(a: Pattern, b: Pattern, over: bool, first: bool = False) -> list[tuple[float, complex]]:
    """Turns (degrees) and shifts that bring face `b` onto face `a` with some keys engaged.

    The others are in the air.

    Parameters
    ----------
    over : bool
        One of the sections is turned over.
    first : bool
        One such motion is enough.
    """
    if a.outline is None or b.outline is None or not a.marks or not b.marks:
        return []
    outline = b.outline.mirrored if over else b.outline
    if a.outline.plain.is_empty or outline.plain.is_empty:
        return []
    least = SHARE * max(a.outline.mm2, outline.mm2)
    one, other = keys_of(a.marks), keys_of(over_of(b.marks) if over else b.marks)
    give = play(a.marks, b.marks)
    goes, takes = fitting(one, other), fitting(other, one).T
    if not (goes.any() or takes.any()):
        return []
    if a.outline.long or outline.long:
        # Few motions: one by one they are sooner done than as arrays.
        return _along(
            a.marks, over_of(b.marks) if over else b.marks, goes, takes, (a.outline, outline), give, first
        )
    motions = _motions(one, other, goes | takes, TURNS, give)
    # Most motions lay the faces hardly on one another, and are done with.
    for bound in (boxes_cover, may_cover):
        motions = motions.some(bound(a.outline, outline, motions) >= least)
        if len(motions.angles) == 0:
            return []
    motions = motions.some(_free(one, other, goes, takes, (a.outline, outline), motions, give))
    out: list[tuple[float, complex]] = []
    for few in (slice(None, 6), slice(6, None)):
        # The first few decide most.
        tried = motions.some(few)
        tried = tried.some(common_of(a.outline, outline, tried) >= least)
        for angle, shift in zip(map(turned, tried.angles.tolist()), tried.shifts.tolist(), strict=True):
            if not any(abs(turned(angle - x)) < 20 and abs(shift - s) < 5 for x, s in out):
                out.append((angle, shift))
                if first:
                    return out
    return out


def fitting(keys: Keys, holes: Keys) -> Bool:
    """Which keys of one face would go into which sockets of another, wherever they are.

    Returns
    -------
    (K, H) array of bool
    """
    out = (
        (holes.gender[None] != "boss")
        & (keys.gender[:, None] != "hole")
        & (keys.kind[:, None] == holes.kind[None])
    )
    out &= (keys.gender[:, None] == "boss") == (holes.gender[None] == "hole")
    out &= (keys.size[:, None] <= holes.size[None] + GIVE).all(2)
    return np.asarray(out & (keys.sign[:, None] + holes.sign[None] == 0))


def _along(
    a: Sequence[Mark],
    b: Sequence[Mark],
    goes: Bool,
    takes: Bool,
    outlines: tuple[Outline, Outline],
    give: float,
    first: bool,
) -> list[tuple[float, complex]]:
    """`fits_beside` for long faces, which lie along one another if they are to cover one another at all."""
    least = SHARE * max(outlines[0].mm2, outlines[1].mm2)
    fits, holds = goes.tolist(), takes.tolist()
    pairs = [(k, h) for k in range(len(a)) for h in range(len(b)) if fits[k][h] or holds[k][h]]
    out: list[tuple[float, complex]] = []

    def tried(angle: float, e: complex, shift: complex) -> bool:
        if box_covers(outlines, e, shift) < least or not _free_once(
            a, b, fits, holds, outlines, angle, e, shift, give
        ):
            return False
        if any(abs(turned(angle - x)) < 20 and abs(shift - s) < 5 for x, s in out):
            return False
        if common_of(*outlines, Motions.of(np.array([angle]), np.array([shift])))[0] < least:
            return False
        out.append((turned(angle), shift))
        return first

    for k, h in pairs:
        p, m = a[k], b[h]
        turns: tuple[float, ...] = _ALONG
        if p.facing is not None and m.facing is not None:
            turns = (p.facing - m.facing, *((p.facing - m.facing + 180.0,) if p.half_turn else ()))
        for angle in turns:
            e = cmath.rect(1.0, math.radians(angle))
            if tried(angle, e, p.at - m.at * e):
                return out
    for (k, h), (i, j) in permutations(pairs, 2):
        way, other = a[i].at - a[k].at, b[j].at - b[h].at
        if (
            k != i
            and h != j
            and abs(other) > 1e-9
            and abs(abs(way) - abs(other)) <= 2 * give
            and abs(way) > 1e-9
        ):
            e = way / other
            e /= abs(e)
            if tried(math.degrees(cmath.phase(e)), e, (a[k].at + a[i].at - (b[h].at + b[j].at) * e) / 2):
                return out
    return out


def _free_once(
    a: Sequence[Mark],
    b: Sequence[Mark],
    fits: list[list[bool]],
    holds: list[list[bool]],
    outlines: tuple[Outline, Outline],
    angle: float,
    e: complex,
    shift: complex,
    give: float,
) -> bool:
    """Whether in one motion nothing is in the way while a key is engaged and another lies beside."""
    engaged = beside = False
    moved = [m.at * e + shift for m in b]
    for k, mark in enumerate(a):
        if mark.gender == "hole":
            continue
        if any(
            fits[k][h] and abs(mark.at - moved[h]) <= give and _faces(mark, m, angle) for h, m in enumerate(b)
        ):
            engaged = True
            continue
        here = (mark.at - shift) / e
        if shapely.contains_xy(
            outlines[1].about(round(min(mark.size[:2]) / 2 - GIVE, 3)), here.real, here.imag
        ):
            return False
        beside = True
    for h, mark in enumerate(b):
        if mark.gender != "boss":
            continue
        if any(
            holds[k][h] and abs(m.at - moved[h]) <= give and _faces(m, mark, angle) for k, m in enumerate(a)
        ):
            engaged = True
            continue
        if shapely.contains_xy(
            outlines[0].about(round(min(mark.size[:2]) / 2 - GIVE, 3)), moved[h].real, moved[h].imag
        ):
            return False
        beside = True
    return engaged and beside


def _faces(mine: Mark, other: Mark, angle: float) -> bool:
    """Whether a mark of the first face and one of the second, turned by an angle, point the same way."""
    if mine.facing is None or other.facing is None:
        return True
    off = abs(turned(mine.facing - other.facing - angle))
    return off < TURN or ((mine.half_turn or other.half_turn) and abs(off - 180) < TURN)


def _motions(a: Keys, b: Keys, fitting: Bool, turns: Float, give: float) -> Motions:
    """Motions of `b` in which a key of one face meets a socket of the other.

    Two of them, or one and any turn.
    """
    k, h = np.nonzero(fitting)
    set_ = ~np.isnan(a.facing[k]) & ~np.isnan(b.facing[h])
    own = np.where(set_, a.facing[k] - b.facing[h], 0.0)
    angle = np.concatenate(
        [(np.where(set_, 0.0, turns[:, None]) + own).ravel(), (own + 180)[set_ & a.half[k]]]
    )
    kk, hh = (
        np.concatenate([np.tile(k, len(turns)), k[set_ & a.half[k]]]),
        np.concatenate([np.tile(h, len(turns)), h[set_ & a.half[k]]]),
    )
    shift = a.at[kk] - b.at[hh] * np.exp(1j * np.radians(angle))
    # Two at once: every pair of fitting ones at the same distance.
    p, q = np.nonzero(~np.eye(len(k), dtype=bool))
    good = (k[p] != k[q]) & (h[p] != h[q])
    p, q = p[good], q[good]
    way, other = a.at[k[q]] - a.at[k[p]], b.at[h[q]] - b.at[h[p]]
    same = (np.abs(np.abs(way) - np.abs(other)) <= 2 * give) & (np.abs(way) > 1e-9) & (np.abs(other) > 1e-9)
    p, q, way, other = p[same], q[same], way[same], other[same]
    turn = np.angle(way / other)
    both = (a.at[k[p]] + a.at[k[q]] - (b.at[h[p]] + b.at[h[q]]) * np.exp(1j * turn)) / 2
    return Motions.of(np.concatenate([angle, np.degrees(turn)]), np.concatenate([shift, both]))


def _free(
    a: Keys,
    b: Keys,
    goes: Bool,
    takes: Bool,
    outlines: tuple[Outline, Outline],
    motions: Motions,
    give: float,
) -> Bool:
    """Of each motion whether nothing is in the way while a key is engaged and another lies beside."""
    angles, turns, shifts = motions
    free, beside, engaged = (
        np.ones(len(angles), bool),
        np.zeros(len(angles), bool),
        np.zeros(len(angles), bool),
    )
    still, moved = np.broadcast_to(a.at, (len(angles), len(a.at))), motions.moved(b.at)
    for mine, others, fitting, at, places, outline, sign in (
        (a, b, goes, still, moved, outlines[1], -1.0),
        (b, a, takes.T, moved, still, outlines[0], 1.0),
    ):
        for k in range(len(mine.at)):
            # Loose keys sit in the first face; what is printed on counts on both.
            if mine.gender[k] == "hole" or (mine.gender[k] == "loose" and mine is b):
                continue
            near = (np.abs(at[:, k : k + 1] - places) <= give) & fitting[k]
            off = np.abs((mine.facing[k] + sign * angles[:, None] - others.facing[None] + 180) % 360 - 180)
            near &= np.isnan(off) | (off < TURN) | (mine.half[k] & (np.abs(off - 180) < TURN))
            into = near.any(1)
            here = (at[:, k] - shifts) / turns if mine is a else at[:, k]
            wide = round(float(mine.size[k, :2].min()) / 2 - GIVE, 3)
            outside = ~into
            outside[outside] = ~shapely.contains_xy(
                outline.about(wide), here.real[outside], here.imag[outside]
            )
            free &= into | outside
            beside |= outside
            engaged |= into
    return free & engaged & beside
