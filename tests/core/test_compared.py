"""Bodies of a written file compared with one another, and looks at fewer points."""

from __future__ import annotations

import math

import manifold3d as m3
import numpy as np
import pytest
import shapely
from tests.core.test_rehearsal import S, body, box, found_in

from cutkey.core.rehearse.apart import shared
from cutkey.core.rehearse.film import run
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.layers import coarser
from cutkey.core.rehearse.nozzle import ROUGH, counts, narrow, slits


def test_two_bodies_in_one_place_are_found_exactly_even_between_the_middles_of_layers():
    # The lens of two balls: pi (4 r + d) (2 r - d)^2 / 12 (solid geometry).
    ball, d = m3.Manifold.sphere(10, 256).translate((0, 0, 10)), 15.0
    lens = math.pi * (40 + d) * (20 - d) ** 2 / 12
    found = [
        f
        for f in found_in(body(ball), body(ball.translate((d, 0, 0)), "B1", "Plum PLA"))
        if f.title == "Two bodies in one place"
    ]
    assert [f.severity for f in found] == ["stop"] and found[0].figure == pytest.approx(lens, rel=2e-3)
    assert found[0].place == pytest.approx((7.5, 0, 10), abs=0.01)
    # 0.04 mm deep, and no middle of a layer in it: slices say nothing.
    on = [body(box(20, 20, 4)), body(box(20, 20, 4, (0, 0, 3.94)), "B1", "Plum PLA")]
    assert [f.title for f in found_in(*on)] == ["Two bodies in one place"]
    (told,) = [t for t in findings_of([run(on, S)], S) if t.finding.severity == "stop"]
    assert told.finding.figure == pytest.approx(20 * 20 * 0.06, rel=1e-4) and told.first == 20
    touching = [body(box(20, 20, 4)), body(box(20, 20, 4, (0, 0, 4)), "B1", "Plum PLA")]
    assert (
        found_in(*touching) == []
        and "no place claimed twice" in findings_of([run(touching, S)], S)[0].finding.text
    )


def test_a_look_at_fewer_points_hides_no_narrow_place():
    """Random discs, strokes, rings and slots from far below a line to far above: what counts is found
    either way (Steiner, Bonnesen)."""
    rng = np.random.default_rng(8)

    def shape() -> shapely.Geometry:
        some = []
        for x, y, size, kind in zip(
            *rng.uniform(0, 20, (2, 5)),
            rng.choice([0.1, 0.15, 0.2, 0.25, 0.4, 2.0], 5),
            range(5),
            strict=True,
        ):
            stroke = shapely.LineString(rng.uniform(0, 20, (3, 2)))
            ring = shapely.Point(x, y).buffer(3 + size) - shapely.Point(x, y).buffer(3 - size)
            some.append(
                (
                    shapely.Point(x, y).buffer(size),
                    stroke.buffer(size),
                    ring,
                    shapely.box(x, y, x + 5, y + size),
                    stroke,
                )[kind]
            )
        slots = shapely.union_all(
            [
                some.pop().buffer(0.2),
                shapely.Point(*rng.uniform(0, 20, 2)).buffer(rng.choice([0.1, 0.2, 1.0])),
            ]
        )
        return shapely.union_all(some[: rng.integers(1, 5)]) - slots

    quick = 0
    for _ in range(70):
        area = shape()
        if area.is_empty:
            continue
        rough = coarser(area, ROUGH)
        for look in (narrow, slits):
            slow, fast = (
                [n.area.area for n in look(area, S.line, r) if counts(n, S.line)] for r in (None, rough)
            )
            assert fast == slow, (look, slow, fast)
            quick += not fast
    assert quick > 25


def test_what_cannot_be_compared_is_not_called_apart():
    """Triangles that name points of their own are welded; a surface with a hole is told; thousands of
    bodies are gone through at once."""
    one, other = body(box(20, 20, 4)), body(box(20, 20, 4, (15, 0, 0)), "B1", "Plum PLA")
    soup = one._replace(
        vertices=one.vertices[one.triangles].reshape(-1, 3),
        triangles=np.arange(3 * len(one.triangles)).reshape(-1, 3),
    )
    (both,), unknown = shared([soup, other])
    assert both.volume == pytest.approx(400) and unknown == 0
    torn = [one._replace(triangles=one.triangles[1:]), other]
    assert shared(torn) == ([], 1)
    assert {"Not compared", "An outline does not close"} <= {f.title for f in found_in(*torn)}
    many = [body(box(1, 1, 1, (2 * x, 2 * y, 0)), f"{x} {y}") for x in range(60) for y in range(50)]
    calls = []
    assert shared(many, lambda: calls.append(1)) == ([], 0) and not calls
