"""In which order, and along which way, sections are pushed home.

Proved by sweeping the keys through the sections.

An assembly is taken apart in thought: a set of sections that hang together is parted in two that leave each
other in one straight move, and each of these is parted in turn. Sections on either side of a cut are kept
apart by its plane as long as the move does not go back through it; what is printed on or stands in one of
them is swept along the move, which for convex solids is the convex hull of their first and last place, and
must meet nothing of the other.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations, product

import manifold3d as m3
import numpy as np

from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.solid import Solid, bounds_of
from cutkey.core.keys.kind import Key
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.split.plane import Plane
from cutkey.core.split.proofs.order import Assembly, Step
from cutkey.core.split.proofs.sweep import passes_through
from cutkey.core.split.setting.keying import solids_in_place
from cutkey.core.words import splitting as say
from cutkey.core.words.kind import Words

#: Volume, mm3, two solids may seem to share where they only touch.
TOUCH = 1e-6
#: Sets of up to so many sections are parted in every way that leaves both parts hanging together.
_EVERY = 7


def find_assembly(sections: Sequence[Section], joints: Sequence[Joint]) -> Assembly:
    """An order in which all sections go together.

    Parameters
    ----------
    sections : sequence of Section
        With their keys and sockets.
    """
    planner = _Planner(sections, joints)
    for group in planner.groups():
        planner.part(tuple(group))
    return Assembly(planner.steps, planner.stuck, planner.why)


class _Planner:
    def __init__(self, sections: Sequence[Section], joints: Sequence[Joint]) -> None:
        self.sections, self.joints = sections, joints
        self.planes: dict[int, list[Plane]] = {}
        for joint in joints:
            self.planes.setdefault(joint.cut, []).append(joint.plane)
        corners = np.array([bounds_of(s.whole) for s in sections])
        #: Farther than any section has to go to be clear of all others, mm.
        self.far = float(np.linalg.norm(np.ptp(corners.reshape(-1, 3), axis=0))) + 1.0
        self.steps: list[Step] = []
        self.stuck: list[tuple[int, ...]] = []
        self.why: Words | None = None

    def groups(self) -> list[list[int]]:
        """Sections that joints hold together, directly or through others."""
        left, out = set(range(len(self.sections))), []
        while left:
            group, front = set(), [min(left)]
            while front:
                one = front.pop()
                if one not in group:
                    group.add(one)
                    front += [b for j in self.joints for a, b in (j.numbers, j.numbers[::-1]) if a == one]
            left -= group
            out.append(sorted(group))
        return out

    def part(self, group: tuple[int, ...]) -> None:
        """Part a set of sections, and then the parts.

        Steps are noted in the order in which they are put together.
        """
        if len(group) == 1:
            return
        reasons: list[Words] = []
        for movers, fixed in self._partings(group):
            way = self._way(movers, fixed, reasons)
            if way is not None:
                for side in (fixed, movers):
                    self.part(side)
                self.steps.append(Step(movers, fixed, *way))
                return
        self.stuck.append(group)
        self.why = self.why or (reasons[0] if reasons else say.nothing_separates_them())

    def _partings(self, group: tuple[int, ...]) -> list[tuple[tuple[int, ...], tuple[int, ...]]]:
        """Ways to divide a set: along cuts, the most even ones first; then single sections."""
        out = []
        for cut in sorted({j.cut for j in self.joints if j.numbers[0] in group and j.numbers[1] in group}):
            sides = [tuple(g for g in group if self.sections[g].sides.get(cut) == s) for s in (-1, 1)]
            if (
                all(sides)
                and len(sides[0]) + len(sides[1]) == len(group)
                and all(self._hangs(s) for s in sides)
            ):
                out.append((sides[1], sides[0]))
        out.sort(key=lambda p: (abs(len(p[0]) - len(p[1])), -len(p[1])))
        seen = {frozenset((frozenset(a), frozenset(b))) for a, b in out}
        singles = [((one,), tuple(g for g in group if g != one)) for one in reversed(group)]
        for movers, fixed in [*self._bridges(group), *singles, *self._all_partings(group)]:
            both = frozenset((frozenset(movers), frozenset(fixed)))
            if both not in seen and self._hangs(movers) and self._hangs(fixed):
                seen.add(both)
                out.append((movers, fixed))
        return out

    def _bridges(self, group: tuple[int, ...]) -> list[tuple[tuple[int, ...], tuple[int, ...]]]:
        """Partings at a single joint that alone holds two parts together, the most even ones first."""
        pairs = {
            tuple(sorted(j.numbers)) for j in self.joints if j.numbers[0] in group and j.numbers[1] in group
        }
        out = []
        for pair in sorted(pairs):
            side = self._reached(group, pair[0], without=pair)
            if pair[1] not in side:
                rest = tuple(g for g in group if g not in side)
                mine = tuple(g for g in group if g in side)
                out.append((rest, mine) if len(rest) <= len(mine) else (mine, rest))
        return sorted(out, key=lambda p: abs(len(p[0]) - len(p[1])))

    def _all_partings(self, group: tuple[int, ...]) -> Iterator[tuple[tuple[int, ...], tuple[int, ...]]]:
        """Every way to part a small set in two."""
        if len(group) > _EVERY:
            return
        for size in range(2, len(group) // 2 + 1):
            for movers in combinations(group, size):
                yield movers, tuple(g for g in group if g not in movers)

    def _reached(self, group: Sequence[int], start: int, without: tuple[int, ...] = ()) -> set[int]:
        """Sections of a set that joints lead to from one of them, but for the joints of a pair."""
        seen, front = set(), [start]
        while front:
            one = front.pop()
            if one not in seen:
                seen.add(one)
                front += [
                    b
                    for j in self.joints
                    for a, b in (j.numbers, j.numbers[::-1])
                    if a == one and b in group and tuple(sorted(j.numbers)) != without
                ]
        return seen

    def _hangs(self, group: tuple[int, ...]) -> bool:
        """Whether joints hold a set together; what does not is put to it one by one."""
        return len(self._reached(group, group[0])) == len(group)

    def _between(self, movers: tuple[int, ...], fixed: tuple[int, ...]) -> list[tuple[Joint, int]]:
        """Joints between two sets, with 1 when the far section moves and -1 when the near one does."""
        out = []
        for joint in self.joints:
            near, far = joint.numbers
            if near in fixed and far in movers:
                out.append((joint, 1))
            elif near in movers and far in fixed:
                out.append((joint, -1))
        return out

    def _way(
        self, movers: tuple[int, ...], fixed: tuple[int, ...], reasons: list[Words]
    ) -> tuple[tuple[float, float, float], float] | None:
        """A straight move that takes the movers off, and how long it is engaged."""
        between = self._between(movers, fixed)
        if not between:
            return (0.0, 0.0, -1.0), 0.0
        for away in self._candidates(between):
            reason = self._blocked(movers, fixed, between, away)
            if reason is None:
                x, y, z = (float(-v) + 0.0 for v in away)
                long = max(
                    (k.form.of.travel(k.form, _height(j)) for j, _ in between for k in j.keys), default=0.0
                )
                return (x, y, z), long
            reasons.append(reason)
        if not reasons:
            reasons.append(say.keys_ask_for_different_ways(sorted({j.name for j, _ in between})))
        return None

    def _candidates(self, between: Sequence[tuple[Joint, int]]) -> list[Float]:
        """Moves that the kinds of all keys in between allow."""
        sets: list[list[Float]] = []
        for joint, side in between:
            p = joint.plane
            for form in {k.form.kind: k.form for k in joint.keys}.values():
                ways = form.of.ways
                if ways is not None:
                    sets.append([side * (u * p.right + v * p.up + n * p.normal) for u, v, n in ways])
        tried = [d for s in sets for d in s] if sets else [side * j.plane.normal for j, side in between]
        if not sets and len(between) > 1:
            mean = np.sum([side * j.plane.normal * j.glue_area for j, side in between], axis=0)
            tried.insert(0, mean / max(1e-9, float(np.linalg.norm(mean))))
        if not sets:
            # Faces that are only glued may also slide along one another.
            tried += [s * d for j, _ in between for d in (j.plane.up, j.plane.right) for s in (1, -1)]
        out: list[Float] = []
        for d in tried:
            good = all(any(float(d @ e) > 1 - 1e-6 for e in s) for s in sets)
            if good and not any(np.allclose(d, e) for e in out):
                out.append(d)
        return out

    def _blocked(
        self,
        movers: tuple[int, ...],
        fixed: tuple[int, ...],
        between: Sequence[tuple[Joint, int]],
        away: Float,
    ) -> Words | None:
        """What is in the way of a move, None when nothing is."""
        for a, b in product(movers, fixed):
            if not self._kept_apart(a, b, away) and self._collides(a, b, away):
                return say.section_in_the_way(self.sections[a].name, self.sections[b].name)
        for joint, side in between:
            for number, key in enumerate(joint.keys):
                # What sits in the far section moves with it, or stays while the near one moves: the other way
                # about.
                for carrier, solids in self._carried(joint, key):
                    moves = (carrier > 0) == (side > 0)
                    way = away if moves else -away
                    against = fixed if moves else movers
                    own = joint.numbers[0 if carrier < 0 else 1]
                    hit = self._meets(solids, way, self.far, [s for s in against if s != own])
                    if hit is not None:
                        return say.key_in_the_way(number + 1, joint.name, self.sections[hit].name)
        return None

    def _carried(self, joint: Joint, key: Key) -> list[tuple[int, tuple[Solid, ...]]]:
        """Convex solids that travel with a side of a joint when it moves.

        Loose keys from the back are put in afterwards.
        """
        made = solids_in_place(joint.plane, key)
        if made.tongue is not None:
            outer = joint.plane.normal * made.owner * -1
            at = float(outer @ joint.plane.origin)
            own = self.sections[joint.numbers[0 if made.owner < 0 else 1]].whole
            # As it was made: without what would lie in other sections, or where there is no material.
            there = made.tongue.trim_by_plane(outer, at) ^ own
            return [(made.owner, tuple(there.decompose()))]
        return [(-1, made.loose)] if key.form.of.crosses else []

    def _meets(
        self, solids: Sequence[Solid], way: Float, length: float, sections: Sequence[int]
    ) -> int | None:
        """The first section that solids swept along a way run into."""
        swept = [
            m3.Manifold.batch_hull([s, s.translate(tuple(way * length))]) for s in solids if not s.is_empty()
        ]
        for number in sections:
            whole = self.sections[number].whole
            low, high = bounds_of(whole)
            near = [s for s in swept if (bounds_of(s)[0] < high).all() and (bounds_of(s)[1] > low).all()]
            if near and sum((s ^ whole).volume() for s in near) > TOUCH:
                return number
        return None

    def _kept_apart(self, a: int, b: int, away: Float) -> bool:
        """Whether the plane of a cut between two sections keeps them apart while `a` moves away."""
        one, other = self.sections[a].sides, self.sections[b].sides
        if self.sections[a].island != self.sections[b].island:
            return True  # separate bodies are laid down one by one
        # A seam with corners keeps them apart when the move goes back through none of its pieces.
        return any(
            one[c] * other[c] < 0
            and c in self.planes
            and all(float(p.normal @ away) * one[c] > -1e-9 for p in self.planes[c])
            for c in one
            if c in other
        )

    def _collides(self, a: int, b: int, away: Float) -> bool:
        """Whether a section meets another anywhere on its way off; the way is not sampled."""
        return passes_through(self.sections[a].whole, self.sections[b].whole, away)


def _height(joint: Joint) -> float:
    """How high the face is, mm."""
    _, low, _, high = joint.area.bounds
    return float(high - low)
