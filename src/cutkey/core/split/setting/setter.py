"""Setting the keys of a joint: of which kind, how large, and where."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import shapely

from cutkey.core.geometry.areas import difference
from cutkey.core.keys import key_kind
from cutkey.core.keys.kind import Form, Key, KeyKind, form_of
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.split.cutting import Cutting
from cutkey.core.split.faces import Face, Slices, colours_at
from cutkey.core.split.joint import Joint
from cutkey.core.split.proofs.marks import GIVE
from cutkey.core.split.proofs.one_way import Known, fit_another_way
from cutkey.core.split.setting.forms import stands
from cutkey.core.split.setting.material import Material
from cutkey.core.split.setting.places import (
    SPREAD,
    apart,
    columns,
    corners,
    eroded,
    from_the_back,
    grid_in,
    spread,
    variants,
    wanted,
    widest,
    width_of,
)
from cutkey.core.split.setting.seam import set_seam
from cutkey.core.words import splitting as say
from cutkey.core.words.kind import Words

#: A key takes at most this share of the thickness of the material around it; dowels larger than a face calls
#: for help nothing.
_SHARE, _OF_FACE = 0.55, 0.2
#: The shallowest key worth having, mm.
SHALLOW = 2.5
#: Keys that reach over this share of a face are far enough apart; else smaller ones are tried, and taken when
#: so much farther apart.
WIDE, WIDER = 0.55, 1.2
#: Thinner than this at the seam a design is keyed from the back, mm.
THIN = 5.0
#: A face with room for keys over so many times their distance both ways is broad.
BROAD = 1.5
#: Faces of a kit that are few: three keys tell each from the others.
_FEW = 4
#: Times that places are struck out and others taken before a size is given up.
_ROUNDS = 25
#: Ways of setting the keys that are tried for a joint until they fit one way only.
_TRIES, _CORNER_TRIES = 16, 40
#: Of all joints of a kit together, of one of them at most, and at least.
ALL_TRIES, _MOST_TRIES, _LEAST_TRIES = 3000, 500, 50
#: Keys are set so far from the ends of a face, mm, where at the ends they would fit another way.
_INSETS = (6.0, 12.0, 20.0, 30.0, 45.0)
#: At most so many keys of a joint hold a weight: one in each corner.
_HOLDING = 4


class Taken(NamedTuple):
    """Space that keys of other joints already have."""

    sections: tuple[int, int]
    points: np.ndarray  # (8, 3) corners of the box around it


class Setter:
    """Sets the keys of one joint.

    Kinds and sizes one after the other until there is room, and until they fit one way only.
    """

    def __init__(
        self,
        cutting: Cutting,
        slices: Slices,
        face: Face,
        cut: Cut,
        keys: Keys,
        taken: Sequence[Taken],
        patterns: Known,
        number: int,
        material: Material,
    ) -> None:
        self.cutting, self.slices, self.face, self.cut, self.settings = cutting, slices, face, cut, keys
        self.material = material
        self._tried, self._most, self._faces = 0, _MOST_TRIES, 1
        self.load = 0.0  # weight that hangs on the joint, N
        self.taken = [t for t in taken if set(t.sections) & {face.near, face.far}]
        self.patterns, self.number = patterns, number
        self._colours: dict[float, list[tuple[str, shapely.Geometry]]] = {}
        x0, y0, x1, y1 = face.area.bounds
        self.span, self.high = max(x1 - x0, y1 - y0), float(y1 - y0)
        # Where a design has raised figures it is the plate that counts.
        _, lows, highs = columns(face.area, 40)
        self.thickness = float(np.nanquantile(highs - lows, 0.1))
        self.thin = widest(face.area)

    def carrying(self, load: float) -> Setter:
        """Say what weight hangs on the joint, N."""
        self.load = load
        return self

    def share(self, faces: int) -> Setter:
        """Take only this joint's share of the tries that a kit of so many faces gets."""
        self._faces = faces
        self._most = max(_LEAST_TRIES, min(_MOST_TRIES, ALL_TRIES // max(1, faces)))
        return self

    def keys(self) -> tuple[list[Key], Words | None, bool]:
        """The keys, what is to be said of them, and whether they were set by hand."""
        if self.cut.seam.shape != "straight":
            return set_seam(self)
        if self.settings.kind == "none":
            return [], say.keys_switched_off(), False
        hand = [p for p in self.cut.hand if self.face.area.buffer(0.01).covers(shapely.Point(p))]
        if hand:
            return self._by_hand(hand)
        return self._by_itself()

    def _by_itself(self) -> tuple[list[Key], Words | None, bool]:
        """Kinds and sizes one after the other."""
        best: list[Key] = []
        near: list[Key] = []  # fit one way, but smaller ones might go farther apart
        note: Words | None = None
        for kind in self._kinds():
            for size, depth in self._measures(kind):
                found, single = self._set(kind, size, depth)
                if len(found) >= 2 and single:
                    if width_of(found) >= WIDE * self.span:
                        return found, None, False
                    if width_of(found) > WIDER * width_of(near):
                        near = found
                elif len(found) > len(best):
                    best = found
                    note = None if single else say.fits_another_way_too()
            if near:
                return near, None, False
            if len(best) >= 2:
                break
        if len(best) < 2:
            note = self.no_room(form_of(kind, self.settings, size, depth, self.thickness), best)
        return best, note, False

    def no_room(self, smallest: Form, best: list[Key]) -> Words:
        """Why there are fewer than two keys."""
        if not stands(smallest):
            return say.gaps_leave_no_key(smallest.clearance, smallest.end_gap, smallest.described())
        says = say.room_for_one_key if best else say.no_room_for_a_key
        return says(smallest.described(), self.settings.wall)

    def _kinds(self) -> list[str]:
        if self.settings.kind != "auto":
            return [self.settings.kind]
        if self.cut.axis == "z":
            return ["dowel"]
        if len(self.cutting.courses[self.face.cut]) > 1:
            # Along a seam with corners dowels would ask for different ways.
            return ["bowtie"]
        return ["bowtie", "dowel"] if self.thickness < THIN else ["dowel", "bowtie"]

    def _sizes(self, kind: str) -> list[float]:
        if self.settings.size > 0:
            return [self.settings.size]
        of = key_kind(kind)
        if of.from_back:
            most = max(6.0, min(2.0 * self.thickness, 0.2 * self.span))
        else:
            most = min(_SHARE * self.thin, max(2.0, _OF_FACE * math.sqrt(self.face.area.area)))
        every = self._stout(of)
        return [s for s in every if s <= most] or every[-1:]

    def _stout(self, of: KeyKind) -> list[float]:
        """Sizes of a kind, the largest first, that do not break when they are printed."""
        least = of.least if of.printed_on or self.settings.stock == "printed" else 0.0
        return [s for s in of.sizes if s >= least]

    def _measures(self, kind: str) -> list[tuple[float, float]]:
        """Sizes and depths to try: where a wall leans, what is deep finds no room that shallow keys have."""
        sizes = self._sizes(kind)
        if self.settings.depth or not key_kind(kind).shallower:
            return [(s, self.settings.depth) for s in sizes]
        return [*((s, 0.0) for s in sizes), *((s, max(SHALLOW, 0.8 * s)) for s in sizes)]

    def grid(self, form: Form) -> np.ndarray:
        """Places where the axis of a key may be.

        Returns
        -------
        (N, 2) array
            mm on the face.
        """
        near, far = form.reach
        # Material behind the ends too; what is printed on begins in its own section and needs none.
        of = form.of
        behind = form.wall if not of.shaped else 0.0
        whole = self.slices.room(self.face, near if of.printed_on else near + behind, far + behind)
        material = whole
        for t in self.taken:
            local = self.face.plane.flat(t.points)
            if local[:, 2].max() > -near - form.wall and local[:, 2].min() < far + form.wall:
                material = difference(
                    material, shapely.MultiPoint(local[:, :2]).convex_hull.buffer(form.wall)
                )
        if form.of.from_back:
            # Where another key has the back no key is let in, not even farther up.
            return from_the_back(
                whole,
                material,
                form.half[0],
                form.height if not of.shaped else 0.5 * self.thickness,
                form.wall,
            )
        w, h = form.half
        room = material.buffer(-form.wall)
        if of.oblong and not room.is_empty:
            return grid_in(eroded(room, w, h, self._angle()))
        return grid_in(room.buffer(-w))

    def _angle(self) -> float:
        """Along the longer way of the face, degrees."""
        if self.cut.axis != "z" and self.span > 1.2 * self.thickness:
            return 0.0
        box = shapely.minimum_rotated_rectangle(self.face.area)
        xy = np.asarray(box.exterior.coords)
        sides = xy[1:3] - xy[:2]
        long = sides[int(np.argmax(np.hypot(*sides.T)))]
        return float(np.degrees(np.arctan2(long[1], long[0])) % 180)

    def _set(self, kind: str, size: float, depth: float) -> tuple[list[Key], bool]:
        """Keys of a size, and whether they fit one way only."""
        form = form_of(kind, self.settings, size, depth, self.thickness)
        if (form.of.from_back and form.height < 1.0) or not stands(form):
            return [], True
        grid = self.grid(form)
        least = SPREAD * 2 * (max(form.half) + form.wall)
        for _ in range(_ROUNDS):
            count = self._count(form, float(np.ptp(grid, axis=0).max()) if len(grid) else 0.0)
            base = self._spread(grid, form, count, least)
            bad = [b for b in base if not self.holds(self.key(form, *grid[b]))]
            if not bad:
                break
            # Slices propose; where the exact answer is no, the places around are struck out too.
            off = np.min([np.hypot(*(grid - grid[b]).T) for b in bad], axis=0)
            grid = grid[off > max(0.3, 0.12 * form.size)]
        else:
            return [], True
        if len(base) < 2:
            return [self.key(form, *grid[b]) for b in base], False
        # Nearer than this two places are the same to a key: each of two faces gives way.
        step = 2 * (4 * form.clearance + GIVE) + 0.2
        small = (
            next((s for s in self._stout(form.of) if s <= size - max(1.0, 0.2 * size) + 1e-9), 0.0)
            if form.stock == "printed"
            else 0.0
        )
        first: list[Key] = []
        # Three alike in a line always fit with one of them in the air, unless they stand close; one that is
        # smaller helps.
        unlike = (small, 0.0) if small and form.of.unlike else (0.0,)
        for places, other in self._candidates(form, grid, base, count, least, step, unlike):
            # Two keys alike look the same when turned by half; what helps then is another size, a third, or
            # poles.
            if form.of.twins and len(places) == 2 and not other:
                first = first or [self.key(form, *grid[b]) for b in places]
                continue
            if self._tried > self._most:
                break
            self._tried += 1
            lesser = form_of(kind, self.settings, other, depth, self.thickness) if other else form
            forms = [lesser if other and n == 1 else form for n in range(len(places))]
            keys = [
                self.key(f, grid[b, 0], grid[b, 1], n)
                for n, (f, b) in enumerate(zip(forms, places, strict=True))
            ]
            if not apart(keys, least):
                continue
            if self.one_way(keys):
                if all(map(self.holds, keys)):
                    return keys, True
            elif not first and all(map(self.holds, keys)):
                first = keys
        return first, False

    def _count(self, form: Form, span: float) -> int:
        """How many keys there are to be: by the span of the face, or by what hangs on them."""
        pull = form.of.pull(form)
        if self.settings.count or not pull:
            return wanted(span, self.settings.count)
        return min(_HOLDING, max(2, math.ceil(self.load / pull)))

    def _candidates(
        self,
        form: Form,
        grid: np.ndarray,
        base: list[int],
        count: int,
        least: float,
        step: float,
        unlike: Sequence[float],
    ) -> Iterator[tuple[list[int], float]]:
        """Sets of places to try, and the size of the second key where it is to be another one."""
        by_weight = form.of.pull(form) > 0 and not self.settings.count
        if self.settings.count in (0, 3, 4) and (np.ptp(grid, axis=0) > BROAD * least).all():
            # On a broad face keys in three or four corners leave no room for a wrong fit with half of them in
            # the air.
            chance = np.random.default_rng(self.number)
            # Round ones turn any way, so among many faces three of them always find some other face to lie
            # on. Those that go by weight are no more than that asks for, as long as they fit one way only.
            enough: tuple[int, ...] = (4,) if not form.of.oblong and self._faces > _FEW else (3, 4)
            if by_weight:
                enough = tuple(range(count, max(4, count) + 1))
            for n in (self.settings.count,) if self.settings.count else enough:
                for _ in range(_CORNER_TRIES):
                    yield corners(grid, n, step, chance), 0.0
        sets = list(self._choices(grid, form, base, count, least))
        for other in unlike:
            for chosen in sets:
                for places in variants(grid, chosen, step, _TRIES):
                    yield places, other

    def _spread(self, grid: np.ndarray, form: Form, count: int, least: float) -> list[int]:
        """Places as far apart as they can be; pockets from the back lie beside one another."""
        return spread(grid * (1.0, 0.0) if form.of.from_back else grid, count, least)

    def _choices(
        self, grid: np.ndarray, form: Form, base: list[int], count: int, least: float
    ) -> Iterator[list[int]]:
        """Sets of places: as far apart as it goes, one more, and off the ends.

        So keys do not end in the air beside a face.
        """
        yield base
        if not self.settings.count:
            more = self._spread(grid, form, count + 1, least)
            if len(more) > len(base):
                yield more
        ends = grid[base]
        way = ends[np.argmax(np.hypot(*(ends - ends[0]).T))] - ends[0]
        along = grid @ (way / max(float(np.hypot(*way)), 1e-9))
        for inset in _INSETS:
            inner = np.flatnonzero((along >= along.min() + inset) & (along <= along.max() - inset))
            if np.ptp(along) < 4 * inset or len(inner) < 2:
                return
            for n in dict.fromkeys((count, count + (0 if self.settings.count else 1))):
                chosen = inner[self._spread(grid[inner], form, n, least)].tolist()
                if len(chosen) >= 2:
                    yield chosen

    def holds(self, key: Key) -> bool:
        """Whether a key lies in material."""
        return self.material.holds(self.face, key, self.thickness)

    def one_way(self, keys: Sequence[Key]) -> bool:
        """Whether the joint with these keys fits one way only, and no other joint."""
        of = self.face.cut, "", ("", ""), (0, 0), self.face.plane, self.face.area
        joint = Joint(*of, tuple(keys), None, False, self.settings)
        joint = joint._replace(piece=len(self.cutting.courses[self.face.cut]) > 1)
        mine = joint.patterns(self.number)
        if fit_another_way(*mine):
            return False
        return not any(self.patterns.clashes_with(m) for m in mine)

    def key(self, form: Form, u: float, v: float, number: int = 0) -> Key:
        """A key of a form at a place of the face.

        Parameters
        ----------
        form : Form
        u, v : float
            mm.
        number : int
            Among the keys of the joint.
        """
        u, v, of = round(float(u), 4), round(float(v), 4), form.of
        if of.from_back:
            _, low, _, high = self.face.area.bounds
            form = form._replace(drop=v - low + 1.0, rise=high - v + 1.0)
        angle = self._angle() if of.oblong else 0.0
        colour = self._colour(u, v, form) if not of.printed_on and of.printed(form) else ""
        z = form.height / 2 if of.from_back else 0.0
        return Key(form, u, v, self.face.plane.lift(u, v + z), angle, -1, of.sign(number), colour)

    def _colour(self, u: float, v: float, form: Form) -> str:
        parts = self.cutting.sections[self.face.near].parts
        if len(parts) == 1:
            return parts[0].colour
        place = shapely.Point(u, v + (form.height / 2 if form.of.from_back else 0.0))
        found = self._sliced(form.reach[0] / 2)
        return next((c for c, area in found if area.covers(place)), found[0][0] if found else parts[0].colour)

    def _sliced(self, depth: float) -> list[tuple[str, shapely.Geometry]]:
        if depth not in self._colours:
            self._colours[depth] = colours_at(
                self.cutting.sections[self.face.near].parts, self.face.plane, -depth
            )
        return self._colours[depth]

    def _by_hand(self, hand: Sequence[tuple[float, float]]) -> tuple[list[Key], Words | None, bool]:
        kind = self._kinds()[0]
        forms = [
            form_of(kind, self.settings, s, self.settings.depth, self.thickness) for s in self._sizes(kind)
        ]
        note: Words | None = None
        for form in forms:
            grid = self.grid(form)
            near = [int(np.argmin(np.hypot(*(grid - p).T))) for p in hand] if len(grid) else []
            off = (
                [float(np.hypot(*(grid[b] - p))) for b, p in zip(near, hand, strict=True)]
                if near
                else [math.inf]
            )
            if max(off) < 1.0 or form is forms[-1]:
                break
        if not stands(form):
            return [], self.no_room(form, []), True
        if max(off) >= 1.0:
            note = say.key_with_little_round_it()
        keys = [self.key(form, u, v, n) for n, (u, v) in enumerate(hand)]
        if not note and not all(map(self.holds, keys)):
            note = say.key_with_little_round_it()
        if not apart(keys, 2 * (max(form.half) + form.wall / 2)):
            note = say.keys_in_each_others_way()
        if len(keys) < 2:
            note = note or say.one_key_only()
        elif not note and not self.one_way(keys):
            note = say.fits_another_way_too()
        return keys, note, True
