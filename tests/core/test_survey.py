"""What planes meet, against closed formulas; lengths divided, against all ways there are."""

from __future__ import annotations

import itertools
import math

import manifold3d as m3
import numpy as np
import pytest
import shapely

from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.model.cuts import Cut
from cutkey.core.model.filament import BODY
from cutkey.core.split.divide import BALANCE, divide
from cutkey.core.split.plane import plane_of, slice_of
from cutkey.core.split.survey import FIGURE, KEY_HALF, Reading, Survey


def body(solid: m3.Manifold) -> list[Part]:
    return [Part(BODY, solid)]


def test_areas_of_a_ball_follow_the_circle():
    """A = pi (r^2 - z^2)."""
    survey = Survey(body(m3.Manifold.sphere(100, 128)))
    found = survey.readings("x")
    assert len(found) >= 190
    for r in found[10:-10:12]:
        exact = math.pi * (100**2 - r.at**2)
        assert r.area == pytest.approx(exact, rel=0.03) and r.holes == 0 and r.bodies == 1
        assert r.thick == pytest.approx(
            2 * math.sqrt(100**2 - (abs(r.at) + 8) ** 2) if abs(r.at) < 92 else 0, rel=0.06, abs=2
        )
    assert survey.symmetric("x") and survey.symmetric("z")
    assert not Survey(body(m3.Manifold.cylinder(100, 50, 20, 64))).symmetric("z")


def test_holes_areas_edges_and_thin_places_are_told():
    plate = prism(shapely.box(0, 0, 200, 60) - shapely.Point(60, 30).buffer(10), 0, 8)
    bar = m3.Manifold.cube((40, 60, 30)).translate((160, 0, 0))
    tube = m3.Manifold.cube((30, 60, 30)).translate((100, 0, 0)) - m3.Manifold.cube((30, 10, 10)).translate(
        (100, 25, 12)
    )
    survey = Survey(body(plate + bar + tube))
    at = {round(r.at): r for r in survey.readings("x")}
    assert at[60].bodies == 2 and at[30].bodies == 1 and at[115].holes == 1 and at[115].bodies == 1
    assert at[160].edge > 0.3 > at[145].edge and at[158].edge > 0.3
    assert at[30].thick == pytest.approx(8, abs=0.8)
    good, bad = at[145], at[60]
    assert good.badness < bad.badness and good.badness < at[160].badness
    words = {str(w.says) for place in (60, 115, 160) for w in at[place].words(False)}
    assert {"in 2 separate areas", "crosses a hole", "at an edge of the form"} <= words
    leaf = Survey(body(m3.Manifold.cube((100, 50, 2))))
    assert (
        any("thin: 2" in str(w.says) for w in leaf.readings("x")[20].words(False))
        and leaf.readings("x")[20].keys == 0
    )
    one = survey.reading(Cut("x", 60.0))
    assert one.bodies == 2 and one.edge < 0.1 and survey.reading(Cut("x", 160.0)).edge > 0.3
    # Turned by 45 degrees the plane is longer by the square root of two.
    turned = survey.reading(Cut("x", 30.0, tilt=30.0))
    assert turned.area == pytest.approx(60 * 8 / math.cos(math.radians(30)), rel=0.06)


def test_figures_weigh_by_what_is_seen_cut_and_by_the_row_they_lie_in():
    """Lengths by construction: bars 4, 40 and 200 mm long and a fifth as wide, cut across their width or
    turned."""
    plate = m3.Manifold.cube((400, 200, 6))
    dots = [(50, 20, 4), (50, 150, 40), (180, 120, 200)]
    art = m3.Manifold.compose([m3.Manifold.cube((s, s * 0.2, 1)).translate((x, y, 6)) for x, y, s in dots])
    ground = m3.Manifold.cube((400, 200, 1)).translate((0, 0, -1))
    survey = Survey([Part(BODY, plate), Part("#26241f", art), Part("#ffffff", ground)])
    # however large; but not the ground, which no cut can spare
    assert survey.any_figures and len(survey.figures) == 3
    found = {round(r.at): r for r in survey.readings("x")}
    assert found[52].figures == 2 and found[52].crossing == pytest.approx(0.8 + 8) and found[52].slivers == 2
    assert (
        found[280].crossing == pytest.approx(40) and found[280].slivers == 0 and found[400 - 52].figures == 1
    )
    assert found[280].badness > found[70].badness + 4 > found[20].badness + 4
    lower = {round(r.at): r for r in survey.readings("x", (0, 100), "y")}
    assert lower[52].figures == 1 and lower[52].area == pytest.approx(found[52].area / 2, rel=0.05)
    assert (
        survey.reading(Cut("x", 52.0)).figures == 2 and survey.reading(Cut("x", 52.0, tilt=-40)).figures < 2
    )
    u = sorted(float(plane_of(Cut("x", 52.0), survey.middle).flat((52.0, y, 0))[0]) for y in (0, 100))
    assert survey.reading(Cut("x", 52.0), (u[0], u[1])).figures == 1


