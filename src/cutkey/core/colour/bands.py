"""Colour by height: one filament a layer.

Fewest changes first, then the least departure from the wishes, then the least height.

A layer has one colour. A region is seen in the colour of its topmost layer, which must lie deep enough in a
band of that colour for what is under it not to show. What the method rests on:

1. once the bands are fixed every region chooses its top alone: the nearest permitted one;
2. a band from layer a to b that serves a set of regions costs a sum of what lies too high and what lies too
   low, so that one more band is a running minimum over the layers;
3. if a colour has several bands, its regions in the order of their wishes go to them in order: what is done
   is a count a colour.

So the state is how many regions of each colour are served, and its value, for every layer on which the last
band may end, the least cost. The number of bands rises until there is a plan.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from cutkey.core.geometry.arrays import Float

_INF = np.inf
State = tuple[int, ...]


class Wish(NamedTuple):
    """A region that is to be seen in a colour at a height."""

    colour: int
    z: int  # micrometres, in the scale of the table of layers
    low: int  # permitted tops, whole layers, both included
    high: int
    weight: int = 1  # departures count weight times micrometres


class Band(NamedTuple):
    """Layers of one colour, the first and the last included; layers count from 1."""

    colour: int
    first: int
    last: int


class Bands(NamedTuple):
    """A plan."""

    bands: tuple[Band, ...]  # bottom up
    tops: tuple[int, ...]  # top layer of each wish, in the order given
    departure: int  # weight times micrometres

    @property
    def changes(self) -> int:
        """How often the filament is changed."""
        return len(self.bands) - 1

    @property
    def height(self) -> int:
        """Layers in all."""
        return self.bands[-1].last


def layer_table(first: int, step: int, layers: int) -> list[int]:
    """Height of the top of each layer, micrometres, from 0 for none.

    Parameters
    ----------
    first, step : int
        Thickness of the first layer and of all others, micrometres.
    layers : int
    """
    return [0] + [first + step * n for n in range(layers)]


def layer_table_face_down(first: int, step: int, layers: int) -> list[int]:
    """The same seen from the face that lies on the bed.

    Depths below it, negative, from the deepest layer to the first.

    Parameters
    ----------
    first, step, layers : int
        As for `layer_table`.
    """
    return [0] + [-(first + step * (n - 2)) if n > 1 else 0 for n in range(layers, 0, -1)]


def wish_of(
    colour: int,
    relief: int,
    face: int,
    table: Sequence[int],
    travel: int,
    floor: int = 1,
    weight: int = 1,
    pinned: bool = False,
) -> Wish | None:
    """A region by its relief to the face it lies on; None when no layer is left for it.

    Raised stays raised, recessed recessed; flush may go both ways.

    Parameters
    ----------
    colour : int
    relief : int
        Micrometres above the face, below 0 beneath it.
    face : int
        The layer whose top the face is.
    table : sequence of int
        Heights of the layers.
    travel : int
        How far from the wish the top may come to lie, micrometres; the nearest layer always may.
    floor : int
        The lowest layer that a top may have.
    weight : int
    pinned : bool
        Only the nearest layer will do.
    """
    z, last = table[face] + relief, len(table) - 1
    low, high = (face + 1, last) if relief > 0 else (floor, face - 1) if relief < 0 else (floor, last)
    if low > high:
        return None
    # Half way between two layers: the one with more relief.
    near = min(range(low, high + 1), key=lambda t: (abs(table[t] - z), -abs(t - face), t))
    reach = max(travel, abs(table[near] - z))
    good = [t for t in range(low, high + 1) if abs(table[t] - z) <= reach and (t == near or not pinned)]
    return Wish(colour, z, good[0], good[-1], weight)


class _Colour:
    """Wishes of one colour, put together by what they ask, in order.

    Running sums of what is too high and too low.
    """

    def __init__(self, wishes: Sequence[Wish], table: Sequence[int], least: int) -> None:
        groups: dict[tuple[int, int, int], int] = {}
        for r in wishes:
            groups[r.z, r.low, r.high] = groups.get((r.z, r.low, r.high), 0) + r.weight
        keys = sorted(groups)
        n, size, z, layer = len(keys), len(table), np.array(table, float), np.arange(len(table))
        self.count, self.least = n, least
        self.low, self.high = [k[1] for k in keys], [k[2] for k in keys]
        self.last = [max(self.low[p:], default=0) for p in range(n + 1)]
        #: The band below ends here at the latest.
        self.deadline = [min(self.high[p:], default=size + least) - least for p in range(n + 1)]
        self.up, self.down = np.zeros((n + 1, size)), np.zeros((n + 1, size))
        for k, key in enumerate(keys):
            cost = groups[key] * np.abs(z - key[0])
            best = key[1] + int(np.argmin(cost[key[1] : key[2] + 1]))
            self.up[k + 1] = self.up[k] + np.where(layer > best, cost - cost[best], 0)
            self.down[k + 1] = self.down[k] + np.where(layer < best, cost - cost[best], 0)

    def band(self, before: Float, p: int, q: int, barred: Sequence[int]) -> Float:
        """Costs by last layer after one more band that serves the groups p to q - 1, on top of `before`."""
        size, m = len(before), self.least
        start, out = np.full(size, _INF), np.full(size, _INF)
        stop = min(*self.high[p:q], size - 1) - m + 1 if p < q else size - m
        if stop > 0:
            start[:stop] = before[:stop] + (self.up[q] - self.up[p])[m : m + stop]
        # A band holds no layer that is pinned to another colour.
        for x, y in pairwise([0, *barred, size]):
            if y - x > m:
                out[x + m : y] = np.minimum.accumulate(start[x : y - m])
        out += self.down[q] - self.down[p]
        out[: max(self.low[p:q], default=0)] = _INF
        return np.asarray(out)


class _Search:
    """All that stays the same while the number of bands rises."""

    def __init__(
        self, wishes: Sequence[Wish], least: Mapping[int, int], table: Sequence[int], pins: Mapping[int, int]
    ) -> None:
        self.wishes, self.table, self.least = wishes, table, least
        self.size = len(table)
        self.hidden, self.seen = set(pins.values()), {r.colour for r in wishes}
        self.names = sorted(self.seen | self.hidden)
        self.colours = [_Colour([r for r in wishes if r.colour == c], table, least[c]) for c in self.names]
        self.barred = [sorted(t for t, v in pins.items() if v != c and t < self.size) for c in self.names]
        self.full: State = tuple(c.count for c in self.colours)
        self._known: dict[tuple[State, int], tuple[int, int]] = {}

    def can_finish(self, state: State, more: int, end: int) -> bool:
        """Whether so many more bands can serve all the rest if printing stands at a layer.

        Pins are left out, so it is a bound.

        In a band everything is served that costs no further layer.
        """
        left = sum(p < c.count for p, c in zip(state, self.colours, strict=True))
        latest = min(c.deadline[p] for p, c in zip(state, self.colours, strict=True))
        if not left or more < left or end > latest:
            return not left
        yes, no = self._known.get((state, more), (-1, self.size))
        if end <= yes or end >= no:
            return end <= yes
        open_ = sorted(
            (c.deadline[p], i)
            for i, (p, c) in enumerate(zip(state, self.colours, strict=True))
            if p < c.count
        )
        for _, i in open_:
            for stop, q in self._stops(state, i, more > left, end):
                if self.can_finish((*state[:i], q, *state[i + 1 :]), more - 1, stop):
                    self._known[state, more] = (end, no)
                    return True
        self._known[state, more] = (yes, end)
        return False

    def _stops(self, state: State, i: int, some_left: bool, end: int) -> list[tuple[int, int]]:
        """Where a band of a colour may end, and how much of it is served then.

        All of it where no band is to spare.
        """
        c, p = self.colours[i], state[i]
        stop = end + c.least
        if not some_left:
            return [(max(stop, c.last[p]), c.count)]
        ends: dict[int, int] = {}
        for q in range(p + 1, c.count + 1):
            stop = max(stop, c.low[q - 1])
            ends[stop] = q
        return sorted(ends.items(), reverse=True)

    def levels(self, limit: int) -> list[dict[State, Float]]:
        """Least costs by last layer, for each number of bands up to a limit and each state."""
        zero = (0,) * len(self.colours)
        start = np.where(np.arange(self.size) == 0, 0, _INF)
        levels = [{zero: start} if self.can_finish(zero, limit, 0) else {}]
        for b in range(1, limit + 1):
            new: dict[State, Float] = {}
            for state, before in levels[-1].items():
                for nxt, out in self._further(state, before, limit - b):
                    new[nxt] = np.minimum(new[nxt], out) if nxt in new else out
            levels.append(new)
        return levels

    def _further(self, state: State, before: Float, more: int) -> list[tuple[State, Float]]:
        """Every state after one band more."""
        left = sum(p < c.count for p, c in zip(state, self.colours, strict=True))
        found = []
        for i, c in enumerate(self.colours):
            p = state[i]
            # With no band to spare a colour that is begun must be done; one that only hides may serve
            # nothing.
            low = max(p + 1, c.count) if left > more else p if self.names[i] in self.hidden else p + 1
            for q in range(low, c.count + 1):
                nxt = (*state[:i], q, *state[i + 1 :])
                out = c.band(before, p, q, self.barred[i])
                out[max(min(d.deadline[k] for k, d in zip(nxt, self.colours, strict=True)) + 1, 0) :] = _INF
                if out.min() < _INF and self.can_finish(nxt, more, int(np.argmax(out < _INF))):
                    found.append((nxt, out))
        return found

    def read(self, levels: list[dict[State, Float]]) -> Bands:
        """Walk back from the best end.

        The lowest end among equals, so that every change is as early as it can be.
        """
        state = self.full
        end = int(np.argmin(levels[-1][state]))
        bands = []
        for now, below in zip(levels[:0:-1], levels[-2::-1], strict=True):
            found = [
                (e, i, prev)
                for i in range(len(self.colours))
                for prev, e in self._came_from(state, i, below, end, float(now[state][end]))
            ]
            e, i, state = min(found)
            bands.append(Band(self.names[i], e + 1, end))
            end = e
        bands.reverse()
        tops = tuple(self._top(r, bands) for r in self.wishes)
        departure = sum(r.weight * abs(self.table[t] - r.z) for r, t in zip(self.wishes, tops, strict=True))
        return Bands(tuple(bands), tops, departure)

    def _came_from(
        self, state: State, i: int, below: dict[State, Float], end: int, cost: float
    ) -> list[tuple[State, int]]:
        """States and last layers from which a band of a colour leads to a cost, the lowest of each."""
        out = []
        for p in range(state[i] + 1):
            prev = (*state[:i], p, *state[i + 1 :])
            for e in np.flatnonzero(below[prev] < _INF).tolist() if prev in below else ():
                one = np.where(np.arange(self.size) == e, below[prev], _INF)
                if self.colours[i].band(one, p, state[i], self.barred[i])[end] == cost:
                    out.append((prev, e))
                    break
        return out

    def _top(self, wish: Wish, bands: Sequence[Band]) -> int:
        good = (
            t
            for b in bands
            if b.colour == wish.colour
            for t in range(max(b.first + self.least[wish.colour] - 1, wish.low), min(b.last, wish.high) + 1)
        )
        return min(good, key=lambda t: (abs(self.table[t] - wish.z), t))


def planned(
    wishes: Sequence[Wish],
    least: Mapping[int, int],
    table: Sequence[int],
    returns: int = 0,
    pins: Mapping[int, int] | None = None,
    count: int | None = None,
) -> Bands | None:
    """The best plan, None when there is none.

    Parameters
    ----------
    wishes : sequence of Wish
    least : mapping of int to int
        Layers of its own colour that a top, and a band, has at least.
    table : sequence of int
        Heights of the layers, micrometres.
    returns : int
        How many bands there may be more than colours.
    pins : mapping of int to int, optional
        Layers that have a colour; those above the print are void.
    count : int, optional
        Exactly so many bands.
    """
    if not wishes:
        return None
    search = _Search(wishes, least, table, pins or {})
    limits = range(len(search.seen), len(search.names) + returns + 1) if count is None else (count,)
    for limit in limits:
        levels = search.levels(limit)
        if search.full in levels[-1]:
            return search.read(levels)
    return None


def front(
    wishes: Sequence[Wish],
    least: Mapping[int, int],
    table: Sequence[int],
    returns: int,
    pins: Mapping[int, int] | None = None,
) -> list[Bands]:
    """Plans with more and more changes that depart less and less from the wishes.

    What the maker chooses from.

    Parameters
    ----------
    wishes, least, table, returns, pins
        As for `planned`.
    """
    out: list[Bands] = []
    n = len({r.colour for r in wishes})
    for count in range(n, n + returns + 1):
        plan = planned(wishes, least, table, pins=pins, count=count)
        if plan is not None and (not out or plan.departure < out[-1].departure):
            out.append(plan)
    return out
