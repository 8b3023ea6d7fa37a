"""The planner of changes by height against every possible order of layers, and against Smith's rule."""

from __future__ import annotations

import random
from itertools import product

import numpy as np
import pytest

from cutkey.core.colour.bands import (
    Wish,
    front,
    layer_table,
    layer_table_face_down,
    planned,
    wish_of,
)
from cutkey.core.colour.conflict import in_the_way


def brute(wishes, least, table, returns=0, pins=None, count=None):
    """(changes, departure, height) by trying every colour for every layer."""
    pins, found = pins or {}, []
    names = sorted({r.colour for r in wishes} | set(pins.values()))
    for n in range(1, len(table)):
        col = np.array(list(product(names, repeat=n)))
        run = np.ones_like(col)
        for t in range(1, n):
            run[:, t] = np.where(col[:, t] == col[:, t - 1], run[:, t - 1] + 1, 1)
        thick = run >= np.vectorize(least.get)(col)
        changes = np.sum(col[:, 1:] != col[:, :-1], axis=1)
        good = np.all(thick[:, :-1] | (col[:, 1:] == col[:, :-1]), axis=1) & thick[:, -1]
        good &= changes < len(names) + returns if count is None else changes == count - 1
        for t, c in pins.items():
            if t <= n:
                good &= col[:, t - 1] == c
        total = np.where(good, 0.0, np.inf)
        for r in wishes:
            cost = np.full(len(col), np.inf)
            for t in range(r.low, min(r.high, n) + 1):
                shown = (col[:, t - 1] == r.colour) & thick[:, t - 1]
                cost = np.where(shown, np.minimum(cost, r.weight * abs(table[t] - r.z)), cost)
            total += cost
        found += [(int(changes[k]), int(total[k]), n) for k in np.flatnonzero(total < np.inf)]
    return min(found, default=None)


def instance(rng: random.Random):
    """A small design: a face, regions up, down and flush, colours that need more cover than others, pins."""
    layers = rng.randint(4, 8)
    colours = rng.randint(2, 4 if layers < 8 else 3)
    first, step = rng.choice([(200, 200), (280, 200), (150, 200)])
    down = rng.random() < 0.3
    table = (layer_table_face_down if down else layer_table)(first, step, layers)
    face, floor = (layers if down else rng.randint(2, layers - 2)), rng.randint(1, 2)
    least = {c: rng.choice([1, 1, 1, 2, 3]) for c in range(colours)}
    wishes = [
        wish_of(0, 0, face, table, rng.choice([0, 400, 9999]), floor, rng.randint(1, 5), rng.random() < 0.6)
    ]
    for _ in range(rng.randint(1, 6)):
        relief = (
            -rng.randrange(1000)
            if down
            else rng.choice([rng.randrange(-800, 1200), 200 * rng.randint(-3, 5)])
        )
        travel = rng.choice([200, 400, 600, 9999])
        wishes.append(
            wish_of(
                rng.randrange(colours),
                relief,
                face,
                table,
                travel,
                floor,
                rng.randint(1, 5),
                rng.random() < 0.15,
            )
        )
    pins = (
        {rng.randint(1, layers): rng.randrange(colours) for _ in range(rng.randint(1, 2))}
        if rng.random() < 0.3
        else {}
    )
    return [w for w in wishes if w is not None], least, table, rng.randint(0, 3), pins


@pytest.mark.parametrize("seed", range(0, 220, 20))
def test_plans_are_the_best_of_all(seed):
    """220 designs of up to 4 colours; also that what is said to be in the way is, and that none of it can
    be left out."""
    for n in range(seed, seed + 20):
        wishes, least, table, returns, pins = instance(random.Random(n))
        plan, best = planned(wishes, least, table, returns, pins), brute(wishes, least, table, returns, pins)
        assert (plan and (plan.changes, plan.departure, plan.height)) == best, n
        if plan is None:
            core = in_the_way(wishes, least, table, returns, pins)
            assert brute([wishes[k] for k in core], least, table, returns, pins) is None
            for k in core:
                rest = [wishes[i] for i in core if i != k]
                assert not rest or brute(rest, least, table, returns, pins) is not None, n
            continue
        colour = [None] + [b.colour for b in plan.bands for _ in range(b.first, b.last + 1)]
        assert all(colour[t] == c for t, c in pins.items() if t <= plan.height)
        for wish, top in zip(wishes, plan.tops, strict=True):
            assert wish.low <= top <= wish.high and all(
                colour[top - k] == wish.colour for k in range(least[wish.colour])
            )


def test_more_changes_depart_less():
    """An outline higher than the fill in the colour of the body: fewest changes turn the relief round,
    one more does not."""
    table = layer_table(200, 200, 60)
    wishes = [
        wish_of(0, 0, 10, table, 0, pinned=True),
        wish_of(1, 1000, 10, table, 9999),
        wish_of(0, 1600, 10, table, 9999),
    ]
    found = front(wishes, {0: 2, 1: 2}, table, 2)
    assert [(p.changes, p.departure, p.height) for p in found] == [(1, 1000, 15), (2, 0, 18)]
    assert found[0].tops == (10, 15, 10 + 3) or found[0].tops[2] > 10
    assert (
        in_the_way([w._replace(high=min(w.high, 20), low=max(w.low, 9)) for w in wishes], {0: 2, 1: 2}, table)
        == []
    )


def test_flush_face_down_follows_smiths_rule():
    """All flush and free: the order of rising least thickness over weight is the best (W. E. Smith, NRL
    Quarterly 3 (1956) 59-66)."""
    for seed in range(40):
        rng = random.Random(seed)
        colours, table = rng.randint(2, 8), layer_table_face_down(200, 200, 60)
        least = {c: rng.randint(1, 4) for c in range(colours)}
        wishes = [wish_of(c, 0, 60, table, 10**6, weight=rng.randint(1, 900)) for c in range(colours)]
        depth = cost = 0
        for w in sorted(wishes, key=lambda w: least[w.colour] / w.weight):
            cost, depth = cost + w.weight * depth * 200, depth + least[w.colour]
        plan = planned(wishes, least, table)
        assert (plan.changes, plan.departure) == (colours - 1, cost)


def test_a_wish_keeps_its_sense():
    table = layer_table(280, 200, 20)
    assert wish_of(1, 100, 5, table, 0) == Wish(1, table[5] + 100, 6, 6)
    assert wish_of(1, -100, 5, table, 0).high == 4 and wish_of(1, -100, 1, table, 9999) is None
    assert wish_of(1, 0, 5, table, 400) == Wish(1, table[5], 3, 7)