def test_slices_lie_in_the_planes_own_frame():
    block = m3.Manifold.cube((10, 20, 30)).translate((1, 2, 3))
    for cut in (
        Cut("x", 5),
        Cut("y", 9),
        Cut("z", 12),
        Cut("x", 5, tilt=20),
        Cut("y", 9, lean=-15),
        Cut("z", 12, tilt=10),
    ):
        plane = plane_of(cut, (6, 12, 18))
        assert np.linalg.det(plane.turn) == pytest.approx(1) and plane.turn @ plane.turn.T == pytest.approx(
            np.eye(3)
        )
        area = slice_of(block if plane.level else plane.laid(block), plane, 0.5)
        u, v = area.centroid.coords[0]
        # The middle of the slice, lifted, is in the block and half a millimetre behind the plane.
        p = np.array(plane.lift(u, v, 0.5))
        assert (p > (1, 2, 3)).all() and (p < (11, 22, 33)).all() and plane.flat(p)[2] == pytest.approx(0.5)
        assert plane.raised(plane.laid(block)).bounding_box() == pytest.approx(block.bounding_box())
        exact = {"x": 20 * 30, "y": 10 * 30, "z": 10 * 20}[cut.axis]
        if not cut.tilt and not cut.lean:
            assert area.area == pytest.approx(exact) and tuple(np.abs(plane.normal)) in (
                (1, 0, 0),
                (0, 1, 0),
                (0, 0, 1),
            )


def reading(at: float, harm: float) -> Reading:
    return Reading(at, 100.0, 2 * KEY_HALF, 100.0, 0, 1, 0, harm / 1.5 * FIGURE, 0.0)


def test_the_least_harm_is_found_as_by_trying_everything():
    rng = np.random.default_rng(11)
    for n in range(14):
        # Keys that are printed on reach over a cut, not over the end.
        over = 4.0 * (n % 2)
        readings = [
            reading(float(x), float(h)) for x, h in zip(range(5, 100, 5), rng.uniform(0, 2, 19), strict=True)
        ]
        limit = float(rng.uniform(22, 60))
        fits = lambda a, b, limit=limit, over=over: b - a + (over if b < 100 else 0) <= limit  # noqa: E731
        found = divide(readings, 0.0, 100.0, fits, even=False)
        count = math.ceil(100 / limit) - 1

        def cost(chosen) -> float:
            edges = [0.0, *(r.at for r in chosen), 100.0]
            mean = 100.0 / (len(chosen) + 1)
            return sum(r.badness for r in chosen) + sum(
                BALANCE * ((b - a) / mean - 1) ** 2 for a, b in itertools.pairwise(edges)
            )

        def good(chosen, fits=fits) -> bool:
            return all(fits(a, b) for a, b in itertools.pairwise([0.0, *(r.at for r in chosen), 100.0]))

        least = count
        while not any(good(c) for c in itertools.combinations(readings, least)):
            least += 1
        assert len(found) == least and good(found)
        assert cost(found) == pytest.approx(
            min(cost(c) for c in itertools.combinations(readings, least) if good(c))
        )
    assert divide([reading(50.0, 0.0)], 0.0, 100.0, lambda a, b: b - a <= 30, even=False) is None


def test_a_mirrored_design_gets_mirrored_cuts_when_that_costs_little():
    even = [reading(float(x), 0.1 if x == 30 else 0.15) for x in range(5, 100, 5)]
    for limit, count in ((60, 1), (40, 2), (30, 3)):
        chosen = divide(even, 0.0, 100.0, lambda a, b, limit=limit: b - a <= limit, even=True)
        assert len(chosen) == count and [r.at for r in chosen] == [100 - r.at for r in reversed(chosen)]
    # What looks the same on both sides may be a little larger on one: every stretch fits all the same.
    for limit, count in ((62, 1), (40, 2), (30, 3)):
        for end in (0.0, 100.0):
            fits = lambda a, b, limit=limit, end=end: b - a + 3 * (end in (a, b)) <= limit  # noqa: E731
            edges = [0.0, *(r.at for r in divide(even, 0.0, 100.0, fits, even=True)), 100.0]
            assert len(edges) == count + 2 and all(fits(a, b) for a, b in itertools.pairwise(edges))
    # A letter in the middle is worth a lopsided cut.
    letter = [reading(float(x), 2.0 if 45 <= x <= 55 else 0.0) for x in range(5, 100, 5)]
    assert divide(letter, 0.0, 100.0, lambda a, b: b - a <= 62, even=True)[0].at in (40, 60)


def test_keys_find_no_room_where_a_wall_leans_too_much():
    """A shell whose wall leans: 8 mm of depth shift it by 8 tan(a); what both ends share is the wall less
    that shift."""
    for lean, room in ((0, True), (20, True), (55, False)):
        k = math.tan(math.radians(lean))
        outer, inner = (m3.Manifold.cylinder(60, r, r + 60 * k, 96) for r in (40.0, 33.0))
        reading_there = Survey(body(outer - inner)).reading(Cut("z", 30.0))
        shared = max(0.0, 7.0 - 16 * k)
        # To a pixel on either side.
        assert reading_there.thick == pytest.approx(shared, abs=2.0)
        assert (reading_there.keys >= 2) == (shared >= 2 * KEY_HALF) or not room
        assert reading_there.holes == 1 and reading_there.bodies == 1
